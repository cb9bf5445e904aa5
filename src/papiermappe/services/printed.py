"""What is printed on the pages of a Mappe, as far as they have been read: for their order, and for its name."""

from collections.abc import Sequence
from datetime import date
from typing import NamedTuple

from pydantic import BaseModel

from papiermappe.core.clean.arrival import Look
from papiermappe.core.order.numbers import Told, numbers_of, told_by
from papiermappe.core.order.places import sheets
from papiermappe.core.printed import Printed
from papiermappe.services.journal import place_of
from papiermappe.store.models import Page

MOST_DAYS = 6


class DayView(BaseModel):
    """A day that is printed on a page."""

    day: date
    page: int
    """The number of the page in the Mappe, from 1."""


class PrintedView(BaseModel):
    """What is printed on the pages of a Mappe."""

    numbers: dict[int, int]
    """By page."""
    out_of_place: int
    """How many sheets lie where, by their numbers, another belongs."""
    missing: list[int]
    twice: list[int]
    days: list[DayView]
    """Each once, in the order of the pages."""


class Numbers(NamedTuple):
    """The page numbers of a Mappe."""

    by_page: dict[int, int]
    told: Told | None
    """What they tell of the order of the sheets."""


def printed_numbers(pages: Sequence[Page]) -> Numbers:
    """Return the page numbers of a Mappe, given all its pages in their order."""
    lying = [page for page in pages if not page.put_away]
    numbers = numbers_of([_printed(page) for page in lying])
    by_page = {page.id: number for page, number in zip(lying, numbers, strict=True) if number is not None}
    blank = {page.id for page in lying if page.id not in by_page and _is_blank(page)}
    lanes = [
        [by_page.get(place.page_id) for place in sheet if place.page_id not in blank]
        for sheet in sheets(map(place_of, lying))
    ]
    return Numbers(by_page, told_by(lanes))


def _is_blank(page: Page) -> bool:
    return page.look is not None and Look.model_validate(page.look).is_blank


def printed_view(pages: Sequence[Page]) -> PrintedView:
    """Return what is printed on the pages of a Mappe, given all of them in their order."""
    by_page, told = printed_numbers(pages)
    days: dict[date, int] = {}
    for number, page in enumerate((page for page in pages if not page.put_away), 1):
        for day in printed.dates if (printed := _printed(page)) else ():
            days.setdefault(day, number)
    return PrintedView(
        numbers=by_page,
        out_of_place=told.out_of_place if told else 0,
        missing=told.missing if told else [],
        twice=told.twice if told else [],
        days=[DayView(day=day, page=page) for day, page in list(days.items())[:MOST_DAYS]],
    )


def _printed(page: Page) -> Printed | None:
    return Printed.model_validate(page.printed) if page.printed else None
