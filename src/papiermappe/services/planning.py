"""Which documents a filing makes, and of which pages."""

from collections.abc import Sequence
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.documents import Division, LyingPage, PlannedDocument, documents_of
from papiermappe.core.order.places import Side
from papiermappe.core.page_choice import NumberedPage, WhichPages, pages_of_choice
from papiermappe.services.errors import NotPossible
from papiermappe.store.models import Page


class PagesWanted(NamedTuple):
    """Which pages go out, and in how many documents."""

    which: WhichPages = WhichPages.ALL
    chosen: tuple[int, ...] = ()
    ranges: str = ""
    division: Division = Division.ONE
    every: int = 1


def planned_documents(session: Session, mappe_id: int, wanted: PagesWanted) -> list[PlannedDocument]:
    """Return the documents that would be made of a Mappe as it is now; at least one.

    Raises:
        NotPossible: there is no page to file.
        RangeRefused: the ranges of pages make no sense.
    """
    lying = lying_pages(session, mappe_id)
    numbered = [NumberedPage(page.id, page.side) for page in lying]
    pages = pages_of_choice(wanted.which, numbered, wanted.chosen, wanted.ranges) if lying else []
    documents = documents_of(pages, lying, wanted.division, wanted.every)
    if not documents:
        raise NotPossible("no_page_to_file")
    return documents


def lying_pages(session: Session, mappe_id: int) -> Sequence[LyingPage]:
    """Return the pages of a Mappe that are not set aside, in reading order, each with its part.

    A part begins with a sheet of which any page says so, set aside or not.
    """
    rows = session.execute(
        select(Page.id, Page.rank, Page.side, Page.set_aside, Page.begins).where(Page.mappe_id == mappe_id)
    ).all()
    beginnings = sorted({row.rank for row in rows if row.begins is not None})
    names = {row.rank: row.begins for row in rows if row.begins}
    ordered = sorted(rows, key=lambda row: (row.rank, row.side is Side.BACK))
    lying: list[LyingPage] = []
    part, name = 0, ""
    waiting = iter(beginnings)
    following = next(waiting, None)
    for row in ordered:
        while following is not None and row.rank >= following:
            part, name = part + 1, names.get(following, "")
            following = next(waiting, None)
        if not row.set_aside:
            lying.append(LyingPage(row.id, row.side, part, name))
    return lying
