"""Quadrilaterals within others: what they have in common, and what lies beyond."""

import numpy as np
import pytest

from papiermappe.core.photo.nesting import encloses, share_beyond, sides_beside
from papiermappe.core.photo.sides import ALONG, ALONG_SIDE, Placed

SQUARE = np.array([(100.0, 100.0), (900.0, 100.0), (900.0, 900.0), (100.0, 900.0)])  # its right side runs down
UPPER = np.array([(100.0, 100.0), (900.0, 100.0), (900.0, 700.0), (100.0, 700.0)])
SAME_PX = 20.0


def placed(seen: bool = True) -> Placed:
    """Return the square with its step seen along all sides, or with the right and the left side beyond the picture."""
    on_picture = np.ones((4, ALONG), np.bool_)
    on_picture[1::2] = seen
    return Placed(SQUARE, on_picture, on_picture.copy(), np.zeros((4, 3, 2)))


def test_one_that_shares_a_side_is_within_and_one_that_shares_three_corners_is_not() -> None:
    assert encloses(SQUARE[None], UPPER, SAME_PX).tolist() == [True]
    assert encloses(UPPER[None], SQUARE, SAME_PX).tolist() == [False]
    cut = SQUARE.copy()
    cut[2] -= 200
    assert encloses(SQUARE[None], cut, SAME_PX).tolist() == [False]


@pytest.mark.parametrize("turns", range(4))
def test_sides_are_told_apart_whichever_comes_first(turns: int) -> None:
    beside = sides_beside(SQUARE, np.roll(UPPER, -turns, axis=0))
    assert beside.tolist() == [(at - turns) % 4 for at in range(4)]


@pytest.mark.parametrize("turns", range(4))
def test_how_much_of_common_sides_shows_a_step_beyond_the_inner_one(turns: int) -> None:
    square, inner = placed(), np.roll(UPPER, -turns, axis=0)
    assert share_beyond(square, inner, SAME_PX) == 1
    square.shows[1] = ALONG_SIDE < 0.75  # the right side runs down to where the inner one ends; the left is all seen
    assert share_beyond(square, inner, SAME_PX) == pytest.approx(0.5, abs=0.02)
    square.shows[3] = ALONG_SIDE > 0.25
    assert share_beyond(square, inner, SAME_PX) == 0


def test_nothing_is_known_of_sides_that_are_beyond_the_picture_or_not_in_common() -> None:
    assert share_beyond(placed(seen=False), UPPER, SAME_PX) == 1
    square, within = placed(), SQUARE * 0.5 + 250
    square.shows[:] = False
    assert share_beyond(square, within, SAME_PX) == 1
