"""Print on a sheet that was made flat: it is turned straight where it tells surely how it lies."""

import cv2
import numpy as np
import pytest
from tests.core.photo.test_corners import QUAD, SIZE, laid, plain

from papiermappe.core.analysis import analyse
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.treatment import Straightening

TALL, WIDE = 594, 420  # px of the sheet


def printed(turn_deg: float, rows: int) -> Pixels:
    """Return a photo of a sheet whose first rows are printed, turned counter-clockwise by so much on the paper."""
    layer = np.full((TALL, WIDE), 255, np.uint8)
    for row in range(rows):
        for word in range(6):
            left = 50 + 54 * word
            layer[60 + 26 * row : 70 + 26 * row, left : left + 40] = 60
    turn = cv2.getRotationMatrix2D((WIDE / 2, TALL / 2), turn_deg, 1.0)
    return seen(np.asarray(cv2.warpAffine(layer, turn, (WIDE, TALL), borderValue=(255,)), np.uint8))


def seen(layer: Pixels) -> Pixels:
    """Return a photo of a sheet with this on it, (TALL, WIDE)."""
    own = np.array([(-0.5, -0.5), (WIDE - 0.5, -0.5), (WIDE - 0.5, TALL - 0.5), (-0.5, TALL - 0.5)], np.float32)
    carry = cv2.getPerspectiveTransform(own, QUAD.astype(np.float32))
    ink = cv2.warpPerspective(layer, carry, SIZE[::-1], flags=cv2.INTER_AREA, borderValue=(255,))
    return np.asarray(laid(plain(70), rows=0) * (ink[..., None] / 255.0), np.uint8)


def straightened(photo: Pixels) -> Straightening:
    """Return how the sheet on a photo is turned straight."""
    found = analyse(CapturedPicture(encode_png(photo), 60, by_camera=True)).treatment
    assert found.corners is not None
    assert found.straighten is not None
    return found.straighten


@pytest.mark.parametrize("turn_deg", [-1.2, 0.0, 0.8])
def test_print_that_lies_askew_on_the_paper_is_turned_straight(turn_deg: float) -> None:
    assert straightened(printed(turn_deg, rows=18)).skew_deg == pytest.approx(turn_deg, abs=0.1)


def test_little_print_with_something_slanting_below_it_is_left_as_the_paper_lies() -> None:
    layer = np.full((TALL, WIDE), 255, np.uint8)
    for word in range(6):
        layer[60:70, 50 + 54 * word : 90 + 54 * word] = 60
    for row in range(5):  # as pens do that lie on it
        cv2.line(layer, (40, 320 + 45 * row), (380, 305 + 45 * row), (60,), 7)
    assert straightened(seen(layer)).skew_deg == 0
