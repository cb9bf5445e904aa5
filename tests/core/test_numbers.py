"""Page numbers tell an order only where they go on from page to page."""

import random

from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.order.numbers import infer_order, numbers_of
from papiermappe.core.reading.printed import NumberKind, PageNumber, Printed


def printed(*numbers: int, kind: NumberKind = NumberKind.NAMED) -> Printed:
    """Return what is printed on a page with such numbers."""
    return Printed(numbers=tuple(PageNumber(number=number, kind=kind) for number in numbers))


def test_numbers_that_go_on_are_page_numbers() -> None:
    assert numbers_of([printed(1), printed(2), None, Printed(), printed(3)]) == [1, 2, None, None, 3]


def test_years_and_invoice_numbers_are_not() -> None:
    alone = NumberKind.ALONE
    assert numbers_of([printed(2026, kind=alone)] * 5) == [None] * 5
    assert numbers_of([printed(number, kind=alone) for number in (118, 904, 333, 27)]) == [None] * 4


def test_a_number_far_from_all_others_belongs_to_something_else() -> None:
    """A page of another brochure, say. One page that is missing makes no difference."""
    pages = [printed(number, kind=NumberKind.ALONE) for number in (1, 3, 4, 5, 6, 15)]
    assert numbers_of(pages) == [1, 3, 4, 5, 6, None]


def test_two_numbers_are_too_few() -> None:
    assert numbers_of([printed(1), printed(2)]) == [None, None]


def test_documents_that_each_begin_with_one_tell_nothing_together() -> None:
    assert numbers_of([printed(1), printed(2), printed(1), printed(2), printed(3)]) == [None] * 5


def test_named_numbers_go_before_others() -> None:
    both = [
        Printed(
            numbers=(
                PageNumber(number=40 + at, kind=NumberKind.ALONE),
                PageNumber(number=at, kind=NumberKind.NAMED),
            )
        )
        for at in range(1, 5)
    ]
    assert numbers_of(both) == [1, 2, 3, 4]


def test_of_several_in_running_heads_those_that_go_on_are_taken() -> None:
    heads = [printed(1998, page, kind=NumberKind.AT_END) for page in (46, 47, 48, 49)]
    assert numbers_of(heads) == [46, 47, 48, 49]


def test_sheets_out_of_place_are_told() -> None:
    told = infer_order([(1, 2), (5, 6), (3, 4), (7, None)])
    assert told is not None
    assert told.order == [0, 2, 1, 3]
    assert (told.out_of_place, told.missing, told.twice) == (2, [], [])


def test_sheets_without_a_number_stay_where_they_are() -> None:
    told = infer_order([(3, None), (None, None), (1, None), (2, None)])
    assert told is not None
    assert told.order == [2, 1, 3, 0]


def test_what_is_missing_and_what_is_there_twice_is_told() -> None:
    told = infer_order([(1, 2), (3, 3), (6, 7)])
    assert told is not None
    assert (told.missing, told.twice, told.out_of_place) == ([4, 5], [3], 0)


def test_what_a_page_without_a_number_can_be_is_not_missing() -> None:
    """Its number was not read, perhaps; where more are missing than such pages lie there, all are told."""
    for sheets, missing in (
        ([(1, None), (3, 4)], []),
        ([(1,), (3, 4)], [2]),
        ([(1, None), (5, 6)], [2, 3, 4]),
        ([(5, 6), (1, None), (3, 4)], []),
        ([(2, 1), (3, 4)], []),
        ([(1, None), (2, None), (4, None)], [3]),  # backs have no number here
    ):
        told = infer_order(sheets)
        assert told is not None
        assert told.missing == missing, sheets


def test_sheets_without_numbers_tell_nothing() -> None:
    assert infer_order([(None, None), ()]) is None
    assert infer_order([]) is None


@given(st.integers(1, 300), st.integers(3, 40), st.randoms(use_true_random=False))
def test_any_pile_comes_back_in_order(first: int, count: int, chance: random.Random) -> None:
    numbers = list(range(first, first + count))
    chance.shuffle(numbers)
    known = numbers_of([printed(number) for number in numbers])
    told = infer_order([(number,) for number in known])
    assert told is not None
    assert [numbers[at] for at in told.order] == sorted(numbers)
    assert (told.missing, told.twice) == ([], [])
