"""Sheets on tables, drawn with known corners: found where they are, and sure only where one stands out."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from papiermappe.core.analysis import analyse
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.photo import find_corners, look_for_sheet, place_corners, rectified_size_px, rectify
from papiermappe.core.photo_sheet import SURE
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.treatment import render

SIZE = (750, 1000)  # height, width
QUAD = np.array([(250, 90), (690, 130), (740, 640), (180, 600)], np.float64)


def laid(table: Pixels, corners: NDArray[np.float64] = QUAD, paper: int = 235, rows: int = 18) -> Pixels:
    """Return a table with a sheet on it that has some lines of print."""
    return lay(table, sheet_with(rows, paper), corners)


def sheet_with(rows: int, paper: int = 235) -> Pixels:
    """Return a sheet that has some lines of print, seen from above."""
    sheet = np.full((594, 420, 3), paper, np.uint8)
    for row in range(rows):
        for word in range(6):
            left = 50 + 54 * word
            sheet[60 + 26 * row : 70 + 26 * row, left : left + 40] = 60
    return sheet


def lay(table: Pixels, sheet: Pixels, corners: NDArray[np.float64] = QUAD) -> Pixels:
    """Return a table with a sheet on it."""
    own = np.array([(-0.5, -0.5), (419.5, -0.5), (419.5, 593.5), (-0.5, 593.5)], np.float32)
    carry = cv2.getPerspectiveTransform(own, corners.astype(np.float32))
    seen = cv2.warpPerspective(sheet, carry, SIZE[::-1], flags=cv2.INTER_AREA)
    cover = cv2.warpPerspective(np.full(sheet.shape, 255, np.uint8), carry, SIZE[::-1]) / 255
    scene = table * (1 - cover) + seen * cover
    noise = np.random.default_rng(5).normal(0, 2, scene.shape)
    return np.asarray(np.clip(scene + noise, 0, 255), np.uint8)


def plain(level: int) -> Pixels:
    """Return a table of one colour."""
    return np.full((*SIZE, 3), level, np.uint8)


def striped() -> Pixels:
    """Return a table with dark and light stripes."""
    rows, cols = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    return np.where(((rows + cols) // 45 % 2 == 0)[..., None], (60, 90, 130), (190, 150, 90)).astype(np.uint8)


def busy(square_px: int = 90) -> Pixels:
    """Return a table of squares in many colours; large ones have sides that a sheet cannot be told from."""
    count = [side // square_px + 1 for side in SIZE]
    colours = np.random.default_rng(2).integers(20, 235, (*count, 3)).astype(np.uint8)
    return np.repeat(np.repeat(colours, square_px, axis=0), square_px, axis=1)[: SIZE[0], : SIZE[1]]


def apart_px(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Return how far the corner that is farthest off lies from where it should be."""
    return float(np.linalg.norm(one - other, axis=1).max())


@pytest.mark.parametrize(
    "table",
    [plain(60), plain(218), striped(), busy(30)],
    ids=["dark", "nearly as light", "striped", "squares of many colours"],
)
def test_a_sheet_is_found_to_the_pixel_on_tables_of_all_kinds(table: Pixels) -> None:
    found = find_corners(laid(table))
    assert found.confidence >= SURE
    assert apart_px(found.corners_px, QUAD) < 2.5


def test_where_it_was_seen_before_helps_where_it_is_not_sure() -> None:
    photo = CapturedPicture(encode_png(laid(busy(), rows=0)), 300, by_camera=True)
    assert look_for_sheet(photo).found.confidence < SURE
    shares = QUAD / np.array(SIZE[::-1]) + 0.004  # about there
    near = tuple((float(x), float(y)) for x, y in shares)
    seen = look_for_sheet(photo, near)  # type: ignore[arg-type]  # four of them
    assert seen.found.confidence >= SURE
    assert apart_px(seen.found.corners_px, QUAD) < 4
    elsewhere = tuple((x / 2, y / 2) for x, y in near)
    assert look_for_sheet(photo, elsewhere).found.confidence < SURE  # type: ignore[arg-type]  # four of them


def test_the_upper_one_of_two_sheets_is_found() -> None:
    below = laid(plain(70), QUAD + np.array((60, 40)))
    found = find_corners(laid(below))
    assert apart_px(found.corners_px, QUAD) < 4


def test_a_corner_outside_of_the_photo_is_where_the_sides_meet() -> None:
    beyond = QUAD + np.array((-230, 0))
    assert beyond.min() < 0
    found = find_corners(laid(plain(60), beyond))
    assert apart_px(found.corners_px, beyond) < 8


@pytest.mark.parametrize("beyond_px", [250, 400])
def test_a_line_of_print_is_not_surely_the_side_that_is_outside_of_the_photo(beyond_px: int) -> None:
    sheet = sheet_with(0)
    sheet[300:304] = 70  # from the one side to the other
    reaches_out = QUAD - np.array([(0, beyond_px), (0, beyond_px), (0, 0), (0, 0)])
    assert find_corners(lay(plain(60), sheet, reaches_out)).confidence < SURE


def test_sides_that_bow_do_not_move_the_corners() -> None:
    straight = laid(plain(60), np.array([(200, 120), (800, 120), (800, 640), (200, 640)], np.float64))
    rows, cols = np.mgrid[0 : SIZE[0], 0 : SIZE[1]].astype(np.float32)
    bow = 14 * np.sin(np.pi * np.clip((cols - 200) / 600, 0, 1))  # the corners stay
    bowed = cv2.remap(straight, cols, rows + bow.astype(np.float32), cv2.INTER_LINEAR)
    found = find_corners(np.asarray(bowed, np.uint8))
    assert apart_px(found.corners_px, np.array([(200, 120), (800, 120), (800, 640), (200, 640)], np.float64)) < 4


@pytest.mark.parametrize("table", [plain(120), striped()], ids=["plain", "striped"])
def test_where_no_sheet_lies_nothing_is_sure(table: Pixels) -> None:
    assert find_corners(table).confidence < SURE


def test_two_sheets_alike_beside_each_other_are_not_sure() -> None:
    left = np.array([(60, 150), (420, 150), (420, 640), (60, 640)], np.float64)
    both = laid(laid(plain(60), left), left + np.array((500, 0)))
    assert find_corners(both).confidence < SURE


@settings(max_examples=8, deadline=None)
@given(moved=st.lists(st.tuples(st.integers(-60, 60), st.integers(-40, 40)), min_size=4, max_size=4))
def test_a_sheet_is_found_however_it_lies(moved: list[tuple[int, int]]) -> None:
    corners = QUAD + np.array(moved)
    found = find_corners(laid(plain(50), corners))
    assert apart_px(found.corners_px, corners) < 4


def test_a_sheet_seen_slanting_gets_the_proportions_of_its_paper() -> None:
    """A4 through a pinhole: 297 / 210, though its sides are seen as long as they happen to be."""
    focal = 900.0
    turn = cv2.Rodrigues(np.array([0.5, 0.25, 0.1]))[0]
    points = np.array([(-105, -148.5, 0), (105, -148.5, 0), (105, 148.5, 0), (-105, 148.5, 0)]) @ turn.T + (0, 0, 500)
    corners = points[:, :2] / points[:, 2:] * focal + ((SIZE[1] - 1) / 2, (SIZE[0] - 1) / 2)
    height, width = rectified_size_px(corners, SIZE[1], SIZE[0])
    assert height / width == pytest.approx(297 / 210, rel=0.003)


def test_proportions_that_no_camera_sees_are_not_believed() -> None:
    """Sides that are almost parallel tell next to nothing of the focal length, and so of the proportions."""
    corners = np.array([(157.5, 138.1), (767.7, 197.2), (866.1, 688.9), (98.4, 649.6)])
    height, width = rectified_size_px(corners, 1000, 800)
    across, down = 774.0, 515.0  # as they are seen
    assert 1 / 2.2 < (width / height) / (across / down) < 2.2


def test_the_resolution_of_a_photo_makes_its_sheet_a4() -> None:
    corners = np.array([(300, 75), (720, 75), (720, 669), (300, 669)], np.float64)  # 420 x 594 px: A4 at 50.8 dpi
    photo = CapturedPicture(encode_png(laid(plain(60), corners)), 300)
    assert look_for_sheet(photo).dpi == pytest.approx(50.8, rel=0.01)
    assert look_for_sheet(CapturedPicture(encode_png(plain(60)), 300)).dpi is None


def test_made_flat_print_is_where_it_was() -> None:
    flat = rectify(laid(plain(60)), QUAD)
    height, width = flat.shape[:2]
    grey = flat.mean(axis=2)
    at = grey[round(height * (65 / 594)), round(width * 0.13) : round(width * 0.2)]
    assert at.mean() < 110  # the first word of the first line
    assert grey[round(height * 0.05), round(width * 0.5)] > 220  # and the margin above it


def test_a_photo_becomes_a_page_without_the_table() -> None:
    """Also where the print is not quite straight on the sheet, so that the page reaches beyond it."""
    upright = np.array([(250, 40), (714, 40), (714, 696), (250, 696)], np.float64)
    photo = laid(plain(60), upright)
    leaning = cv2.warpAffine(photo[60:680, 270:690], cv2.getRotationMatrix2D((210, 310), 1.2, 1), (420, 620),
                             borderValue=(235, 235, 235))  # fmt: skip
    photo[60:680, 270:690] = leaning
    capture = CapturedPicture(encode_png(photo), 56.1, by_camera=True)
    analysis = analyse(capture)
    assert analysis.photo_sheet is not None
    assert analysis.photo_sheet.is_sure
    page = render(capture, analysis.treatment).mean(axis=2)
    rims = np.concatenate([page[0], page[-1], page[:, 0], page[:, -1]])
    assert rims.min() > 215  # the paper is 235, the table 60


def test_a_photo_whose_sheet_is_not_sure_stays_as_it_came() -> None:
    left = np.array([(60, 150), (420, 165), (410, 640), (50, 625)], np.float64)
    both = laid(laid(plain(60), left), left + np.array((500, 0)))
    capture = CapturedPicture(encode_png(both), 90.0, by_camera=True)
    analysis = analyse(capture)
    assert analysis.photo_sheet is not None
    assert not analysis.photo_sheet.is_sure
    assert analysis.treatment.corners is None
    assert np.array_equal(render(capture, analysis.treatment), both)


def test_corners_that_are_about_known_keep_their_order() -> None:
    """What a person calls the top left of a sheet stays so, however it lies."""
    photo = laid(plain(60))
    for turns in range(4):
        about = np.roll(QUAD, turns, axis=0) + 5.0
        placed = place_corners(photo, about)
        assert np.abs(placed.corners_px - np.roll(QUAD, turns, axis=0)).max() < 2.5
        first = placed.sides_px[0]
        assert first is not None
        middle = (placed.corners_px[0] + placed.corners_px[1]) / 2
        assert np.abs(first[1] - middle).max() < 6
