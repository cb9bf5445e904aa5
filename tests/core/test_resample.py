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


def keys(away: float) -> float:
    """Return the weight of a pixel at that distance (Keys 1981, equation 15)."""
    away = abs(away)
    if away <= 1:
        return 1.5 * away**3 - 2.5 * away**2 + 1
    return -0.5 * away**3 + 2.5 * away**2 - 4 * away + 2 if away <= 2 else 0.0


@given(st.floats(0, 1), st.booleans())
@settings(deadline=None, max_examples=30)
def test_hard_edges_get_the_levels_of_the_plain_formula(shift: float, down: bool) -> None:
    """Each of the two passes may round a level once."""
    noise = np.random.default_rng(5).choice(np.array([0, 255], np.uint8), (40, 30, 3))
    matrix = np.array([[1.0, 0, 0 if down else shift], [0, 1.0, shift if down else 0]])
    moved = resampled(noise, matrix, (40, 30), 1.0, 255)
    lines, seen = (noise, moved) if down else (noise.swapaxes(0, 1), moved.swapaxes(0, 1))
    inner = np.arange(2, len(lines) - 3)
    expected = sum(keys(tap - shift) * lines[inner + tap] for tap in (-1, 0, 1, 2))
    assert np.abs(seen[inner] - np.clip(expected, 0, 255)).max() <= 1


@given(st.floats(-15, 15), st.floats(-1, 1))
@settings(deadline=None, max_examples=30)
def test_even_paper_stays_even_at_every_level(angle_deg: float, shift: float) -> None:
    """What is rounded down in between must not darken the paper by a level."""
    matrix = np.column_stack([rotation_deg(angle_deg), [shift, -shift]])
    for level in range(256):
        paper = np.full((24, 24), level, np.uint8)
        assert (resampled(paper, matrix, (24, 24), 1.0, level) == level).all()


def test_what_lies_outside_is_filled_and_the_same_comes_twice() -> None:
    matrix = np.array([[1.0, 0.05, 900.0], [-0.05, 1.0, 900.0]])
    assert (resampled(smooth(3), matrix, (50, 60), 1.0, 255) == 255).all()
    turn = np.column_stack([rotation_deg(3), [2.0, 1.0]])
    assert np.array_equal(resampled(smooth(3), turn, (99, 98), 1.0, 7), resampled(smooth(3), turn, (99, 98), 1.0, 7))
