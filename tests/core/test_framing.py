"""Straightening and cropping by hand: what becomes of the corners on the scan, and of the page."""

from dataclasses import replace
from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from papiermappe.core.operations import Changes, MoveSides, PageState, SetPageSize, SetSkew, UseFound
from papiermappe.core.order.places import Side
from papiermappe.core.page_box import PageBox
from papiermappe.core.treatment import Cropping, Origin, Straightening, Treatment, page_box

SCAN_MM = (216.0, 303.0)
A4 = ((3.0, 3.0), (213.0, 3.0), (213.0, 300.0), (3.0, 300.0))
CROPPED = Treatment(crop=Cropping(corners=A4))
SKEWED = Treatment(
    crop=Cropping(corners=PageBox(108.0, 151.5, 210.0, 297.0, 2.0).corners), straighten=Straightening(skew_deg=2.0)
)


def page(treatment: Treatment = CROPPED, found: Treatment | None = None) -> PageState:
    """Return a page with a scan of 216 by 303 mm."""
    kept = found.model_dump(mode="json") if found else None
    return PageState(
        1, 1, Decimal(1), Side.FRONT, False, treatment.model_dump(mode="json"), 7, scan_mm=SCAN_MM, stored_found=kept
    )


def after(state: PageState, changes: Changes) -> PageState:
    """Return the page with its fields changed."""
    return replace(state, stored_treatment={**state.treatment.model_dump(mode="json"), **changes.get(1, {})})


def box_of(state: PageState) -> PageBox:
    """Return where the page lies on its scan."""
    return page_box(*SCAN_MM, state.treatment)


def test_a_side_moves_and_the_others_stay() -> None:
    now = after(page(), MoveSides(pages=(1,), left_mm=-5.0).apply([page()]))
    crop = now.treatment.crop
    assert crop is not None
    assert (crop.origin, crop.on) == (Origin.BY_HAND, True)
    # the left side goes from 3 mm to 8 mm, the others stay where they were
    assert np.allclose(crop.corners, ((8, 3), (213, 3), (213, 300), (8, 300)))


@pytest.mark.parametrize(
    ("quarter_turns", "corners"),
    [
        (0, ((13, 3), (213, 3), (213, 300), (13, 300))),
        (1, ((3, 13), (213, 13), (213, 300), (3, 300))),  # what is left as seen was the top before the turn
        (2, ((3, 3), (203, 3), (203, 300), (3, 300))),
        (3, ((3, 3), (213, 3), (213, 290), (3, 290))),
    ],
)
def test_sides_are_those_that_are_seen(quarter_turns: int, corners: tuple[tuple[float, float], ...]) -> None:
    turned = page(CROPPED.model_copy(update={"quarter_turns": quarter_turns}))
    crop = after(turned, MoveSides(pages=(1,), left_mm=-10.0).apply([turned])).treatment.crop
    assert crop is not None
    assert np.allclose(crop.corners, corners)


def test_an_uncropped_page_is_cropped_from_the_whole_scan() -> None:
    bare = page(Treatment())
    box = box_of(after(bare, MoveSides(pages=(1,), top_mm=-3.0).apply([bare])))
    assert (box.width_mm, box.height_mm) == pytest.approx((216.0, 300.0))
    assert box.centre_y_mm == pytest.approx(153.0)


def test_a_size_set_by_hand_is_not_taken_for_a_paper_size() -> None:
    narrower = after(page(), MoveSides(pages=(1,), left_mm=-1.0).apply([page()]))
    assert box_of(narrower).width_mm == pytest.approx(209.0)  # within 1.5 mm of A4, and yet what was asked for
    assert narrower.treatment.picture_key("a") != narrower.treatment.model_copy(
        update={"crop": Cropping(corners=narrower.treatment.crop.corners)}  # type: ignore[union-attr]  # it is cropped
    ).picture_key("a")


def test_a_crop_to_nothing_changes_nothing() -> None:
    assert MoveSides(pages=(1,), left_mm=-150.0, right_mm=-60.0).apply([page()]) == {}
    assert MoveSides(pages=(1,)).apply([page()]) == {}
    with pytest.raises(ValidationError):
        MoveSides(pages=(1,), left_mm=float("nan"))
    with pytest.raises(ValidationError):
        SetPageSize(pages=(1,), width_mm=0.0, height_mm=100.0)
    with pytest.raises(ValidationError):
        SetSkew(pages=(1,), skew_deg=46.0)


@given(st.lists(st.tuples(*[st.floats(-20, 20)] * 4), max_size=6), st.integers(0, 3), st.floats(-10, 10))
def test_sides_that_move_out_and_back_again_leave_the_page_where_it_was(
    moves: list[tuple[float, float, float, float]], quarter_turns: int, skew_deg: float
) -> None:
    start = page(
        Treatment(
            quarter_turns=quarter_turns,
            straighten=Straightening(skew_deg=skew_deg),
            crop=Cropping(corners=PageBox(100, 150, 180, 260, skew_deg).corners, origin=Origin.BY_HAND),
        )
    )
    there = start
    names = ("left_mm", "top_mm", "right_mm", "bottom_mm")
    for move in moves:
        there = after(there, MoveSides(pages=(1,), **dict(zip(names, move, strict=True))).apply([there]))
    for move in reversed(moves):
        back = {name: -by for name, by in zip(names, move, strict=True)}
        there = after(there, MoveSides(pages=(1,), **back).apply([there]))
    assert np.allclose(box_of(there), box_of(start), atol=1e-6)


def test_a_skew_set_by_hand_turns_the_crop_about_its_middle() -> None:
    before = box_of(page(SKEWED))
    now = after(page(SKEWED), SetSkew(pages=(1,), skew_deg=-1.5).apply([page(SKEWED)]))
    assert now.treatment.straighten == Straightening(skew_deg=-1.5, origin=Origin.BY_HAND)
    assert np.allclose(box_of(now)[:4], before[:4])
    assert SetSkew(pages=(1,), skew_deg=-1.5).apply([now]) == {}


def test_all_pages_get_a_size_as_they_are_seen() -> None:
    lying = page(CROPPED.model_copy(update={"quarter_turns": 1}))
    box = box_of(after(lying, SetPageSize(pages=(1,), width_mm=200, height_mm=150).apply([lying])))
    assert (box.width_mm, box.height_mm) == (150, 200)  # before its quarter turn
    assert (box.centre_x_mm, box.centre_y_mm) == pytest.approx((108.0, 151.5))
    assert SetPageSize(pages=(1,), width_mm=210, height_mm=297).apply([page()]) == {}


def test_what_was_found_comes_back() -> None:
    found = SKEWED.model_copy(update={"quarter_turns": 2})
    by_hand = page(CROPPED.model_copy(update={"turn_origin": Origin.BY_HAND}), found)
    assert UseFound(pages=(1,), step="turn").apply([by_hand])[1] == {"quarter_turns": 2, "turn_origin": "found"}
    straight = after(by_hand, UseFound(pages=(1,), step="straighten").apply([by_hand]))
    assert straight.treatment.straighten == found.straighten
    cropped = after(straight, UseFound(pages=(1,), step="crop").apply([straight]))
    assert cropped.treatment.crop == found.crop
    assert UseFound(pages=(1,), step="crop").apply([cropped]) == {}
    assert UseFound(pages=(1,), step="crop").apply([page()]) == {}  # not examined yet: nothing is known
