"""Print that a recogniser left out is found; what is no print is not."""

import cv2
import numpy as np
import pytest
from tests.helpers import page_saying

from papiermappe.core.picture import Pixels
from papiermappe.core.reading.left_out import MOST, left_out, stands_alone_at_end
from papiermappe.core.reading.page_text import BoxMm

DPI = 254  # ten pixels are a millimetre
READ = page_saying("Pears and plums")


def a_page(*blocks: tuple[float, float, float, float]) -> Pixels:
    """Return an A4 page, grey, with print at places: left, top, width and height, mm."""
    page = np.full((2970, 2100), 235, np.uint8)
    for block in blocks:
        left, top, width, height = (round(10 * side) for side in block)
        for letter in range(left, left + width, 20):  # 1.5 mm wide, half a millimetre apart
            page[top : top + height, letter : min(letter + 15, left + width)] = 40
    return np.asarray(cv2.GaussianBlur(page, (3, 3), 0), np.uint8)


@pytest.mark.parametrize("top", [12.0, 150.0, 284.0])
def test_what_was_not_read_is_found(top: float) -> None:
    (box,) = left_out(a_page((20, 21, 80, 4), (104, top, 2, 3)), DPI, READ)
    assert (box.left, box.top, box.right, box.bottom) == pytest.approx((104, top, 105.5, top + 3), abs=0.3)


def test_a_cell_beside_a_line_that_was_read_is_found() -> None:
    (box,) = left_out(a_page((20, 21, 80, 4), (120, 21, 6, 3)), DPI, READ)
    assert box.left == pytest.approx(120, abs=0.3)


def test_what_stands_close_behind_a_word_that_was_read_is_found() -> None:
    """Both are one piece of print, and the first half of it was read."""
    (box,) = left_out(a_page((20, 21, 80, 4), (102.5, 21, 40, 4)), DPI, READ)
    assert (box.left, box.right) == pytest.approx((102.5, 142), abs=0.6)


def test_a_label_in_a_frame_is_found_without_its_frame() -> None:
    page = a_page((22, 101, 20, 2))
    cv2.rectangle(page, (200, 1000), (1200, 1150), 40, 4)
    (box,) = left_out(page, DPI, READ)
    assert (box.left, box.top, box.right, box.bottom) == pytest.approx((22, 101, 41.5, 103), abs=0.4)


@pytest.mark.parametrize(
    ("blocks", "why"),
    [
        ([(20, 21, 80, 4)], "it was read"),
        ([(104, 294.5, 2, 2)], "at the edge of the page"),
        ([(30, 270, 150, 3)], "wider than a line that is missed"),
        ([(60, 265, 20, 20)], "as high as a stamp"),
        ([(104, 284, 0.4, 0.4)], "a speck"),
        ([(30 + 12 * (at % 12), 40 + 8 * (at // 12), 3, 3) for at in range(MOST + 1)], "too many"),
        ([], "nothing"),
    ],
)
def test_what_is_no_print_is_left(blocks: list[tuple[float, float, float, float]], why: str) -> None:
    assert left_out(a_page(*blocks), DPI, READ) == [], why


@pytest.mark.parametrize(("top", "alone"), [(12.0, True), (21.0, False), (150.0, False), (284.0, True)])
def test_what_stands_alone_at_an_end_is_told(top: float, alone: bool) -> None:
    assert stands_alone_at_end(BoxMm(left=104, top=top, right=106, bottom=top + 3), READ) is alone
