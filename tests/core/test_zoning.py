"""Zones drawn on pages: where they come to lie on the sheets, and that they stay there."""

from dataclasses import replace
from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from papiermappe.core.operations import Changes, DrawnZone, OperationRefused, PageState, PutZones, RemoveZones
from papiermappe.core.order.places import Side
from papiermappe.core.page_box import PageBox
from papiermappe.core.treatment import MAX_ZONES, Cropping, Straightening, Treatment, cleared_areas, page_box
from papiermappe.core.zones import SheetZone, Zone, ZoneKind

SCAN_MM = (216.0, 303.0)
A4 = Treatment(crop=Cropping(corners=((3.0, 3.0), (213.0, 3.0), (213.0, 300.0), (3.0, 300.0))))
HOLE = Zone(x_mm=8, y_mm=100, width_mm=9, height_mm=9)


def page(treatment: Treatment = A4, number: int = 1) -> PageState:
    """Return a page with a scan of 216 by 303 mm."""
    stored = treatment.model_dump(mode="json")
    return PageState(number, 1, Decimal(number), Side.FRONT, False, stored, 7, scan_mm=SCAN_MM)


def after(state: PageState, changes: Changes) -> PageState:
    """Return the page with its fields changed."""
    return replace(state, stored_treatment={**state.treatment.model_dump(mode="json"), **changes.get(state.id, {})})


def put(
    zone: Zone = HOLE, *, name: str = "hole", does: ZoneKind = ZoneKind.WIPE, pages: tuple[int, ...] = (1,)
) -> PutZones:
    """Return a zone drawn on an A4 page."""
    return PutZones(pages=pages, zones=(DrawnZone(name=name, does=does, zone=zone),), drawn_on_mm=(210.0, 297.0))


def on_page(state: PageState) -> list[list[float]]:
    """Return the boxes round the zones that are wiped, as the page shows them: left, top, right, bottom in mm."""
    areas = cleared_areas(state.treatment, page_box(*SCAN_MM, state.treatment))
    return [[*area.min(axis=0).round(3), *area.max(axis=0).round(3)] for area in areas.wiped]


def test_a_zone_lies_on_the_sheet_where_it_was_drawn_on_the_page() -> None:
    now = after(page(), put().apply([page()]))
    (zone,) = now.treatment.zones
    # the page begins 3 mm right of and below the corner of the scan
    assert np.allclose(zone.corners, ((11, 103), (20, 103), (20, 112), (11, 112)))
    assert on_page(now) == [[8, 100, 17, 109]]


def test_pages_that_a_zone_spares_stay_as_they_are() -> None:
    (drawn,) = put().zones
    operation = put(pages=(1, 2)).model_copy(update={"zones": (drawn.model_copy(update={"spares": (2,)}),)})
    assert operation.apply([page(), page(number=2)]).keys() == {1}


def test_it_stays_on_the_sheet_when_the_page_is_turned_and_framed_anew() -> None:
    now = after(page(), put().apply([page()]))
    narrower = Cropping(corners=((8.0, 3.0), (213.0, 3.0), (213.0, 300.0), (8.0, 300.0)))
    framed = replace(
        now, stored_treatment={**now.treatment.model_dump(mode="json"), "crop": narrower.model_dump(mode="json")}
    )
    assert on_page(framed) == [[3, 100, 12, 109]]
    turned = replace(now, stored_treatment={**now.treatment.model_dump(mode="json"), "quarter_turns": 1})
    # counter-clockwise: what was 17 mm from the left is 17 mm above the foot of a page 210 mm high
    assert on_page(turned) == [[100, 193, 109, 202]]


@pytest.mark.parametrize(
    ("zone", "placed"),
    [
        (Zone(x_mm=8, y_mm=10, width_mm=9, height_mm=9), [8, 10, 17, 19]),  # near the top left
        (Zone(x_mm=195, y_mm=280, width_mm=9, height_mm=9), [185, 260, 194, 269]),  # from the right and the foot
        (Zone(x_mm=100, y_mm=140, width_mm=10, height_mm=9), [95, 130, 105, 139]),  # in the middle
        (Zone(x_mm=0, y_mm=290, width_mm=210, height_mm=7), [0, 270, 200, 277]),  # all along the foot
    ],
)
def test_on_a_smaller_page_it_keeps_its_distance_from_the_nearest_edges(zone: Zone, placed: list[float]) -> None:
    small = page(Treatment(crop=Cropping(corners=((0.0, 0.0), (200.0, 0.0), (200.0, 277.0), (0.0, 277.0)))))
    assert on_page(after(small, put(zone).apply([small]))) == [placed]


def test_a_frame_is_as_much_smaller_as_the_page() -> None:
    small = page(Treatment(crop=Cropping(corners=((0.0, 0.0), (200.0, 0.0), (200.0, 277.0), (0.0, 277.0)))))
    frame = Zone(x_mm=5, y_mm=6, width_mm=200, height_mm=285)
    (zone,) = after(small, put(frame, does=ZoneKind.KEEP).apply([small])).treatment.zones
    assert zone.box().tolist() == [5, 6, 195, 271]


def test_drawn_anew_under_its_name_it_replaces_itself_and_keeps_its_place_among_the_others() -> None:
    now = page()
    for name in ("first", "second"):
        now = after(now, put(name=name).apply([now]))
    moved = after(now, put(HOLE.grown(1), name="first").apply([now]))
    assert [zone.name for zone in moved.treatment.zones] == ["first", "second"]
    assert on_page(moved) == [[7, 99, 18, 110], [8, 100, 17, 109]]
    assert put(HOLE.grown(1), name="first").apply([moved]) == {}


def test_zones_are_taken_away_by_name_or_all_at_once() -> None:
    now = page()
    for name in ("first", "second"):
        now = after(now, put(name=name).apply([now]))
    left = after(now, RemoveZones(pages=(1,), names=("first", "another")).apply([now]))
    assert [zone.name for zone in left.treatment.zones] == ["second"]
    assert after(now, RemoveZones(pages=(1,)).apply([now])).treatment.zones == ()
    assert RemoveZones(pages=(1,)).apply([page()]) == {}


def test_nothing_changes_where_a_zone_does_not_touch_the_page() -> None:
    assert put(Zone(x_mm=-30, y_mm=5, width_mm=10, height_mm=10)).apply([page()]) == {}
    slip = page(Treatment(crop=Cropping(corners=((0.0, 0.0), (6.0, 0.0), (6.0, 277.0), (0.0, 277.0)))))
    assert put(Zone(x_mm=5, y_mm=6, width_mm=200, height_mm=285), does=ZoneKind.KEEP).apply([slip]) == {}


def test_one_zone_too_many_is_refused_and_changes_no_page() -> None:
    full = [SheetZone(name=f"z{at}", kind=ZoneKind.WIPE, corners=HOLE.corners()) for at in range(MAX_ZONES)]
    crowded = page(A4.model_copy(update={"zones": tuple(full)}), number=2)
    with pytest.raises(OperationRefused):
        put(pages=(1, 2)).apply([page(), crowded])


def test_a_line_of_dust_is_wiped_where_it_lies_on_the_scans() -> None:
    line = ((100.0, 0.0), (101.0, 0.0), (101.0, 303.0), (100.0, 303.0))
    turned = page(A4.model_copy(update={"quarter_turns": 1}))
    dust = SheetZone(name="dust", kind=ZoneKind.WIPE, corners=line)
    wiped = PutZones(pages=(1,), on_scan=(dust,), drawn_on_mm=(210.0, 297.0))
    assert after(turned, wiped.apply([turned])).treatment.zones == (dust,)
    assert wiped.message(1).code == "put_zones"


def test_several_zones_are_drawn_at_once_and_none_is_refused() -> None:
    drawn = tuple(DrawnZone(name=name, does=ZoneKind.WIPE, zone=HOLE) for name in ("first", "second"))
    both = PutZones(pages=(1,), zones=drawn, drawn_on_mm=(210.0, 297.0))
    assert [zone.name for zone in after(page(), both.apply([page()])).treatment.zones] == ["first", "second"]
    with pytest.raises(ValidationError):
        PutZones(pages=(1,), drawn_on_mm=(210.0, 297.0))


@given(
    x_mm=st.floats(-20, 200),
    y_mm=st.floats(-20, 280),
    width_mm=st.floats(1, 150),
    turns=st.integers(0, 3),
    skew_deg=st.floats(-20, 20),
)
def test_a_zone_is_seen_where_it_was_drawn_under_any_frame(
    x_mm: float, y_mm: float, width_mm: float, turns: int, skew_deg: float
) -> None:
    box = PageBox(108.0, 151.5, 190.0, 270.0, skew_deg)
    treatment = Treatment(
        crop=Cropping(corners=box.corners), straighten=Straightening(skew_deg=skew_deg), quarter_turns=turns
    )
    state = page(treatment)
    size_mm = page_box(*SCAN_MM, treatment).size_mm(turns)
    zone = Zone(x_mm=x_mm, y_mm=y_mm, width_mm=width_mm, height_mm=10)
    drawn = DrawnZone(name="a", does=ZoneKind.WIPE, zone=zone)
    operation = PutZones(pages=(1,), zones=(drawn,), drawn_on_mm=size_mm)
    touches = x_mm < size_mm[0] and x_mm + width_mm > 0 and y_mm < size_mm[1] and y_mm + 10 > 0
    placed = on_page(after(state, operation.apply([state])))
    assert bool(placed) is touches
    if touches:
        assert placed[0] == pytest.approx([x_mm, y_mm, x_mm + width_mm, y_mm + 10], abs=0.01)
