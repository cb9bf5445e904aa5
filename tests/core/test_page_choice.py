"""Which pages of a Mappe are meant: of a side, chosen, or by ranges of numbers."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.order.places import Side
from papiermappe.core.page_choice import NumberedPage, RangeRefused, WhichPages, numbers_of_ranges, pages_of_choice

PAGES = [NumberedPage(70 + number, Side.FRONT if number % 2 else Side.BACK) for number in range(1, 7)]
"""Six pages, 71 to 76: three sheets, both sides."""


@pytest.mark.parametrize(
    ("which", "chosen", "ranges", "meant"),
    [
        (WhichPages.ALL, (), "", [71, 72, 73, 74, 75, 76]),
        (WhichPages.FRONTS, (), "", [71, 73, 75]),
        (WhichPages.BACKS, (), "", [72, 74, 76]),
        (WhichPages.CHOSEN, (76, 71, 99), "", [71, 76]),  # in their order; one that is not there is passed over
        (WhichPages.RANGES, (), "5, 1-2", [75, 71, 72]),
    ],
)
def test_the_pages_that_are_meant(which: WhichPages, chosen: tuple[int, ...], ranges: str, meant: list[int]) -> None:
    assert pages_of_choice(which, PAGES, chosen, ranges) == meant


@pytest.mark.parametrize(
    ("ranges", "numbers"),
    [
        ("3", [3]),
        ("1-4, 9", [1, 2, 3, 4, 9]),
        ("1\u20134;9", [1, 2, 3, 4, 9]),  # a dash as programs for writing set it
        ("1 2 3", [1, 2, 3]),
        ("-3", [1, 2, 3]),
        ("10-", [10, 11, 12]),
        ("3-1", [3, 2, 1]),
        ("1-3, 2-4", [1, 2, 3, 4]),  # each once
    ],
)
def test_ranges_are_read(ranges: str, numbers: list[int]) -> None:
    assert numbers_of_ranges(ranges, 12) == numbers


@pytest.mark.parametrize(
    ("ranges", "code"),
    [
        ("", "range_empty"),
        (" , ", "range_empty"),
        ("a-b", "range_unreadable"),
        ("1--3", "range_unreadable"),
        ("-", "range_unreadable"),
        ("1.5", "range_unreadable"),
        ("0", "range_beyond"),
        ("13", "range_beyond"),
        ("4-99999", "range_beyond"),
        ("9999999", "range_unreadable"),
    ],
)
def test_ranges_that_make_no_sense_are_refused(ranges: str, code: str) -> None:
    with pytest.raises(RangeRefused) as refused:
        numbers_of_ranges(ranges, 12)
    assert refused.value.message.code == code


@given(st.text("0123456789-, ;", max_size=30), st.integers(1, 500))
def test_whatever_is_typed_pages_that_are_there_are_named_or_it_is_refused(ranges: str, last: int) -> None:
    code = ""
    numbers: list[int] = []
    try:
        numbers = numbers_of_ranges(ranges, last)
    except RangeRefused as refused:
        code = refused.message.code
    assert code in {"", "range_empty", "range_unreadable", "range_beyond"}
    assert bool(numbers) == (not code)
    assert len(set(numbers)) == len(numbers)
    assert set(numbers) <= set(range(1, last + 1))
