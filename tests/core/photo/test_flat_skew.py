"""Print on a sheet that was made flat: it is turned straight where it tells surely how it lies."""

import cv2
import numpy as np
import pytest
from tests.core.photo.test_corners import lay, plain, sheet_with

from papiermappe.core.analysis import analyse
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.treatment import Straightening


def straightened(sheet: Pixels) -> Straightening:
    """Return how a sheet is turned straight that lies on a dark table."""
    photo = CapturedPicture(encode_png(lay(plain(70), sheet)), 60, by_camera=True)
    found = analyse(photo).treatment
    assert found.corners is not None
    assert found.straighten is not None
    return found.straighten


@pytest.mark.parametrize("turn_deg", [-1.2, 0.0, 0.8])
def test_print_that_lies_askew_on_the_paper_is_turned_straight(turn_deg: float) -> None:
    sheet = sheet_with(rows=18)
    height, width = sheet.shape[:2]
    turn = cv2.getRotationMatrix2D((width / 2, height / 2), turn_deg, 1.0)  # counter-clockwise
    askew = np.asarray(cv2.warpAffine(sheet, turn, (width, height), borderValue=(235,) * 3), np.uint8)
    assert straightened(askew).skew_deg == pytest.approx(turn_deg, abs=0.1)


def test_little_print_with_something_slanting_below_it_is_left_as_the_paper_lies() -> None:
    sheet = sheet_with(rows=1)
    for row in range(5):  # as pens do that lie on it
        cv2.line(sheet, (40, 320 + 45 * row), (380, 305 + 45 * row), (60, 60, 60), 7)
    assert straightened(sheet).skew_deg == 0
