"""What is printed on the pages of a Mappe, as far as they have been read: for their order, and for its name."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from itertools import groupby
from typing import NamedTuple

from pydantic import BaseModel

from papiermappe.core.order.cut_evidence import PageFacts
from papiermappe.core.order.glance import GlancePage, NoteKind, notes_on
from papiermappe.core.order.numbers import InferredOrder, infer_order, numbers_of
from papiermappe.core.order.places import Side
from papiermappe.core.reading.proposal import Proposals
from papiermappe.message import Message

MAX_DAYS = 6


class DayView(BaseModel):
    """A day that is printed on a page."""

    day: date
    page: int
    """The number of the page in the Mappe, from 1."""


class NoteView(BaseModel):
    """What stands out on a page among others."""

    page: int
    kind: NoteKind
    turn: int
    """Quarter turns, counter-clockwise, that would set it upright."""
    message: Message


class PrintedView(BaseModel):
    """What is printed on the pages of a Mappe."""

    first: int | None = None
    """The lowest page number."""
    last: int | None = None
    out_of_place: int = 0
    """How many sheets lie where, by their numbers, another belongs."""
    missing: list[int] = []
    twice: list[int] = []
    days: list[DayView] = []
    """Each once, in the order of the pages."""
    proposals: Proposals | None = None
    """What its first page says of it; None until that has been read."""
    notes: list[NoteView] = []


class PrintedPage(NamedTuple):
    """As much of a page as this needs."""

    id: int
    rank: Decimal
    side: Side
    set_aside: bool
    begins: bool
    """Whether a document begins with its sheet."""
    to_upright: int
    """Quarter turns after which it would stand upright, where the machine is sure of it."""
    facts: PageFacts


def printed_view(pages: Sequence[PrintedPage]) -> PrintedView:
    """Return what is printed on the pages of a Mappe, and what stands out among them, given all of them.

    Page numbers are those of the documents that the Mappe is cut into; of several, only what stands out is told.
    """
    documents = list(_documents(pages))
    ordered = [page for document in documents for page in document]
    days = _days(ordered)
    first = ordered[0].facts.printed if ordered else None
    proposals = first.proposals if first else None
    told = [_numbers_in(document) for document in documents]
    notes = [note for document, known in zip(documents, told, strict=True) for note in _notes(document, *known)]
    numbers, inferred = told[0] if len(told) == 1 else ({}, None)
    if inferred is None:
        return PrintedView(days=days, proposals=proposals, notes=notes)
    return PrintedView(
        first=min(numbers.values()),
        last=max(numbers.values()),
        out_of_place=inferred.out_of_place,
        missing=inferred.missing,
        twice=inferred.twice,
        days=days,
        proposals=proposals,
        notes=notes,
    )


def _documents(pages: Sequence[PrintedPage]) -> Iterator[list[PrintedPage]]:
    """Yield the pages that lie in each document, in reading order."""
    document: list[PrintedPage] = []
    begins = False
    for _, group in groupby(sorted(pages, key=_reading_order), key=lambda page: page.rank):
        sheet = list(group)
        begins = begins or any(page.begins for page in sheet)
        lying = [page for page in sheet if not page.set_aside]
        if not lying:
            continue
        if begins and document:
            yield document
            document = []
        document += lying
        begins = False
    if document:
        yield document


def _numbers_in(document: Sequence[PrintedPage]) -> tuple[dict[int, int], InferredOrder | None]:
    """Return the numbers of a document's pages, and what they tell of its sheets."""
    numbers = numbers_of([page.facts.printed for page in document])
    by_page = {page.id: number for page, number in zip(document, numbers, strict=True) if number is not None}
    lanes = [
        [by_page.get(page.id) for page in sheet if not (page.facts.blank and page.id not in by_page)]
        for sheet in _sheets(document)
    ]
    return by_page, infer_order(lanes)


def _sheets(document: Sequence[PrintedPage]) -> list[list[PrintedPage]]:
    return [list(sheet) for _, sheet in groupby(document, key=lambda page: page.rank)]


def _notes(
    document: Sequence[PrintedPage], numbers: Mapping[int, int], inferred: InferredOrder | None
) -> list[NoteView]:
    seen = [
        [GlancePage(page.facts, numbers.get(page.id), page.to_upright, page.begins) for page in sheet]
        for sheet in _sheets(document)
    ]
    return [
        NoteView(
            page=document[note.page].id,
            kind=note.kind,
            turn=note.params.get("turn", 0),
            message=Message(code=f"note_{note.kind.value}", params=note.params),
        )
        for note in notes_on(seen, inferred)
    ]


def _reading_order(page: PrintedPage) -> tuple[Decimal, bool]:
    return page.rank, page.side is Side.BACK


def _days(ordered: Sequence[PrintedPage]) -> list[DayView]:
    found: dict[date, int] = {}
    for number, page in enumerate(ordered, 1):
        for day in page.facts.printed.dates if page.facts.printed else ():
            found.setdefault(day, number)
    return [DayView(day=day, page=page) for day, page in list(found.items())[:MAX_DAYS]]
