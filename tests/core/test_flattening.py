"""A sheet made flat by its four corners: what is seen of it, where zones stay, what is refused."""

from dataclasses import replace
from decimal import Decimal

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.geometry import Quad, mm_to_px
from papiermappe.core.operations import Changes, MakeFlat, OperationRefused, PageState, UseFound
from papiermappe.core.order.places import Side
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.treatment import CaptureSize, Cropping, Part, Straightening, Treatment, render
from papiermappe.core.zones import SheetZone, ZoneKind

DPI = 100.0
SIZE = CaptureSize(1000, 800, DPI)  # 254 by 203.2 mm
SLANTED: Quad = ((40.0, 30.0), (200.0, 45.0), (225.0, 180.0), (20.0, 170.0))
WHOLE: Quad = ((0.0, 0.0), (254.0, 0.0), (254.0, 203.2), (0.0, 203.2))


def page(treatment: Treatment | None = None, found: Treatment | None = None) -> PageState:
    """Return a page of a photo."""
    kept = found.model_dump(mode="json") if found else None
    stored = (treatment or Treatment()).model_dump(mode="json")
    return PageState(1, 1, Decimal(1), Side.FRONT, False, stored, 7, stored_found=kept, capture_size=SIZE)


def after(state: PageState, changes: Changes) -> PageState:
    """Return the page with its fields changed."""
    return replace(state, stored_treatment={**state.treatment.model_dump(mode="json"), **changes.get(1, {})})


def flat(state: PageState, corners: Quad | None) -> PageState:
    """Return the page after it was made flat."""
    return after(state, MakeFlat(pages=(1,), corners=corners).apply([state]))


def at(place_mm: tuple[float, float]) -> tuple[int, int]:
    """Return the pixel of a photo that lies at a place."""
    return round(mm_to_px(place_mm[0], DPI) - 0.5), round(mm_to_px(place_mm[1], DPI) - 0.5)


def photo(*marks_mm: tuple[float, float]) -> CapturedPicture:
    """Return a photo: a grey table, a white sheet with the slanted corners, black spots 6 mm wide on it."""
    picture = np.full((SIZE.height_px, SIZE.width_px), 120, np.uint8)
    outline = np.array([at(corner) for corner in SLANTED], np.int32)
    cv2.fillPoly(picture, [outline], 255)
    for mark in marks_mm:
        cv2.circle(picture, at(mark), round(mm_to_px(3.0, DPI)), 0, -1)
    return CapturedPicture(cv2.imencode(".png", picture)[1].tobytes(), DPI)


def dark_share(picture: Pixels) -> float:
    """Return how much of a picture is dark."""
    return float((picture < 60).mean())


def test_the_sheet_fills_the_page_and_the_table_is_gone() -> None:
    made = render(photo(), flat(page(), SLANTED).treatment)
    inner = made[5:-5, 5:-5]
    assert (inner > 240).all()
    before = render(photo(), Treatment())
    assert (before == 120).mean() > 0.2


def test_a_zone_stays_where_it_is_on_the_sheet() -> None:
    spot = (120.0, 100.0)
    over = SheetZone(name="spot", kind=ZoneKind.WIPE, corners=((115, 95), (125, 95), (125, 105), (115, 105)))
    wiped = page(Treatment(zones=(over,)))
    assert dark_share(render(photo(spot), wiped.treatment)) == 0
    assert dark_share(render(photo(spot), flat(page(), SLANTED).treatment)) > 0.0005  # the spot is on the flat page
    assert dark_share(render(photo(spot), flat(wiped, SLANTED).treatment)) == 0


@given(st.lists(st.tuples(st.floats(-15, 15), st.floats(-15, 15)), min_size=4, max_size=4))
def test_there_and_back_zones_are_where_they_were(moves: list[tuple[float, float]]) -> None:
    corners = tuple((x + dx, y + dy) for (x, y), (dx, dy) in zip(SLANTED, moves, strict=True))
    start = page(
        Treatment(
            zones=(SheetZone(name="one", kind=ZoneKind.BLACKOUT, corners=((60, 60), (90, 60), (90, 80), (60, 80))),)
        )
    )
    there = flat(start, corners)  # type: ignore[arg-type]  # four of them
    back = flat(flat(there, SLANTED), None)
    (before,), (now,) = start.treatment.zones, back.treatment.zones
    assert np.allclose(now.corners, before.corners, atol=0.02)  # mm; each of three steps rounds to 0.001
    assert (now.name, now.kind) == (before.name, before.kind)


def test_what_was_measured_on_the_scan_begins_anew_and_comes_back() -> None:
    found = Treatment(
        straighten=Straightening(skew_deg=1.0), crop=Cropping(corners=((5, 5), (200, 5), (200, 190), (5, 190)))
    )
    there = flat(page(found.model_copy(update={"quarter_turns": 1, "margins": (2.0, 3.0)}), found), SLANTED)
    now = there.treatment
    assert (now.corners, now.crop, now.margins, now.quarter_turns) == (SLANTED, None, (0.0, 0.0), 1)
    assert now.straighten is None  # it is found anew, on the sheet made flat
    assert now.waits_to_be_examined
    assert UseFound(pages=(1,), step="crop").apply([there]) == {}  # that was of the scan
    back = flat(there, None).treatment
    assert (back.corners, back.crop, back.straighten) == (None, found.crop, found.straighten)


def test_a_photo_goes_back_to_the_sheet_that_was_found_on_it() -> None:
    found = Treatment(corners=SLANTED, straighten=Straightening(skew_deg=0.2), crop=Cropping(corners=SLANTED))
    other = tuple((x + 4, y - 3) for x, y in SLANTED)
    for start in (flat(page(found, found), other), flat(page(found, found), None)):  # type: ignore[arg-type]  # four
        back = UseFound(pages=(1,), step="crop").apply([start])[1]
        now = Treatment.model_validate(start.treatment.model_dump(mode="json") | dict(back))
        assert (now.corners, now.crop, now.straighten) == (SLANTED, found.crop, found.straighten)
    assert UseFound(pages=(1,), step="crop").apply([page(found, found)]) == {}
    assert UseFound(pages=(1,), step="straighten").apply([flat(page(found, found), None)]) == {}  # on another plane


def test_the_same_corners_change_nothing_and_pages_of_a_spread_stay() -> None:
    assert MakeFlat(pages=(1,), corners=None).apply([page()]) == {}
    there = flat(page(), SLANTED)
    assert MakeFlat(pages=(1,), corners=SLANTED).apply([there]) == {}
    half = page(Treatment(part=Part(gutter=((120.0, 0.0), (120.0, 203.0)), right=False)))
    assert MakeFlat(pages=(1,), corners=SLANTED).apply([half]) == {}


def test_messages_tell_which() -> None:
    assert MakeFlat(pages=(1,), corners=SLANTED).message(2).code == "make_flat"
    assert MakeFlat(pages=(1,), corners=None).message(2).code == "make_flat_off"


@pytest.mark.parametrize(
    ("corners", "code"),
    [
        ((SLANTED[1], SLANTED[0], SLANTED[2], SLANTED[3]), "corners_crossed"),
        (SLANTED[::-1], "corners_crossed"),  # the sheet's other face
        (((40, 30), (200, 30), (60, 50), (40, 180)), "corners_crossed"),  # a dent
        (((40, 30), (44, 30), (44, 180), (40, 180)), "corners_too_near"),
        (((-140, 30), (200, 30), (200, 180), (-140, 180)), "corners_beyond"),
        (((40, 30), (200, 30), (400, 180), (20, 180)), "corners_beyond"),
        (((-123, -83), (342, -31), (304, 158), (-77, 293)), "corners_too_slanted"),  # 726 by 379 mm, of 254 by 203
    ],
)
def test_corners_that_no_sheet_has_are_refused(corners: Quad, code: str) -> None:
    with pytest.raises(OperationRefused) as refused:
        MakeFlat(pages=(1,), corners=corners).apply([page()])
    assert refused.value.message.code == code
    assert flat(page(), WHOLE).treatment.corners == WHOLE  # the whole scan is none of these
