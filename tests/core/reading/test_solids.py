"""Marks and shapes that are no letters."""

import cv2
import numpy as np
import pytest

from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.reading.solids import without_solids

DPI = 254.0
"""Ten pixels a mm."""
WHITE, BLACK = 245, 25


def sheet() -> Pixels:
    """Return an empty sheet of 60 by 30 mm."""
    return np.full((300, 600), WHITE, np.uint8)


def read(**words: tuple[int, int, int, int]) -> PageText:
    """Return a page of one line, each word with its box: left, top, right, bottom in px."""
    made = tuple(
        Word(
            text=text,
            box=BoxMm(left=box[0] / 10, top=box[1] / 10, right=box[2] / 10, bottom=box[3] / 10),
            confidence=0.95,
        )
        for text, box in words.items()
    )
    line = Line(words=made, box=BoxMm.around(word.box for word in made))
    blocks = (Block(paragraphs=(Paragraph(lines=(line,)),)),)
    return PageText(width_mm=60, height_mm=30, languages=("eng",), blocks=blocks)


def print_at(page: Pixels, text: str, left: int, level: int = BLACK, bold: int = 7) -> tuple[int, int, int, int]:
    """Print a word some 4 mm high; return its box."""
    before = page.copy()
    cv2.putText(page, text, (left, 150), cv2.FONT_HERSHEY_SIMPLEX, 1.9, level, bold, cv2.LINE_AA)
    rows, columns = np.nonzero(page != before)
    return int(columns.min()), int(rows.min()), int(columns.max()) + 1, int(rows.max()) + 1


@pytest.mark.parametrize("shape", ["square", "disc", "tree"])
def test_a_dark_mark_beside_a_name_is_no_word_of_it(shape: str) -> None:
    page = sheet()
    if shape == "square":
        page[100:160, 40:100] = BLACK
    elif shape == "disc":
        cv2.circle(page, (70, 130), 30, BLACK, -1)
    else:
        cv2.fillPoly(page, [np.array([[70, 100], [100, 145], [40, 145]])], BLACK)
        page[140:160, 65:75] = BLACK
    name = print_at(page, "Orchard", 130)
    kept = without_solids(read(ES=(40, 100, 100, 160), Orchard=name), page, DPI)
    assert kept.text == "Orchard"


@pytest.mark.parametrize("bold", [3, 7, 11])
def test_print_stays_however_bold(bold: int) -> None:
    page = sheet()
    box = print_at(page, "MIEl8", 60, bold=bold)
    assert without_solids(read(MIEl8=box), page, DPI).text == "MIEl8"


def test_light_print_in_a_dark_field_stays() -> None:
    page = sheet()
    page[60:200, 20:400] = BLACK
    box = print_at(page, "L To", 60, WHITE)
    assert without_solids(read(LTo=box), page, DPI).text == "LTo"


def test_dashes_and_the_dots_of_lists_stay() -> None:
    page = sheet()
    page[140:144, 40:60] = BLACK
    cv2.circle(page, (110, 140), 9, BLACK, -1)
    kept = without_solids(read(dash=(40, 140, 60, 144), dot=(101, 131, 120, 150)), page, DPI)
    assert kept.text == "dash dot"


def test_words_off_the_page_do_no_harm() -> None:
    assert without_solids(read(off=(900, 900, 990, 990)), sheet(), DPI).text == "off"
