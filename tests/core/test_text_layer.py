"""Text that comes with a file lies where its print lies on the page, and what is wiped or cut away is not said."""

import cv2
import numpy as np
import pytest

from papiermappe.core.encode.plain import encode_png
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.text_layer import text_on_page
from papiermappe.core.treatment import Cropping, Part, Straightening, Treatment, render
from papiermappe.core.zones import SheetZone, Zone, ZoneKind

DPI = 100.0
WIDTH_MM, HEIGHT_MM = 120.0, 160.0
WORD_MM = BoxMm(left=40, top=50, right=70, bottom=56)
CROPPED = Cropping(corners=((10.0, 12.0), (105.0, 12.0), (105.0, 140.0), (10.0, 140.0)))


def said(*words: tuple[str, BoxMm]) -> PageText:
    """Return a capture's text, a line for each word."""
    lines = tuple(Line(words=(Word(text=text, box=box, confidence=1.0),), box=box) for text, box in words)
    block = Block(paragraphs=(Paragraph(lines=lines),))
    return PageText(width_mm=WIDTH_MM, height_mm=HEIGHT_MM, languages=(), blocks=(block,))


def scan_with_a_bar() -> CapturedPicture:
    """Return a white capture, black where the word stands."""
    page = np.full((round(HEIGHT_MM / 25.4 * DPI), round(WIDTH_MM / 25.4 * DPI)), 255, np.uint8)
    left, top, right, bottom = (
        round(at / 25.4 * DPI) for at in (WORD_MM.left, WORD_MM.top, WORD_MM.right, WORD_MM.bottom)
    )
    page[top:bottom, left:right] = 0
    return CapturedPicture(encode_png(page), DPI)


@pytest.mark.parametrize(
    "treatment",
    [
        Treatment(),
        Treatment(crop=CROPPED),
        Treatment(quarter_turns=1),
        Treatment(quarter_turns=2, crop=CROPPED),
        Treatment(quarter_turns=3, straighten=Straightening(skew_deg=4.0), crop=CROPPED),
        Treatment(straighten=Straightening(skew_deg=-6.0), margins=(5.0, -3.0)),
    ],
)
def test_a_word_lies_where_its_print_is_rendered(treatment: Treatment) -> None:
    rendered = render(scan_with_a_bar(), treatment)
    (left, top, width, height) = cv2.boundingRect((rendered < 128).astype(np.uint8))
    text = text_on_page(said(("Meadow", WORD_MM)), treatment)
    assert text is not None
    (line,) = text.lines()
    printed_mm = np.array([left, top, left + width, top + height]) * 25.4 / DPI
    placed_mm = np.array([line.box.left, line.box.top, line.box.right, line.box.bottom])
    np.testing.assert_allclose(placed_mm, printed_mm, atol=0.6)  # two pixels and a little
    assert (text.width_mm, text.height_mm) == pytest.approx(
        (rendered.shape[1] * 25.4 / DPI, rendered.shape[0] * 25.4 / DPI), abs=0.3
    )


def test_what_is_cut_away_or_wiped_is_not_said() -> None:
    text = said(
        ("kept", WORD_MM),
        ("outside", BoxMm(left=2, top=50, right=8, bottom=56)),
        ("wiped", BoxMm(left=40, top=100, right=60, bottom=106)),
    )
    wiped = Zone(x_mm=36.0, y_mm=97.0, width_mm=8.0, height_mm=4.0)  # touches the word's upper left
    zone = SheetZone(name="a", kind=ZoneKind.WIPE, corners=wiped.corners())
    placed = text_on_page(text, Treatment(crop=CROPPED, zones=(zone,)))
    assert placed is not None
    assert placed.text == "kept"


def test_only_what_lies_in_a_frame_is_said_where_all_else_is_cleared() -> None:
    text = said(("kept", WORD_MM), ("beyond", BoxMm(left=40, top=100, right=60, bottom=106)))
    frame = Zone(x_mm=WORD_MM.left - 1, y_mm=WORD_MM.top - 1, width_mm=45.0, height_mm=20.0)
    zone = SheetZone(name="a", kind=ZoneKind.KEEP, corners=frame.corners())
    placed = text_on_page(text, Treatment(crop=CROPPED, zones=(zone,)))
    assert placed is not None
    assert placed.text == "kept"


def test_a_page_of_a_spread_says_what_stands_on_it() -> None:
    text = said(("here", WORD_MM), ("there", BoxMm(left=75, top=20, right=90, bottom=26)))
    gutter = ((72.0, 0.0), (72.0, 160.0))
    left, right = (text_on_page(text, Treatment(part=Part(gutter=gutter, right=side))) for side in (False, True))
    assert left is not None
    assert right is not None
    assert (left.text, right.text) == ("here", "there")
    assert right.blocks[0].paragraphs[0].lines[0].box.left == pytest.approx(3)


def test_a_photo_is_read_anew() -> None:
    flat = ((5.0, 5.0), (110.0, 5.0), (110.0, 150.0), (5.0, 150.0))
    assert text_on_page(said(("Meadow", WORD_MM)), Treatment(corners=flat)) is None
