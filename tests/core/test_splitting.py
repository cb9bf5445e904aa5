"""Spreads that are split: where their pages come to lie, and where their gutter is drawn."""

from collections.abc import Mapping
from dataclasses import replace
from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.halves import half_of
from papiermappe.core.operations import Changes, Halves, OperationRefused, PageState, SetGutter, SplitSpreads
from papiermappe.core.order.places import Side
from papiermappe.core.treatment import MAX_PAGE_MM, Treatment

SPREAD_MM = (420.0, 297.0)
LEAF_MM = (210.0, 297.0)
FRONT, BACK = Side.FRONT, Side.BACK
MIDDLE = ((210.0, 0.0), (210.0, 297.0))


def page(number: int, rank: int, side: Side = FRONT, size_mm: tuple[float, float] = SPREAD_MM) -> PageState:
    """Return a page in Mappe 1."""
    return PageState(number, 1, Decimal(rank), side, False, Treatment(), 7, scan_mm=size_mm)


def nowhere(number: int) -> PageState:
    """Return a half of a spread that lies nowhere yet."""
    return replace(page(number, 0), mappe_id=None)


def split(*pages: PageState, spreads: tuple[int, ...]) -> tuple[Changes, list[list[int]]]:
    """Split spreads into pages ten and eleven times their number; return the changes and the sheets after it."""
    halves = tuple(Halves(spread=number, first=10 * number, second=11 * number) for number in spreads)
    made = [nowhere(new) for pair in halves for new in (pair.first, pair.second)]
    everything = [*pages, *made]
    changes = SplitSpreads(pages=spreads, halves=halves).apply(everything)
    return changes, sheets_of(everything, changes)


def sheets_of(pages: list[PageState], changes: Mapping[int, Mapping[str, object]]) -> list[list[int]]:
    """Return each sheet as its front and its back, 0 where there is none."""
    sheets: dict[Decimal, list[int]] = {}
    for state in pages:
        fields = changes.get(state.id, {})
        if fields.get("mappe_id", state.mappe_id) is None:
            continue
        rank, side = Decimal(str(fields.get("rank", state.rank))), fields.get("side", state.side)
        place = sheets.setdefault(rank, [0, 0])
        assert place[side == BACK] == 0, "two pages on one side of a sheet"
        place[side == BACK] = state.id
    return [sheets[rank] for rank in sorted(sheets)]


def test_a_booklet_becomes_leaves_with_fronts_and_backs() -> None:
    """A cover, two spreads, and the last page: as they lie in the bound booklet."""
    cover, last = page(1, 1, size_mm=LEAF_MM), page(4, 4, size_mm=LEAF_MM)
    changes, sheets = split(cover, page(2, 2), page(3, 3), last, spreads=(2, 3))
    assert sheets == [[1, 20], [22, 30], [33, 0], [4, 0]]
    assert changes[2]["mappe_id"] is None
    assert 1 not in changes
    assert 4 not in changes


def test_a_letter_before_a_spread_does_not_get_its_first_page_as_a_back() -> None:
    _, sheets = split(page(1, 1, size_mm=(148.0, 210.0)), page(2, 2), spreads=(2,))
    assert sheets == [[1, 0], [0, 20], [22, 0]]


def test_spreads_on_both_sides_of_sheets_are_read_front_then_back() -> None:
    _, sheets = split(page(1, 1), page(2, 1, BACK), page(3, 2), spreads=(1, 2, 3))
    assert sheets == [[0, 10], [11, 20], [22, 30], [33, 0]]


def test_a_document_that_begins_with_a_spread_begins_with_its_first_page() -> None:
    cover, spread = page(1, 1, size_mm=LEAF_MM), replace(page(2, 2), begins="Handbook")
    changes, sheets = split(cover, spread, spreads=(2,))
    assert sheets == [[1, 0], [0, 20], [22, 0]]
    assert changes[20]["begins"] == "Handbook"
    assert changes[2]["begins"] is None


@given(
    st.lists(st.tuples(st.integers(0, 3), st.booleans()), min_size=1, max_size=8).map(
        lambda drawn: [*drawn, (2, False)]
    )
)
def test_reading_goes_on_in_the_same_order(drawn: list[tuple[int, bool]]) -> None:
    """Whatever lies on the sheets: each spread's two pages are read where it was read."""
    pages: list[PageState] = []
    spreads: list[int] = []
    for rank, (kind, is_leaf) in enumerate(drawn, 1):
        sides = [(FRONT,), (BACK,), (FRONT, BACK), (FRONT, BACK)][kind]
        for side in sides:
            number = 10_000 + 100 * rank + (side is BACK)
            pages.append(page(number, rank, side, LEAF_MM if is_leaf else SPREAD_MM))
            if not is_leaf:
                spreads.append(number)
    _, sheets = split(*pages, spreads=tuple(spreads))
    expected = [
        new for state in pages for new in ((10 * state.id, 11 * state.id) if state.id in spreads else (state.id,))
    ]
    assert [number for sheet in sheets for number in sheet if number] == expected


def test_a_gutter_lies_on_each_page_as_far_from_the_middle() -> None:
    operation = SetGutter(pages=(1, 2), gutter=((200.0, 0.0), (205.0, 297.0)), drawn_on_mm=SPREAD_MM)
    wider = page(2, 2, size_mm=(430.0, 310.0))
    changes = operation.apply([page(1, 1), wider])
    assert changes[1]["gutter"] == [[200.0, 0.0], [205.0, 297.0]]
    assert changes[2]["gutter"] == [[205.0, 0.0], [210.0, 310.0]]
    again = replace(page(1, 1), stored_treatment=Treatment(gutter=((200.0, 0.0), (205.0, 297.0))))
    assert operation.apply([again]) == {}
    back = SetGutter(pages=(1,), gutter=None, drawn_on_mm=SPREAD_MM)
    assert back.apply([again]) == {1: {"gutter": None}}


@pytest.mark.parametrize("gutter", [((500.0, 0.0), (500.0, 297.0)), ((200.0, 297.0), (200.0, 0.0))])
def test_a_gutter_beside_the_page_or_upside_down_is_refused(gutter: tuple[tuple[float, float], ...]) -> None:
    with pytest.raises(OperationRefused, match="gutter_off_page"):
        SetGutter(pages=(1,), gutter=gutter, drawn_on_mm=SPREAD_MM).apply([page(1, 1)])


def test_both_halves_hold_the_whole_of_a_bent_gutter() -> None:
    """Nothing is lost between the pages: together they are as wide as the spread and the bend."""
    corners = ((0.0, 0.0), (420.0, 0.0), (420.0, 297.0), (0.0, 297.0))
    bent = ((210.0, 0.0), (214.0, 150.0), (210.0, 297.0))
    left, right = (half_of(corners, bent, side) for side in (False, True))
    assert left is not None
    assert right is not None
    assert np.ptp(np.array(left)[:, 0]) == pytest.approx(214)
    assert np.ptp(np.array(right)[:, 0]) == pytest.approx(210)
    assert half_of(corners, ((-5.0, 0.0), (-5.0, 297.0)), right=False) is None


@given(st.floats(-0.2, 0.2), st.floats(60, 360), st.floats(0.2, 1.0))
def test_halves_of_any_quadrilateral_are_quadrilaterals_inside_of_it(
    slant: float, middle: float, squeezed: float
) -> None:
    corners = ((0.0, 0.0), (420.0, 10.0), (420.0, 10 + 287 * squeezed), (0.0, 297.0))
    gutter = ((middle - 150 * slant, 0.0), (middle + 150 * slant, 297.0))
    for right in (False, True):
        half = half_of(corners, gutter, right)
        assert half is not None
        assert np.abs(np.array(half)).max() <= MAX_PAGE_MM
        assert np.array(half).min() >= -1e-6
        assert np.array(half).max() <= 420 + 1e-6
