"""Resampling: exact where it can be said by hand, and close to another implementation elsewhere."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from papiermappe.core.geometry import rotation_deg
from papiermappe.core.picture import Pixels
from papiermappe.core.resample import resampled


def smooth(channels: int) -> Pixels:
    """Return a picture without steps, in which any right interpolation gives nearly the same."""
    noise = np.random.default_rng(2).integers(0, 256, (160, 140, channels), np.uint8)
    return np.asarray(cv2.GaussianBlur(noise, (0, 0), 4), np.uint8)


@pytest.mark.parametrize("channels", [1, 3])
def test_a_shift_by_whole_pixels_moves_and_changes_nothing(channels: int) -> None:
    picture = smooth(channels)
    moved = resampled(picture, np.array([[1.0, 0, 5], [0, 1.0, -3]]), (160, 140), 1.0, 255)
    assert np.array_equal(moved[3:, :135], picture[:-3, 5:])
    assert (moved[:3] == 255).all()
    assert (moved[:, 135:] == 255).all()


@given(st.floats(-19, 19), st.floats(-8, 8), st.floats(-8, 8), st.sampled_from([1, 3]))
@settings(deadline=None, max_examples=30)
def test_a_turn_is_that_of_another_implementation(angle_deg: float, x: float, y: float, channels: int) -> None:
    """OpenCV's cubic differs in its kernel only, which tells little where the picture is smooth."""
    picture = smooth(channels)
    matrix = np.column_stack([rotation_deg(angle_deg), [x, y]])
    ours = resampled(picture, matrix, (150, 130), 1.0, 255)
    theirs = cv2.warpAffine(
        picture, matrix, (130, 150), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderValue=(255,) * 3
    )
    inside = cv2.warpAffine(
        np.full(picture.shape[:2], 255, np.uint8), matrix, (130, 150), flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
    )
    inner = cv2.erode(inside, np.ones((9, 9), np.uint8), borderValue=0) > 0
    assert np.abs(ours.astype(int) - theirs)[inner].max(initial=0) <= 3


def test_what_lies_outside_is_filled_and_the_same_comes_twice() -> None:
    matrix = np.array([[1.0, 0.05, 900.0], [-0.05, 1.0, 900.0]])
    assert (resampled(smooth(3), matrix, (50, 60), 1.0, 255) == 255).all()
    turn = np.column_stack([rotation_deg(3), [2.0, 1.0]])
    assert np.array_equal(resampled(smooth(3), turn, (99, 98), 1.0, 7), resampled(smooth(3), turn, (99, 98), 1.0, 7))
