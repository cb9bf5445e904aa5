"""The side of a sheet that is beyond the photo."""

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from papiermappe.core.photo import find_corners
from papiermappe.core.photo.completing import completing_lines
from papiermappe.core.photo.lines import edge_map, find_lines
from papiermappe.core.photo.tracks import tracks_of
from papiermappe.core.photo_sheet import SURE

WIDTH_PX, HEIGHT_PX = 640, 480
FOCAL_PX = 0.9 * WIDTH_PX


def seen(pitch_deg: float, turn_deg: float, off_mm: tuple[float, float]) -> NDArray[np.float64]:
    """Return where a camera sees the corners of an A4 sheet on a table, (4, 2), clockwise."""
    pitch, turn = np.radians(pitch_deg), np.radians(turn_deg)
    own = np.array([(-105, -148.5), (105, -148.5), (105, 148.5), (-105, 148.5)])
    flat = own @ np.array([(np.cos(turn), np.sin(turn)), (-np.sin(turn), np.cos(turn))]) + off_mm
    away = 430 + flat[:, 1] * np.sin(pitch)
    places = np.column_stack([flat[:, 0], flat[:, 1] * np.cos(pitch)]) * FOCAL_PX / away[:, None]
    return np.asarray(places + np.array([WIDTH_PX - 1, HEIGHT_PX - 1]) / 2)


def photo(corners: NDArray[np.float64]) -> NDArray[np.uint8]:
    """Return a pale sheet on a dark table."""
    picture = np.full((HEIGHT_PX, WIDTH_PX), 50, np.uint8)
    fixed_point = np.rint(corners * 16).astype(np.int32)
    cv2.fillConvexPoly(picture, fixed_point, 225, cv2.LINE_AA, shift=4)
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), 0.8), np.uint8)


def off_px(line: NDArray[np.float64], one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Return how far the two places are off a line, where more."""
    normal = np.array([np.cos(line[0]), np.sin(line[0])])
    middle = np.array([(WIDTH_PX - 1) / 2, (HEIGHT_PX - 1) / 2])
    return max(abs(float((place - middle) @ normal - line[1])) for place in (one, other))


@pytest.mark.parametrize(
    ("pitch_deg", "turn_deg", "off_mm"), [(0, 8, (0, -30)), (20, -6, (25, -20)), (10, 9, (0, -35))]
)
def test_a_side_beyond_the_picture_is_where_perspective_has_it(
    pitch_deg: float, turn_deg: float, off_mm: tuple[float, float]
) -> None:
    corners = seen(pitch_deg, turn_deg, off_mm)
    is_inside = ((corners > 3) & (corners < (WIDTH_PX - 4, HEIGHT_PX - 4))).all(axis=1)
    assert is_inside.sum() == 3, "the sheet is to reach out of the picture by one corner"
    picture = photo(corners)
    edges = edge_map(picture)
    completed = completing_lines(tracks_of(picture, edges, find_lines(edges)), WIDTH_PX, HEIGHT_PX)
    assert min(off_px(line, corners[0], corners[1]) for line in completed) < 8


def test_a_corner_beyond_the_photo_is_found() -> None:
    corners = seen(10, 9, (0, -35))
    assert (corners[0] < (WIDTH_PX, -40)).all()
    found = find_corners(photo(corners))
    assert np.abs(found.corners_px - corners).max() < 4
    assert found.confidence < SURE  # most of its upper side is not to be seen


def test_a_sheet_of_which_a_whole_side_is_beyond_the_photo_is_not_sure() -> None:
    corners = seen(10, 3, (0, -110))
    assert (corners[:2, 1] < 0).all()
    assert find_corners(photo(corners)).confidence < SURE
