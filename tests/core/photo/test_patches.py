"""Areas that differ from what is around them, as candidates for the sheet."""

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from papiermappe.core.photo.patches import find_patches
from papiermappe.core.picture import Pixels

SIZE = (480, 640)
QUAD = np.array([(150, 60), (470, 90), (500, 420), (120, 390)], np.float64)


def table(level: int = 90) -> Pixels:
    """Return a bare one, RGB, with some grain."""
    grain = np.random.default_rng(3).normal(0, 4, (*SIZE, 3))
    return np.asarray(np.clip(level + grain, 0, 255), np.uint8)


def laid(outline: NDArray[np.float64], colour: tuple[int, int, int] = (230, 228, 220)) -> Pixels:
    """Return the table with a sheet on it."""
    return np.asarray(cv2.fillPoly(table(), [np.rint(outline).astype(np.int32)], colour), np.uint8)


def off_px(corners: NDArray[np.float64], truth: NDArray[np.float64] = QUAD) -> float:
    """Return how far the corner that is farthest off is off, wherever the first one is."""
    return min(float(np.abs(np.roll(corners, turns, axis=0) - truth).max()) for turns in range(4))


def bowed(quad: NDArray[np.float64], by_px: float) -> NDArray[np.float64]:
    """Return an outline whose first and third sides bow outwards."""
    t = np.linspace(0, 1, 40)[:, None]
    rise = np.array([0, by_px]) * 4 * t * (1 - t)
    return np.concatenate([quad[0] + t * (quad[1] - quad[0]) - rise, quad[2] + t * (quad[3] - quad[2]) + rise])


def test_a_sheet_on_a_table_is_found() -> None:
    (first, *_) = find_patches(laid(QUAD))
    assert off_px(first) < 4  # two px of the picture that is cut into areas


@pytest.mark.parametrize("turns", range(4))
def test_it_is_found_however_the_picture_is_turned(turns: int) -> None:
    turned = np.ascontiguousarray(np.rot90(laid(QUAD), turns))
    truth = QUAD
    for turn in range(turns):  # a quarter counter-clockwise: what was right is up
        truth = np.column_stack([truth[:, 1], SIZE[1 - turn % 2] - 1 - truth[:, 0]])
    (first, *_) = find_patches(turned)
    assert off_px(first, truth) < 4


def test_one_of_the_same_brightness_is_found_by_its_tint() -> None:
    tinted = laid(QUAD, (60, 100, 110))
    assert abs(int(cv2.cvtColor(tinted, cv2.COLOR_RGB2LAB)[240, 300, 0]) - 95) < 12  # of the table: 94 to 97
    assert min(map(off_px, find_patches(tinted))) < 6


def test_sides_that_bow_are_sides() -> None:
    assert min(map(off_px, find_patches(laid(bowed(QUAD, 14))))) < 6


def test_a_sheet_with_a_corner_outside_of_the_picture_is_carried_on() -> None:
    reaching = QUAD + np.array((-140, 0))  # its lower left corner is at -20
    assert min(off_px(corners, reaching) for corners in find_patches(laid(reaching))) < 12


def test_what_is_cut_off_along_a_side_is_none() -> None:
    assert find_patches(laid(QUAD + np.array((-200, 0)))) == []  # its left corners are at -50 and -80


@pytest.mark.parametrize("level", [0, 90, 255])
def test_on_a_bare_table_there_is_none(level: int) -> None:
    assert find_patches(np.full((*SIZE, 3), level, np.uint8)) == []


def test_what_has_another_shape_is_none() -> None:
    plate = cv2.ellipse(table(), (320, 240), (200, 150), 0, 0, 360, (230, 230, 230), -1)
    triangle = cv2.fillPoly(table(), [np.array([(100, 50), (500, 60), (300, 440)], np.int32)], (230, 230, 230))
    for picture in (plate, triangle):
        assert find_patches(np.asarray(picture, np.uint8)) == []


def test_grey_pictures_and_tiny_ones_are_looked_at() -> None:
    grey = np.ascontiguousarray(laid(QUAD)[..., 0])
    assert off_px(find_patches(grey)[0]) < 4
    assert find_patches(np.zeros((1, 1), np.uint8)) == []
    assert find_patches(np.zeros((3, 700, 3), np.uint8)) == []
