"""Quadrilaterals that may be the sheet, compared with each other."""

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from tests.core.photo.test_corners import QUAD, SIZE, apart_px, laid, plain

from papiermappe.core.photo import find_corners
from papiermappe.core.photo.contenders import (
    FEATURES,
    Contender,
    are_pages_of,
    features,
    is_placed,
    merits,
    overlaps,
    shared_areas,
)
from papiermappe.core.photo.lines import edge_map
from papiermappe.core.photo.quads import colours_beside, edge_shares, quads_along
from papiermappe.core.photo.sides import ALONG, ALONG_SIDE, Placed
from papiermappe.core.photo.tracks import tracks_of
from papiermappe.core.photo_sheet import SURE
from papiermappe.core.picture import Pixels

WIDTH_PX, HEIGHT_PX = 1400, 1050
COLUMNS = {name: at for at, name in enumerate(FEATURES)}


def box(left: float, top: float, right: float, bottom: float) -> NDArray[np.float64]:
    """Return the corners of an upright rectangle, clockwise."""
    return np.array([(left, top), (right, top), (right, bottom), (left, bottom)], np.float64)


SHEET, PICTURE = box(200, 100, 900, 900), box(400, 300, 700, 700)


def contender(
    corners: NDArray[np.float64],
    inside: float = 230,
    outside: float = 90,
    least_share: float = 1.0,
    *,
    seen: bool = True,
    askew: float = 0.0,
) -> Contender:
    """Return a contender of one grey with another one around it.

    Args:
        corners: clockwise.
        inside: the grey level.
        outside: that around it.
        least_share: along so much its first side shows its step.
        seen: whether that side is on the picture.
        askew: how plainly an edge goes through it.
    """
    on_picture = np.ones((4, ALONG), np.bool_)
    on_picture[0] = seen
    shows = on_picture.copy()
    shows[0, round(least_share * ALONG) :] = False
    placed = Placed(corners, on_picture, shows, np.zeros((4, 3, 2)))
    return Contender(corners, 60.0, askew, np.full((4, 3), inside), np.full((4, 3), outside), placed)


def column(name: str, *contenders: Contender) -> list[float]:
    """Return what is seen of each."""
    return [float(value) for value in features(list(contenders), WIDTH_PX, HEIGHT_PX)[:, COLUMNS[name]]]


def test_what_is_darker_and_within_a_plain_one_is_a_picture_printed_on_it() -> None:
    sheet, printed = contender(SHEET, 230, 215), contender(PICTURE, 110, 229)
    assert column("darker within", sheet, printed) == [0, 1]
    assert column("lighter within", sheet, printed) == [0, 0]
    assert column("darker", sheet, printed) == [0, pytest.approx((229 - 110) / 229)]
    assert np.argmax(merits([printed, sheet], WIDTH_PX, HEIGHT_PX)) == 1


def test_a_sheet_that_lies_on_a_larger_one_is_lighter_within() -> None:
    mat, sheet = contender(SHEET, 120, 60, least_share=0.75), contender(PICTURE, 235, 121)
    assert column("lighter within", mat, sheet) == [0, 0.75]
    assert column("lighter on alike", mat, sheet) == [0, 0.75]  # what is around the one is what is in the other
    other = contender(PICTURE, 235, 190)
    assert column("lighter on alike", mat, other) == [0, 0]


def test_a_side_beyond_the_picture_speaks_neither_for_a_sheet_nor_against_it() -> None:
    (hidden,), (beyond,) = (
        column("least side lacks", contender(SHEET, least_share=0.0, seen=seen)) for seen in (True, False)
    )
    assert 0 < beyond < 0.3 < hidden


def test_an_outline_of_two_papers_holds_no_sheet() -> None:
    two_papers, sheet = contender(SHEET, 235, 60, askew=0.75), contender(PICTURE, 235, 190)
    assert column("lighter within", two_papers, sheet) == [0, 0.25]


@pytest.mark.parametrize("goes_on", [True, False])
def test_sides_that_end_with_a_sheet_are_no_sides_of_a_larger_one(goes_on: bool) -> None:
    """A strip of the table along one side; or what is printed along it, from rim to rim."""
    sheet, with_strip = contender(box(200, 100, 900, 800)), contender(SHEET)
    if not goes_on:  # the right side runs down, and the left one up: of 800 px the sheet has the upper 700
        with_strip.placed.shows[1] = ALONG_SIDE < 7 / 8
        with_strip.placed.shows[3] = ALONG_SIDE > 1 / 8
    assert column("lighter within", sheet, with_strip) == [1 if goes_on else 0, 0]
    best = int(np.argmax(merits([sheet, with_strip], WIDTH_PX, HEIGHT_PX)))
    assert best == (1 if goes_on else 0)


def test_two_that_fill_a_third_side_by_side_are_its_pages() -> None:
    left, right = contender(box(200, 100, 545, 900)), contender(box(555, 100, 900, 900))
    assert are_pages_of([contender(SHEET), left, right], contender(SHEET)).tolist() == [False, True, True]
    assert not are_pages_of([left, contender(PICTURE)], contender(SHEET)).any()  # one alone is a rival
    lower = contender(box(200, 500, 900, 900))
    assert not are_pages_of([left, lower], contender(SHEET)).any()


def test_one_with_a_single_corner_elsewhere_holds_no_other() -> None:
    larger = SHEET.copy()
    larger[1] = (1100, 20)
    assert column("lighter within", contender(larger), contender(SHEET)) == [0, 0]


def test_a_side_whose_step_is_not_seen_speaks_against_it() -> None:
    plainer = contender(SHEET)
    hidden = contender(SHEET + 150, least_share=0.5)
    assert column("least side lacks", plainer, hidden) == [0, pytest.approx(0.4)]
    assert column("next side lacks", plainer, hidden) == [0, 0]
    assert np.argmax(merits([hidden, plainer], WIDTH_PX, HEIGHT_PX)) == 1


@pytest.mark.parametrize(("tall_mm", "off"), [(297.0, 0.0), (250.0, 1.0)])
def test_proportions_of_paper_are_seen_at_an_angle(tall_mm: float, off: float) -> None:
    # A pinhole of 1100 px looks at a sheet that is turned about two axes, 700 mm away.
    about = cv2.Rodrigues(np.array([0.5, 0.35, 0.2]))[0]
    own = np.array([(-105, -tall_mm / 2, 0), (105, -tall_mm / 2, 0), (105, tall_mm / 2, 0), (-105, tall_mm / 2, 0)])
    x, y, away = (own @ about.T + (0, 0, 700)).T
    corners = np.column_stack([1100 * x / away + WIDTH_PX / 2 - 0.5, 1100 * y / away + HEIGHT_PX / 2 - 0.5])
    (seen,) = column("aspect", contender(corners))
    assert seen == pytest.approx(off, abs=0.02)  # 250 mm are 0.08 off Letter's, by logarithm, and more from A4's


def test_what_two_have_in_common_is_told_of_the_smaller_one() -> None:
    half = box(800, 100, 1000, 900)  # half of it lies on the sheet
    contenders = [contender(SHEET), contender(PICTURE), contender(half)]
    assert shared_areas(contenders, contenders[0]) == pytest.approx([1, 1, 0.5], abs=1e-3)


def test_the_same_found_twice_overlaps_itself() -> None:
    shifted = SHEET + np.array((7.0, 0))  # of 700 px: 693 are in common, 707 in one or the other
    assert overlaps([contender(SHEET), contender(shifted)], contender(SHEET)) == pytest.approx([1, 693 / 707], abs=1e-3)
    assert is_placed(SHEET + np.array((10, 0)), [contender(SHEET)], WIDTH_PX)
    assert not is_placed(SHEET + np.array((20, 0)), [contender(SHEET)], WIDTH_PX)
    assert not is_placed(SHEET, [], WIDTH_PX)


def test_quadrilaterals_that_are_known_are_looked_at_like_those_of_lines() -> None:
    photo = laid(plain(60), rows=0)
    lines, quads = quads_along([QUAD, np.roll(QUAD, -1, axis=0)], SIZE[1], SIZE[0])
    tracks = tracks_of(photo, edge_map(photo), lines)
    assert edge_shares(tracks, quads).min() > 0.95  # along all sides, from corner to corner
    inside, outside = colours_beside(tracks, quads)
    assert inside == pytest.approx(np.full((2, 4, 3), 235), abs=4)
    assert outside == pytest.approx(np.full((2, 4, 3), 60), abs=4)


def printed_on(photo: Pixels, level: int) -> Pixels:
    """Return a photo on which a dark picture is printed in the middle of the sheet."""
    middle = QUAD.mean(axis=0)
    picture = np.rint(middle + 0.55 * (QUAD - middle)).astype(np.int32)
    return np.asarray(cv2.fillConvexPoly(photo.copy(), picture, (level, level - 20, level + 30)), np.uint8)


def test_on_a_pale_table_the_sheet_is_chosen_not_the_picture_on_it() -> None:
    found = find_corners(printed_on(laid(plain(224), paper=238, rows=0), 90))
    assert apart_px(found.corners_px, QUAD) < 4


def test_a_shadow_across_the_sheet_is_not_taken_for_it() -> None:
    photo = laid(plain(150)).astype(np.float32)
    shadow = np.zeros(SIZE, np.uint8)
    cv2.fillConvexPoly(shadow, np.array([(60, 330), (520, 260), (600, 749), (120, 749)], np.int32), (1,))
    found = find_corners(np.asarray(np.where(shadow[..., None] == 1, photo * 0.55, photo), np.uint8))
    assert apart_px(found.corners_px, QUAD) < 4


def test_a_picture_alone_whose_sheet_is_not_seen_is_not_sure() -> None:
    found = find_corners(printed_on(plain(232), 90))
    assert found.confidence < SURE
