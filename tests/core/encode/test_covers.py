"""What covers the paper, against the same computed plainly, area by area."""

import cv2
import numpy as np
import pytest

from papiermappe.core.clean.background import PaperCells
from papiermappe.core.encode.covers import find_covers

PAPER = 230


def page_with(areas: list[np.ndarray]) -> tuple[np.ndarray, PaperCells]:
    """Return a page with areas of 48 by 48 px in a row, and its cells; four cells of paper lie between them."""
    page = np.full((80, 16 + 64 * len(areas)), PAPER, np.uint8)
    covered = np.zeros((20, 4 + 16 * len(areas)), np.bool_)
    for at, area in enumerate(areas):
        page[16:64, 16 + 64 * at : 64 + 64 * at] = area
        covered[4:16, 4 + 16 * at : 16 + 16 * at] = True
    return page, PaperCells(np.full(covered.shape, PAPER, np.uint8), covered)


def plainly(area: np.ndarray) -> tuple[bool, int]:
    """Return whether an area is a picture, and else the level below which it is a dark field: of every second pixel."""
    levels = area[::2, ::2].reshape(-1)
    dark, light = np.percentile(levels, (3, 97))
    low, high = dark + 0.25 * (light - dark), dark + 0.75 * (light - dark)
    if ((levels > low) & (levels < high)).mean() > 0.25:
        return True, 0
    darker = levels[levels < PAPER - 60]
    if not darker.size:
        return False, 0
    field = int(np.argmax(np.convolve(np.bincount(darker, minlength=256), np.ones(9), "same")))
    return False, round((field + PAPER) / 2) if field - np.percentile(darker, 3) < 25 else 0


@pytest.mark.parametrize("seed", range(6))
def test_each_area_is_judged_by_itself(seed: int) -> None:
    hand = np.random.default_rng(seed)
    ramp = np.tile(np.linspace(20, 220, 48), (48, 1)).astype(np.uint8)
    field = hand.integers(40, 52, (48, 48)).astype(np.uint8)
    printed = np.where(hand.random((48, 48)) < 0.06, 215, field).astype(np.uint8)
    deep = np.where(hand.random((48, 48)) < 0.1, 5, 120).astype(np.uint8)
    noise = hand.integers(0, 256, (48, 48)).astype(np.uint8)
    areas = [ramp, field, printed, deep, noise]
    hand.shuffle(areas)
    page, paper = page_with(areas)
    covers = find_covers(page, paper)
    for at, area in enumerate(areas):
        inside = np.s_[24:56, 24 + 64 * at : 56 + 64 * at]
        is_picture, limit = plainly(area)
        assert (covers.pictures[inside] == is_picture).all()
        assert covers.field_limits is not None
        means = cv2.resize(area, (12, 12), interpolation=cv2.INTER_AREA)
        # a cell of the field says so for its neighbours too
        near = cv2.dilate((means < limit).astype(np.uint8), np.ones((3, 3), np.uint8))[2:10, 2:10]
        wanted = limit * cv2.resize(near, (32, 32), interpolation=cv2.INTER_NEAREST).astype(int)
        assert (covers.field_limits[inside] == wanted).all()
