"""Where pages lie, and moving them."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.order.places import Place, Side, arranged, move, nudge, ranks_between, reading_order, sheets


def pile(count: int) -> list[Place]:
    """Return two-sided sheets: pages 1 and 2 on the first, 3 and 4 on the second..."""
    sides = (Side.FRONT, Side.BACK)
    return [Place(2 * at + back + 1, Decimal(at + 1), sides[back]) for at in range(count) for back in (0, 1)]


def after(places: list[Place], moved: list[Place]) -> list[int]:
    """Return the pages in reading order after a move."""
    now = {place.page_id: place for place in places} | {place.page_id: place for place in moved}
    return [place.page_id for place in reading_order(now.values())]


@given(
    st.decimals(-1000, 1000, allow_nan=False, places=6),
    st.decimals(Decimal("0.000001"), 50, allow_nan=False, places=6),
    st.integers(1, 40),
)
def test_ranks_lie_strictly_between_and_rise(low: Decimal, gap: Decimal, count: int) -> None:
    ranks = ranks_between(low, low + gap, count)
    assert len(ranks) == count
    assert [low, *ranks, low + gap] == sorted({low, *ranks, low + gap})


def test_there_is_always_room_however_often_pages_go_to_the_same_gap() -> None:
    low, high = Decimal(1), Decimal(2)
    for _ in range(300):
        (high,) = ranks_between(low, high, 1)
    assert low < high < Decimal("1.001")


def test_ranks_without_bounds() -> None:
    assert ranks_between(Decimal(4), None, 2) == [5, 6]
    assert ranks_between(None, Decimal("0.5"), 2) == [-2, -1]
    with pytest.raises(ValueError, match="not below"):
        ranks_between(Decimal(2), Decimal(2), 1)


def test_a_whole_sheet_moves_whole() -> None:
    places = pile(3)
    moved = move(places, {1, 2}, 3)
    assert after(places, moved) == [3, 4, 5, 6, 1, 2]
    assert len({place.rank for place in moved}) == 1


def test_a_single_side_becomes_a_sheet_of_its_own_and_keeps_its_side() -> None:
    places = pile(3)
    (moved,) = move(places, {2}, 0)
    assert moved.side is Side.BACK
    assert after(places, [moved]) == [2, 1, 3, 4, 5, 6]


def test_what_is_set_aside_of_a_sheet_goes_with_it() -> None:
    places = [Place(1, Decimal(1), Side.FRONT), Place(2, Decimal(1), Side.BACK, set_aside=True), *pile(3)[2:]]
    moved = move(places, {1}, 3)
    assert {place.page_id for place in moved} == {1, 2}
    assert len({place.rank for place in moved}) == 1


@pytest.mark.parametrize("gap", [1, 2, 3])
def test_moving_to_where_it_lies_changes_nothing(gap: int) -> None:
    assert move(pile(4), {3, 4, 5, 6}, gap) == []


def test_nudging_by_one_sheet() -> None:
    places = pile(3)
    assert after(places, nudge(places, {3, 4}, -1)) == [3, 4, 1, 2, 5, 6]
    assert after(places, nudge(places, {3, 4}, 1)) == [1, 2, 5, 6, 3, 4]
    assert nudge(places, {1, 2}, -1) == []  # at the front already
    assert after(places, nudge(places, {3}, -1)) == [1, 2, 3, 4, 5, 6]  # in front of its own back: alone now
    assert len(sheets(nudge(places, {3}, -1))) == 1
    assert nudge(places, {99}, 1) == []


@given(st.integers(1, 8), st.sets(st.integers(1, 16)), st.integers(-3, 12))
def test_a_move_keeps_every_page_once_and_the_order_of_the_others(count: int, chosen: set[int], gap: int) -> None:
    places = pile(count)
    moved = move(places, chosen, gap)
    order = after(places, moved)
    assert sorted(order) == [place.page_id for place in places]
    stayed = {place.page_id for place in places} - {place.page_id for place in moved}
    assert [page for page in order if page in stayed] == sorted(stayed)
    went = [page for page in order if page not in stayed]
    assert went == sorted(went)


def test_sheets_are_arranged_whole() -> None:
    """What is put away goes with its sheet; a sheet that is put away altogether stays."""
    places = [
        Place(1, Decimal(1), Side.FRONT),
        Place(2, Decimal(1), Side.BACK, set_aside=True),
        Place(3, Decimal(2), Side.FRONT, set_aside=True),
        Place(4, Decimal(3), Side.FRONT),
        Place(5, Decimal(4), Side.FRONT),
    ]
    moved = arranged(places, [1, 0, 2])
    assert {(place.page_id, place.rank) for place in moved} == {(1, Decimal(3)), (2, Decimal(3)), (4, Decimal(1))}
    assert next(place for place in moved if place.page_id == 2).set_aside


@given(st.permutations(range(7)))
def test_any_arrangement_is_the_one_asked_for(order: list[int]) -> None:
    places = [Place(at, Decimal(at), Side.FRONT) for at in range(7)]
    moved = {place.page_id: place for place in arranged(places, order)}
    assert [place.page_id for place in reading_order(moved.get(one.page_id, one) for one in places)] == order
