"""What is printed on the pages of a Mappe, as far as they have been read: for their order, and for its name."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from pydantic import BaseModel

from papiermappe.core.order.numbers import infer_order, numbers_of
from papiermappe.core.order.places import Place, Side, sheets
from papiermappe.core.reading.printed import Printed

MAX_DAYS = 6


class DayView(BaseModel):
    """A day that is printed on a page."""

    day: date
    page: int
    """The number of the page in the Mappe, from 1."""


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


class PrintedPage(NamedTuple):
    """As much of a page as this needs."""

    id: int
    rank: Decimal
    side: Side
    set_aside: bool
    blank: bool
    printed: Printed | None


def printed_view(pages: Sequence[PrintedPage]) -> PrintedView:
    """Return what is printed on the pages of a Mappe, given all of them."""
    ordered = sorted((page for page in pages if not page.set_aside), key=_reading_order)
    if not any(page.printed for page in ordered):
        return PrintedView()
    numbers = numbers_of([page.printed for page in ordered])
    by_page = {page.id: number for page, number in zip(ordered, numbers, strict=True) if number is not None}
    without = {page.id for page in ordered if page.blank and page.id not in by_page}
    lanes = [
        [by_page.get(place.page_id) for place in sheet if place.page_id not in without]
        for sheet in sheets(Place(page.id, page.rank, page.side) for page in ordered)
    ]
    inferred = infer_order(lanes)
    days = _days(ordered)
    if inferred is None:
        return PrintedView(days=days)
    return PrintedView(
        first=min(by_page.values()),
        last=max(by_page.values()),
        out_of_place=inferred.out_of_place,
        missing=inferred.missing,
        twice=inferred.twice,
        days=days,
    )


def _reading_order(page: PrintedPage) -> tuple[Decimal, bool]:
    return page.rank, page.side is Side.BACK


def _days(ordered: Sequence[PrintedPage]) -> list[DayView]:
    found: dict[date, int] = {}
    for number, page in enumerate(ordered, 1):
        for day in page.printed.dates if page.printed else ():
            found.setdefault(day, number)
    return [DayView(day=day, page=page) for day, page in list(found.items())[:MAX_DAYS]]
