"""Which pages of a Mappe go into a document: all, those of one side, chosen ones, or ranges that were typed."""

import re
from collections.abc import Collection, Sequence
from enum import StrEnum
from typing import NamedTuple

from papiermappe.core.order.places import Side
from papiermappe.errors import PapiermappeError

_RANGE = re.compile(r"^(?P<first>\d{1,6})?(?:\s*(?P<dash>[-\u2013])\s*(?P<last>\d{1,6})?)?$")


class WhichPages(StrEnum):
    """The ways of saying it."""

    ALL = "all"
    FRONTS = "fronts"
    BACKS = "backs"
    CHOSEN = "chosen"
    RANGES = "ranges"


class RangeRefused(PapiermappeError):
    """Ranges of pages that make no sense."""


class NumberedPage(NamedTuple):
    """A page, in reading order: its place there is its number."""

    id: int
    side: Side


def pages_of_choice(
    which: WhichPages, pages: Sequence[NumberedPage], chosen: Collection[int] = (), ranges: str = ""
) -> list[int]:
    """Return the pages that are meant, by their ids; those of ranges in the order in which they were typed.

    Args:
        which: way of saying it.
        pages: all of them, in reading order.
        chosen: their ids, where they are chosen.
        ranges: as they were typed, where they are ranges.

    Raises:
        RangeRefused: the ranges make no sense, or name pages that are not there.
    """
    match which:
        case WhichPages.FRONTS | WhichPages.BACKS:
            side = Side.FRONT if which is WhichPages.FRONTS else Side.BACK
            return [page.id for page in pages if page.side is side]
        case WhichPages.CHOSEN:
            wanted = frozenset(chosen)
            return [page.id for page in pages if page.id in wanted]
        case WhichPages.RANGES:
            return [pages[number - 1].id for number in numbers_of_ranges(ranges, len(pages))]
    return [page.id for page in pages]


def numbers_of_ranges(ranges: str, last: int) -> list[int]:
    """Return the page numbers that ranges name, each once, in the order in which they were typed.

    Args:
        ranges: numbers and ranges with commas or spaces between them; a range may lack an end, or run backwards.
        last: the number of the last page.

    Raises:
        RangeRefused: they make no sense, or name pages that are not there.

    >>> numbers_of_ranges("1-4, 9", 12)
    [1, 2, 3, 4, 9]
    >>> numbers_of_ranges("10-; 3-1", 12)
    [10, 11, 12, 3, 2, 1]
    """
    parts = [part for part in re.split(r"[,;]|(?<=\d)\s+(?=\d)", ranges.strip()) if part.strip()]
    if not parts:
        raise RangeRefused("range_empty")
    named: dict[int, None] = {}
    for part in parts:
        found = _RANGE.match(part.strip())
        if found is None or not (found["first"] or found["last"]):
            raise RangeRefused("range_unreadable", part=part.strip()[:20])
        first = int(found["first"] or 1)
        end = int(found["last"] or (last if found["dash"] else first))
        if not (1 <= first <= last and 1 <= end <= last):
            raise RangeRefused("range_beyond", part=part.strip()[:20], last=last)
        step = 1 if end >= first else -1
        named.update(dict.fromkeys(range(first, end + step, step)))
    return list(named)
