"""Dates as they are printed: with the month in figures or spelled out, in the language of the page."""

import re
from collections.abc import Iterator, Sequence
from datetime import date
from functools import cache
from typing import NamedTuple

from babel.core import Locale, UnknownLocaleError

from papiermappe.core.reading.languages import language
from papiermappe.core.reading.page_text import PageText

YEARS = range(1900, 2100)
MONTHS = 12
CENTURY = 2000

_YEAR_FIRST = re.compile(r"\b(?P<year>\d{4})-(?P<month>\d{1,2})-(?P<day>\d{1,2})\b")
_DOTTED = re.compile(r"\b(?P<day>\d{1,2})\.\s?(?P<month>\d{1,2})\.\s?(?P<year>\d{4})\b")
_SLASHED = re.compile(r"\b(?P<one>\d{1,2})/(?P<two>\d{1,2})/(?P<year>\d{4})\b")
_SHORT_YEAR = re.compile(r"\b(?P<day>\d{1,2})\.\s?(?P<month>\d{1,2})\.\s?(?P<year>\d{2})\b(?![.\d])")


class DateFound(NamedTuple):
    """A date in a line."""

    start: int
    """Where in the line it begins."""
    end: int
    day: date
    doubtful: bool = False
    """Whether it can be read in two ways, and this is the more usual one in Europe."""


def dates_on(page: PageText) -> Iterator[date]:
    """Yield the dates on a page; those of which it is open which number is the day and which the month are left out."""
    for line in page.lines():
        yield from (found.day for found in dates_in(line.text, page.languages) if not found.doubtful)


def dates_in(line: str, languages: Sequence[str]) -> list[DateFound]:
    """Return the dates in a line, in their order.

    Args:
        line: in question.
        languages: of the names of months, ISO 639-2.

    >>> [str(found.day) for found in dates_in("Hollerbeck, 28. November 2026", ["deu"])]
    ['2026-11-28']
    >>> dates_in("03/04/2026", [])[0].doubtful
    True
    """
    months = {name: number for code in languages for name, number in _months(code).items()}
    read = [
        DateFound(start, end, day, doubtful)
        for start, end, (year, month, of_month), doubtful in _candidates(line, months)
        if (day := _date(year, month, of_month)) is not None
    ]
    return sorted(read)


def _candidates(line: str, months: dict[str, int]) -> Iterator[tuple[int, int, tuple[int, int, int], bool]]:
    """Yield where what may be a date begins and ends, its year, month and day, and whether that is doubtful."""
    for way in (_YEAR_FIRST, _DOTTED):
        for found in way.finditer(line):
            yield *found.span(), (int(found["year"]), int(found["month"]), int(found["day"])), False
    for found in _SHORT_YEAR.finditer(line):
        yield *found.span(), (CENTURY + int(found["year"]), int(found["month"]), int(found["day"])), True
    for found in _SLASHED.finditer(line):
        month, day, doubtful = _month_and_day(int(found["one"]), int(found["two"]))
        yield *found.span(), (int(found["year"]), month, day), doubtful
    for found in _spelled(tuple(months)).finditer(line) if months else ():
        month = months[(found["month"] or found["month_first"]).lower()]
        yield *found.span(), (int(found["year"]), month, int(found["day"] or found["day_second"])), False


def _month_and_day(one: int, two: int) -> tuple[int, int, bool]:
    """Return month and day, and whether the other way round is as good."""
    if two > MONTHS:
        return one, two, False
    return two, one, one <= MONTHS and one != two


def _date(year: int, month: int, day: int) -> date | None:
    if year not in YEARS:
        return None
    try:
        return date(year, month, day)
    except ValueError:
        return None


@cache
def _months(code: str) -> dict[str, int]:
    """Return the names of the months in a language, in lower case, long and short."""
    try:
        locale = Locale.parse(language(code).tag)
    except (UnknownLocaleError, ValueError):
        return {}
    return {
        str(name).lower().rstrip("."): number
        for use in ("format", "stand-alone")
        for width in ("abbreviated", "wide")
        for number, name in locale.months[use][width].items()
    }


@cache
def _spelled(months: tuple[str, ...]) -> re.Pattern[str]:
    """Return what finds a date with one of these names of months."""
    names = "|".join(re.escape(name) for name in sorted(months, key=len, reverse=True))
    day_first = rf"(?P<day>\d{{1,2}})(?:st|nd|rd|th|\.|er|º)?\s+(?:de\s+)?(?P<month>{names})\b\.?,?"
    month_first = rf"\b(?P<month_first>{names})\b\.?\s+(?P<day_second>\d{{1,2}})(?:st|nd|rd|th)?,"
    return re.compile(rf"(?:\b{day_first}|{month_first})\s+(?:de\s+)?(?P<year>\d{{4}})\b", re.I)
