"""Straight edges that go through what may be the sheet."""

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from papiermappe.core.photo.crossings import crossings
from papiermappe.core.photo.lines import edge_map, find_lines
from papiermappe.core.photo.tracks import tracks_of

WIDTH_PX, HEIGHT_PX = 640, 480
BOTH = np.array([(150, 60), (480, 60), (480, 420), (150, 420)], np.float64)
UPPER = np.array([(150, 60), (480, 60), (480, 200), (150, 300)], np.float64)


def through(picture: NDArray[np.uint8], *outlines: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return what goes through outlines on a picture."""
    edges = edge_map(picture)
    tracks = tracks_of(picture, edges, find_lines(edges))
    return crossings(tracks, np.array(outlines), WIDTH_PX, HEIGHT_PX)


def lit(*papers: tuple[NDArray[np.float64], int]) -> NDArray[np.uint8]:
    """Return a dark table with papers on it, each with its grey level."""
    picture = np.full((HEIGHT_PX, WIDTH_PX), 60, np.uint8)
    for corners, level in papers:
        cv2.fillConvexPoly(picture, corners.astype(np.int32), level)
    return picture


def test_the_rim_of_a_paper_on_another_goes_through_the_outline_of_both_and_through_neither_paper() -> None:
    (both_askew, both_along), (upper_askew, upper_along) = through(lit((BOTH, 200), (UPPER, 230)), BOTH, UPPER)
    assert both_askew > 0.8
    assert (both_along, upper_askew, upper_along) == (0, 0, 0)


def test_a_fold_goes_along_the_sides() -> None:
    folded = np.array([(150, 60), (480, 60), (480, 240), (150, 240)], np.float64)
    ((askew, along),) = through(lit((BOTH, 200), (folded, 225)), BOTH)
    assert askew == 0
    assert along > 0.8


def test_rows_of_print_go_through_nothing() -> None:
    picture = lit((BOTH, 220))
    for row in range(100, 390, 14):
        picture[row : row + 6, 190:440:9] = 40
    assert through(picture, BOTH).max() == pytest.approx(0, abs=0.05)


def test_on_a_sheet_that_is_seen_aslant_a_fold_still_goes_along() -> None:
    aslant = np.array([(220, 90), (430, 90), (560, 420), (90, 420)], np.float64)
    to_picture = cv2.getPerspectiveTransform(
        np.array([(0, 0), (1, 0), (1, 1), (0, 1)], np.float32), aslant.astype(np.float32)
    )
    half = np.array([[(0, 0), (0.4, 0), (0.4, 1), (0, 1)]], np.float32)
    folded = cv2.perspectiveTransform(half, to_picture)[0].astype(np.float64)
    ((askew, along),) = through(lit((aslant, 200), (folded, 225)), aslant)
    assert askew == 0
    assert along > 0.8
