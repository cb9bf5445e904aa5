"""Boxes around what lies scattered on a page."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.encode.piece_boxes import MAX_PIECES, boxes_around

DPI = 50.8  # tiles of 4 px


def page(*spots: tuple[int, int, int, int], size: tuple[int, int] = (400, 300)) -> np.ndarray:
    held = np.zeros(size, np.uint8)
    for left, top, right, bottom in spots:
        held[top:bottom, left:right] = 1
    return held


def test_what_lies_apart_gets_boxes_of_its_own() -> None:
    # each spot is one tile; one more around it
    boxes = boxes_around(page((40, 40, 44, 44), (200, 300, 204, 304)), DPI)
    assert sorted(boxes) == [(36, 36, 48, 48), (196, 296, 208, 308)]


def test_boxes_that_overlap_become_one() -> None:
    # an angle along the left and the top, and a spot in the rectangle around it
    boxes = boxes_around(page((40, 40, 44, 200), (40, 40, 200, 44), (120, 120, 124, 124)), DPI)
    assert boxes == [(36, 36, 204, 204)]


def test_a_thousand_spots_within_an_angle_are_one_box() -> None:
    held = np.zeros((1188, 840), np.uint8)
    held[:, :4] = held[:4] = 1
    held[40::16, 40::16] = 1
    assert boxes_around(held, DPI) == [(0, 0, 840, 1188)]


def test_too_many_pieces_become_one() -> None:
    spots = [(12 + 24 * at, 100, 16 + 24 * at, 104) for at in range(MAX_PIECES + 1)]
    assert boxes_around(page(*spots, size=(400, 700)), DPI) == [(8, 96, 20 + 24 * MAX_PIECES, 108)]


@given(st.lists(st.tuples(st.integers(0, 290), st.integers(0, 390)), min_size=1, max_size=40))
def test_everything_is_in_one_box_and_no_two_overlap(places: list[tuple[int, int]]) -> None:
    boxes = boxes_around(page(*((x, y, x + 3, y + 3) for x, y in places)), DPI)
    covered = np.zeros((400, 300), int)
    for left, top, right, bottom in boxes:
        covered[top:bottom, left:right] += 1
    assert covered.max() == 1
    assert all(covered[y, x] == 1 for x, y in places)
