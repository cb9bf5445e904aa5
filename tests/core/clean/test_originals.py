"""What lies apart on a glass: pale paper under a white lid, nothing cut, nothing that is only printed."""

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from papiermappe.core.clean import find_originals
from papiermappe.core.geometry import Quad

DPI = 150.0
PX_MM = DPI / 25.4
WIDTH_MM, HEIGHT_MM = 216.0, 297.0

Box = tuple[float, float, float, float]
"""Left, top, right, bottom in mm."""


def _glass(lid: tuple[int, int, int]) -> NDArray[np.float32]:
    return np.full((round(HEIGHT_MM * PX_MM), round(WIDTH_MM * PX_MM), 3), lid, np.float32)


def _lay(glass: NDArray[np.float32], box: Box, paper: tuple[int, int, int]) -> None:
    """Lay a sheet with four lines of print on the glass."""
    left, top, right, bottom = (round(place * PX_MM) for place in box)
    glass[top:bottom, left:right] = paper
    for line in range(4):
        y = top + round((8 + 6 * line) * PX_MM)
        glass[y : y + 12, left + 40 : left + 240 : 9] = 30


def _scanned(glass: NDArray[np.float32], seed: int) -> NDArray[np.uint8]:
    """Light a glass unevenly, darker by 4 % at its lower right, and add a scanner's grain."""
    rows, columns = (np.linspace(0, 1, side, dtype=np.float32) for side in glass.shape[:2])
    lit = glass * (1 - 0.04 * rows[:, None, None] * columns[None, :, None])
    grain = np.random.default_rng(seed).normal(0, 2.5, glass.shape)
    return np.asarray((cv2.GaussianBlur(lit, (0, 0), 0.6) + grain).clip(0, 255), np.uint8)


def _cut_mm(found: Quad, box: Box) -> float:
    """Return how far a sheet reaches out of what was found."""
    (left, top), _, (right, bottom), _ = found
    return max(left - box[0], top - box[1], box[2] - right, box[3] - bottom)


def _far_mm(found: Quad, box: Box) -> float:
    """Return how far the edges are from each other at most."""
    (left, top), _, (right, bottom), _ = found
    return max(abs(one - other) for one, other in zip((left, top, right, bottom), box, strict=True))


PALE = [
    ((14.0, 12.0, 92.0, 92.0), (240, 238, 229)),
    ((120.0, 20.0, 205.6, 74.0), (246, 244, 236)),
    ((30.0, 120.0, 96.0, 212.0), (236, 236, 236)),
]


def test_pale_paper_under_a_white_lid_is_found_whole_and_in_reading_order() -> None:
    glass = _glass((242, 241, 239))
    for box, paper in PALE:
        _lay(glass, box, paper)
    found = find_originals(_scanned(glass, 5), DPI)
    assert len(found) == len(PALE)
    for original, (box, _) in zip(found, PALE, strict=True):
        assert _cut_mm(original, box) <= 0.3
        assert _far_mm(original, box) <= 2.0


def test_a_grey_look_finds_paper_by_its_brightness() -> None:
    glass = _glass((244, 244, 244))
    box = (40.0, 60.0, 130.0, 150.0)
    _lay(glass, box, (234, 234, 234))
    (found,) = find_originals(_scanned(glass, 6)[..., 1], DPI)
    assert _cut_mm(found, box) <= 0.3


@pytest.mark.parametrize("lid", [(242, 241, 239), (30, 30, 32)])
def test_a_glass_with_nothing_on_it_has_no_originals(lid: tuple[int, int, int]) -> None:
    assert find_originals(_scanned(_glass(lid), 7), DPI) == []


def test_a_picture_printed_on_a_sheet_that_fills_the_glass_is_no_original() -> None:
    paper = _glass((246, 245, 240))
    for line in range(30):
        y = round((20 + 8 * line) * PX_MM)
        paper[y : y + 14, 120:1100:7] = 40
    top, left = round(90 * PX_MM), round(60 * PX_MM)
    paper[top : top + 500, left : left + 500] = (70, 120, 90)
    for found in find_originals(_scanned(paper, 8), DPI):
        assert _cut_mm(found, (15.0, 20.0, 190.0, 255.0)) <= 0, "the print round the picture is cut off"
