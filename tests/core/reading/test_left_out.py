"""What a recogniser left out at the ends of a page is found, and becomes part of what was read."""

import cv2
import numpy as np
import pytest
from tests.helpers import page_saying

from papiermappe.core.picture import Pixels
from papiermappe.core.reading.left_out import LINE_PX, cut_out, left_out, with_line
from papiermappe.core.reading.page_text import BoxMm, PageText

DPI = 254  # ten pixels are a millimetre
READ = page_saying("Pears and plums")


def a_page(*blocks: tuple[float, float, float, float]) -> Pixels:
    """Return an A4 page, grey, with print at places: left, top, width and height, mm."""
    page = np.full((2970, 2100), 235, np.uint8)
    for block in blocks:
        left, top, width, height = (round(10 * side) for side in block)
        page[top : top + height : 2, left : left + width] = 40
        page[top + 1 : top + height : 2, left : left + width] = 60
    return np.asarray(cv2.GaussianBlur(page, (3, 3), 0), np.uint8)


def part_saying(text: str, confidence: float) -> PageText:
    """Return what was read on a part that was cut out."""
    (line,) = page_saying(text, at_mm=2.0).lines()
    (word,) = line.words
    told = line.model_copy(update={"words": (word.model_copy(update={"confidence": confidence}),)})
    part = page_saying(text)
    paragraph = part.blocks[0].paragraphs[0].model_copy(update={"lines": (told,)})
    return part.model_copy(update={"blocks": (part.blocks[0].model_copy(update={"paragraphs": (paragraph,)}),)})


@pytest.mark.parametrize("top", [12.0, 284.0])
def test_a_number_that_stands_alone_is_found(top: float) -> None:
    (box,) = left_out(a_page((20, 60, 160, 4), (104, top, 2, 3)), DPI, READ)
    assert (box.left, box.top, box.right, box.bottom) == pytest.approx((104, top, 106, top + 3), abs=0.3)


@pytest.mark.parametrize(
    ("blocks", "why"),
    [
        ([(104, 150, 2, 3)], "in the middle of the page"),
        ([(104, 20.5, 2, 3)], "beside a line that was read"),
        ([(104, 294.5, 2, 2)], "at the edge of the page"),
        ([(60, 270, 90, 3)], "as wide as a line"),
        ([(60, 265, 20, 20)], "as high as a stamp"),
        ([(104, 284, 0.4, 0.4)], "a speck"),
        ([(30, 275, 2, 3), (90, 275, 2, 3), (150, 275, 2, 3)], "too many"),
        ([], "nothing"),
    ],
)
def test_what_is_no_number_is_left(blocks: list[tuple[float, float, float, float]], why: str) -> None:
    assert left_out(a_page(*blocks), DPI, READ) == [], why


def test_it_is_cut_out_with_paper_around_it_at_the_size_that_is_read_best() -> None:
    box = BoxMm(left=104, top=284, right=108, bottom=288)
    part = cut_out(a_page((104, 284, 4, 4)), DPI, box)
    assert part.dpi == pytest.approx(LINE_PX / 4 * 25.4)
    assert part.pixels().shape == pytest.approx((9 * LINE_PX / 4, 9 * LINE_PX / 4), abs=1)
    assert part.pixels()[0].min() > 200


@pytest.mark.parametrize(("top", "lines"), [(12.0, ["3", "Pears and plums"]), (284.0, ["Pears and plums", "3"])])
def test_what_was_read_on_it_goes_where_it_stands(top: float, lines: list[str]) -> None:
    box = BoxMm(left=104, top=top, right=106, bottom=top + 3)
    read = with_line(READ, part_saying("3", 0.9), box)
    assert [line.text for line in read.lines()] == lines
    (word,) = next(line for line in read.lines() if line.text == "3").words
    assert (word.box.left, word.box.top) == pytest.approx((104 - 2.5 + 20, top - 2.5 + 2))


def test_what_is_not_sure_is_not_taken() -> None:
    box = BoxMm(left=104, top=284, right=106, bottom=287)
    assert with_line(READ, part_saying("|", 0.3), box) == READ
    assert with_line(READ, READ.model_copy(update={"blocks": ()}), box) == READ


def test_a_page_without_height_has_nothing() -> None:
    assert left_out(np.full((2, 40), 255, np.uint8), DPI, READ) == []
