"""What is printed is moved to the same place on all pages, also where the pages lie and are turned differently."""

from dataclasses import replace
from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.operations import AlignMargins, Changes, MoveText, PageState
from papiermappe.core.order.places import Side
from papiermappe.core.treatment import Cropping, Straightening, Treatment, page_box

SCAN_MM = (160.0, 222.0)
A5 = ((5.0, 6.0), (153.0, 6.0), (153.0, 216.0), (5.0, 216.0))


def page(
    number: int,
    block: tuple[float, float, float, float] | None,
    side: Side = Side.FRONT,
    *,
    quarter_turns: int = 0,
    skew_deg: float = 0.0,
    margins: tuple[float, float] = (0.0, 0.0),
) -> PageState:
    """Return an A5 page whose print lies in a block: left, top, right, bottom in mm on the page as it is seen."""
    treatment = Treatment(
        crop=Cropping(corners=A5), quarter_turns=quarter_turns, straighten=Straightening(skew_deg=skew_deg)
    )
    area = None
    if block is not None:
        left, top, right, bottom = block
        corners = page_box(*SCAN_MM, treatment).on_sheet(
            [(left, top), (right, top), (right, bottom), (left, bottom)], quarter_turns
        )
        first, second, third, fourth = ((float(x), float(y)) for x, y in corners)
        area = first, second, third, fourth
    stored = treatment.model_copy(update={"margins": margins})
    return PageState(number, 1, Decimal(number), side, False, stored, 7, scan_mm=SCAN_MM, printed_area=area)


def after(state: PageState, changes: Changes) -> np.ndarray:
    """Return where the print of a page lies then: left, top, right, bottom on the page as it is seen."""
    fields = changes.get(state.id, {})
    treatment = state.treatment.model_copy(update={"margins": tuple(fields.get("margins", state.treatment.margins))})
    assert state.printed_area is not None
    corners = page_box(*SCAN_MM, treatment).on_page(state.printed_area, treatment.quarter_turns)
    return np.concatenate([corners.min(axis=0), corners.max(axis=0)]).round(2)


def test_print_begins_where_it_does_on_most_pages() -> None:
    pages = [page(1, (20, 18, 130, 190)), page(2, (22, 18, 132, 120)), page(3, (20, 19.5, 130, 191)), page(4, None)]
    changes = AlignMargins(pages=(1, 2, 3, 4)).apply(pages)
    assert set(changes) == {2, 3}
    assert [after(state, changes)[:2].tolist() for state in pages[:3]] == [[20, 18]] * 3


def test_again_it_changes_nothing_and_other_margins_begin_from_the_page_as_found() -> None:
    pages = [page(1, (20, 18, 130, 190)), page(2, (22, 18, 132, 120))]
    changes = AlignMargins(pages=(1, 2), across_mm=15, top_mm=25).apply(pages)
    moved = [replace(state, stored_treatment={**state.treatment.model_dump(), **changes[state.id]}) for state in pages]
    assert AlignMargins(pages=(1, 2), across_mm=15, top_mm=25).apply(moved) == {}
    other = AlignMargins(pages=(1, 2), across_mm=18, top_mm=20).apply(moved)
    assert [after(state, other)[:2].tolist() for state in moved] == [[18, 20]] * 2


def test_the_margin_at_the_fold_is_left_on_fronts_and_right_on_backs() -> None:
    """Page width 148: print 110 mm wide that begins 20 mm from the fold ends at 128 on a back."""
    pages = [
        page(1, (20, 18, 130, 190)), page(2, (15, 18, 125, 190), Side.BACK),
        page(3, (21, 18, 131, 190)), page(4, (18.4, 18, 128.4, 100), Side.BACK),
    ]  # fmt: skip
    changes = AlignMargins(pages=(1, 2, 3, 4), across="inner", across_mm=20).apply(pages)
    assert [after(state, changes)[0] for state in pages] == [20, 18, 20, 18]


def test_print_in_the_middle_of_each_page() -> None:
    pages = [page(1, (20, 18, 130, 190)), page(2, (20, 18, 90, 190))]
    changes = AlignMargins(pages=(1, 2), across="centred").apply(pages)
    assert [after(state, changes)[[0, 2]].tolist() for state in pages] == [[19, 129], [39, 109]]


def test_the_first_page_of_a_chapter_keeps_its_distance_from_the_foot() -> None:
    """It begins 40 mm lower on purpose; its last line stands where the others' do."""
    pages = [page(1, (20, 18, 130, 190)), page(2, (20, 18, 130, 190)), page(3, (20, 60, 130, 193))]
    changes = AlignMargins(pages=(1, 2, 3)).apply(pages)
    assert after(pages[2], changes).tolist() == [20, 57, 130, 190]
    short = page(4, (20, 60, 130, 110))
    assert 4 not in AlignMargins(pages=(1, 2, 4)).apply([*pages[:2], short])


@pytest.mark.parametrize("quarter_turns", [0, 1, 2, 3])
def test_pages_that_lie_turned_and_slanting_are_lined_up_as_they_are_seen(quarter_turns: int) -> None:
    size = (148, 210) if quarter_turns % 2 == 0 else (210, 148)
    pages = [
        page(1, (20, 18, size[0] - 20, size[1] - 20), quarter_turns=quarter_turns, skew_deg=1.5),
        page(2, (24, 15, size[0] - 16, size[1] - 23), quarter_turns=quarter_turns, skew_deg=1.5),
    ]
    changes = AlignMargins(pages=(1, 2), across_mm=22, top_mm=17).apply(pages)
    assert [after(state, changes)[:2].tolist() for state in pages] == [[22, 17]] * 2


@given(st.floats(-30, 30), st.floats(-30, 30))
def test_print_is_moved_by_hand_and_back(x_mm: float, y_mm: float) -> None:
    state = page(1, (20, 18, 130, 190), margins=(1.0, -2.0))
    there = MoveText(pages=(1,), x_mm=round(x_mm, 1), y_mm=round(y_mm, 1)).apply([state])
    moved = replace(state, stored_treatment={**state.treatment.model_dump(), **there.get(1, {})})
    back = MoveText(pages=(1,), x_mm=-round(x_mm, 1), y_mm=-round(y_mm, 1)).apply([moved])
    assert after(moved, back).tolist() == after(state, {}).tolist()
