"""Which documents the pages of a Mappe become: one, one every so many pages, or one a part as they were cut."""

from collections.abc import Sequence
from enum import StrEnum
from typing import NamedTuple

from papiermappe.core.order.places import Side


class Division(StrEnum):
    """The ways of saying it."""

    ONE = "one"
    EVERY = "every"
    """One every so many pages."""
    PARTS = "parts"
    """One a part, as they were cut."""


class LyingPage(NamedTuple):
    """A page that is in its document, in reading order."""

    id: int
    side: Side
    part: int
    """The number of the part in which it lies, from 0."""
    part_name: str
    """Empty where the part has none."""


class PlannedDocument(NamedTuple):
    """A document that will be made."""

    pages: tuple[int, ...]
    """In their order."""
    name: str
    """Of its part; empty where it has none of its own."""


def documents_of(
    wanted: Sequence[int], lying: Sequence[LyingPage], division: Division, every: int = 1
) -> list[PlannedDocument]:
    """Return the documents that pages become; none where there is no page.

    Args:
        wanted: the pages that go out, in their order.
        lying: all pages that lie in the Mappe.
        division: what becomes of them.
        every: how many pages a document has, where that is how they are divided; the last may have fewer.

    >>> lying = [LyingPage(1, Side.FRONT, 0, ""), LyingPage(2, Side.BACK, 0, ""), LyingPage(3, Side.FRONT, 1, "Hail")]
    >>> [document.pages for document in documents_of([1, 2, 3], lying, Division.EVERY, 2)]
    [(1, 2), (3,)]
    >>> documents_of([1, 3], lying, Division.PARTS)
    [PlannedDocument(pages=(1,), name=''), PlannedDocument(pages=(3,), name='Hail')]
    """
    match division:
        case Division.ONE:
            return [PlannedDocument(tuple(wanted), "")] if wanted else []
        case Division.EVERY:
            starts = range(0, len(wanted), every)
            return [PlannedDocument(tuple(wanted[start : start + every]), "") for start in starts]
        case Division.PARTS:
            known = {page.id: page for page in lying}
            parts: dict[int, list[int]] = {}
            for page in wanted:
                parts.setdefault(known[page].part, []).append(page)
            return [PlannedDocument(tuple(pages), known[pages[0]].part_name) for pages in parts.values()]
