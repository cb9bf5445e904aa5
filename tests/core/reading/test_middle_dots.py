"""Middle dots that were read as a hyphen or a colon are told from these by their ink."""

import cv2
import numpy as np
import pytest

from papiermappe.core.picture import Pixels
from papiermappe.core.reading.middle_dots import with_middle_dots
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word

DPI = 254  # ten pixels are a millimetre
DOT = [(30.8, 21.8, 0.4, 0.4)]
HYPHEN = [(30.5, 21.8, 1.0, 0.25)]
COLON = [(30.8, 21.2, 0.35, 0.35), (30.8, 22.6, 0.35, 0.35)]
FULL_STOP = [(30.8, 22.7, 0.4, 0.4)]
DASH = [(30.0, 21.8, 2.4, 0.25)]


def drawn(shapes: list[tuple[float, float, float, float]], sigma_px: float = 1.2) -> Pixels:
    """Return a page with shapes on it, blurred as by a scanner: left, top, width and height, mm."""
    page = np.full((600, 800), 240, np.uint8)
    for left, top, width, height in shapes:
        cv2.rectangle(
            page, (round(10 * left), round(10 * top)), (round(10 * (left + width)), round(10 * (top + height))), 40, -1
        )
    page = cv2.GaussianBlur(page, (0, 0), sigma_px).astype(np.float64)
    return np.asarray((page + np.random.default_rng(3).normal(0, 3, page.shape)).clip(0, 255), np.uint8)


def read_as(text: str, shapes: list[tuple[float, float, float, float]]) -> PageText:
    """Return a line of two words, 2.4 mm high, with something between them that was read."""
    left = min(shape[0] for shape in shapes)
    top = min(shape[1] for shape in shapes)
    right = max(shape[0] + shape[2] for shape in shapes)
    bottom = max(shape[1] + shape[3] for shape in shapes)
    words = (
        Word(text="Lane", box=BoxMm(left=24, top=20.8, right=29.8, bottom=23.2), confidence=0.96),
        Word(text=text, box=BoxMm(left=left, top=top, right=right, bottom=bottom), confidence=0.7),
        Word(text="Oskham", box=BoxMm(left=33, top=20.8, right=42, bottom=23.2), confidence=0.96),
    )
    line = Line(words=words, box=BoxMm.around(word.box for word in words))
    return PageText(
        width_mm=80, height_mm=60, languages=("eng",), blocks=(Block(paragraphs=(Paragraph(lines=(line,)),)),)
    )


@pytest.mark.parametrize("text", ["-", "\N{EN DASH}", ":", "*", "."])
@pytest.mark.parametrize("sigma_px", [0.8, 2.5])
def test_a_dot_in_the_middle_is_one_whatever_was_read(text: str, sigma_px: float) -> None:
    assert with_middle_dots(read_as(text, DOT), drawn(DOT, sigma_px), DPI).text == "Lane · Oskham"


@pytest.mark.parametrize(
    ("text", "shapes"),
    [("-", HYPHEN), (":", COLON), (".", FULL_STOP), ("\N{EN DASH}", DASH), ("x", DOT), ("-", [(30.8, 60.0, 1, 1)])],
)
@pytest.mark.parametrize("sigma_px", [0.8, 2.5])
def test_what_is_none_stays(text: str, shapes: list[tuple[float, float, float, float]], sigma_px: float) -> None:
    read = read_as(text, shapes)
    assert with_middle_dots(read, drawn(shapes, sigma_px), DPI) == read


def test_a_dot_at_the_end_of_a_line_has_no_words_to_separate() -> None:
    read = read_as("-", DOT)
    (line,) = read.lines()
    ending = line.model_copy(update={"words": line.words[:2]})
    page = read.model_copy(update={"blocks": (Block(paragraphs=(Paragraph(lines=(ending,)),)),)})
    assert with_middle_dots(page, drawn(DOT), DPI) == page


def test_nothing_read_stays_nothing() -> None:
    nothing = PageText(width_mm=80, height_mm=60, languages=("eng",))
    assert with_middle_dots(nothing, drawn(DOT), DPI) == nothing
