"""Marks on pages, and black under which nothing is left."""

import tracemalloc
from collections.abc import Callable

import numpy as np
import pytest

from papiermappe.core.clean import ColourKind
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.marks import Mark, draw_marks
from papiermappe.core.pages import PageForm, PageSource, page_for_file
from papiermappe.core.paper import A5
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.text_layer import text_on_page
from papiermappe.core.treatment import Straightening, Tone, Treatment, render
from papiermappe.core.zones import SheetZone, Zone, ZoneKind
from papiermappe.standin.paper.drawing import Drawing, draw_side

Png = Callable[..., CapturedPicture]
DPI = 150
SECRET = Zone(x_mm=30, y_mm=40, width_mm=60, height_mm=8)


def zone(kind: ZoneKind, area: Zone = SECRET, text: str = "") -> SheetZone:
    """Return an area of a sheet."""
    return SheetZone(name=f"a-{kind.value.replace('_', '-')}", kind=kind, corners=area.corners(), text=text)


def letter(amount: str) -> Pixels:
    """Return a page with a line of print that must not go out, on grey paper."""

    def draw(page: Drawing) -> None:
        page.text(20, 30, "The lease of the upper meadow", 12)
        page.text(32, 46, amount, 14)
        page.text(20, 80, "Payable at Michaelmas", 12)

    return np.asarray(np.minimum(draw_side(A5, draw).raster(DPI), 235), np.uint8)


@pytest.mark.parametrize("tone", list(Tone))
@pytest.mark.parametrize("skew_deg", [0.0, 1.3])
def test_what_is_blacked_out_leaves_no_trace_in_the_picture(tone: Tone, skew_deg: float, png: Png) -> None:
    """Whatever stood there, the page is the same: also around the black, where a blur would tell of it."""
    treatment = Treatment(zones=(zone(ZoneKind.BLACKOUT),), tone=tone, straighten=Straightening(skew_deg=skew_deg))
    one, other = (render(png(letter(amount), DPI), treatment) for amount in ("8,400 a year", "WWWWWWWW"))
    assert np.array_equal(one, other)
    middle = one[round(44 / 25.4 * DPI), round(60 / 25.4 * DPI)]
    assert np.all(middle == 0)
    plain = treatment.model_copy(update={"zones": ()})
    one, other = (render(png(letter(amount), DPI), plain) for amount in ("8,400 a year", "WWWWWWWW"))
    assert not np.array_equal(one, other)
    small = [render(png(letter(amount), DPI), treatment, 240) for amount in ("8,400 a year", "WWWWWWWW")]
    assert np.array_equal(small[0], small[1])


@pytest.mark.parametrize("level", list(Level))
@pytest.mark.parametrize("colour", list(ColourKind))
def test_what_is_blacked_out_is_not_in_the_file(level: Level, colour: ColourKind, png: Png) -> None:
    """Every stream of the page is the same whatever stood there, and the page shows black."""
    treatment = Treatment(zones=(zone(ZoneKind.BLACKOUT),))
    contents = [
        page_for_file(PageSource(png(letter(amount), DPI), treatment, colour), PageForm(Format.PDF, level)).content
        for amount in ("8,400 a year", "WWWWWWWW")
    ]
    assert repr(contents[0]) == repr(contents[1])


def test_words_under_black_are_not_in_the_text_of_the_page() -> None:
    def word(text: str, top: float) -> Line:
        box = BoxMm(left=32, top=top, right=80, bottom=top + 5)
        return Line(words=(Word(text=text, box=box, confidence=1.0),), box=box)

    lines = (word("meadow", 26), word("8,400", 42), word("Michaelmas", 76))
    text = PageText(width_mm=148, height_mm=210, languages=(), blocks=(Block(paragraphs=(Paragraph(lines=lines),)),))
    placed = text_on_page(text, Treatment(zones=(zone(ZoneKind.BLACKOUT),)))
    assert placed is not None
    assert placed.text.split() == ["meadow", "Michaelmas"]
    marked = text_on_page(text, Treatment(zones=(zone(ZoneKind.HIGHLIGHT),)))
    assert marked is not None
    assert "8,400" in marked.text


def test_a_highlight_tints_the_paper_and_leaves_the_ink() -> None:
    page = np.full((100, 200), 240, np.uint8)
    page[40:60, 50:60] = 10
    mark = Mark(ZoneKind.HIGHLIGHT, np.array([(5.0, 5.0), (20.0, 5.0), (20.0, 20.0), (5.0, 20.0)]))
    marked = draw_marks(page, [mark], 100)
    assert marked.shape == (100, 200, 3)
    red, green, blue = marked[30, 40].tolist()
    assert red > green > blue + 100
    assert marked[50, 55].max() <= 10
    assert np.array_equal(marked[:, 120:], np.repeat(page[:, 120:, None], 3, axis=2))


@pytest.mark.parametrize("kind", [ZoneKind.BOX, ZoneKind.LINE, ZoneKind.RISING_LINE])
def test_boxes_and_lines_run_where_they_were_drawn(kind: ZoneKind) -> None:
    """In a square of 20 mm at 127 dpi, 100 px: corners and diagonals are at known places."""
    page = np.full((150, 150, 3), 255, np.uint8)
    mark = Mark(kind, np.array([(5.0, 5.0), (25.0, 5.0), (25.0, 25.0), (5.0, 25.0)]))
    inked = draw_marks(page, [mark], 127).min(axis=2) < 128
    on_side, falls, rises = inked[75, 25], inked[50, 50], inked[50, 99]
    assert bool(on_side) is (kind is ZoneKind.BOX)
    assert bool(falls) is (kind is ZoneKind.LINE)
    assert bool(rises) is (kind is ZoneKind.RISING_LINE)
    assert not inked[75, 60]


def test_a_long_note_is_written_smaller_and_stays_in_its_frame() -> None:
    page = np.full((300, 400, 3), 255, np.uint8)
    frame = np.array([(10.0, 10.0), (60.0, 10.0), (60.0, 40.0), (10.0, 40.0)])
    marked = draw_marks(page, [Mark(ZoneKind.NOTE, frame, "Bitte prüfen: Größe und Übergabe. " * 8)], 150)
    outside = np.ones(page.shape[:2], np.bool_)
    outside[57:240, 57:360] = False  # the frame, and half the line around it
    assert (marked[outside] == 255).all()
    assert (marked[70:230, 70:340].min(axis=2) < 120).mean() > 0.03


@pytest.mark.parametrize("kind", [kind for kind in ZoneKind if kind is not ZoneKind.KEEP])
def test_a_mark_far_larger_than_the_page_costs_no_more_than_the_page(kind: ZoneKind) -> None:
    """Four metres at 1200 dpi would be 100 gigabytes."""
    page = np.full((300, 400, 3), 200, np.uint8)
    frame = np.array([(-2000.0, -2000.0), (2000.0, -2000.0), (2000.0, 2000.0), (-2000.0, 2000.0)])
    tracemalloc.start()
    marked = draw_marks(page, [Mark(kind, frame, "Look here " * 40)], 1200)
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert marked.shape == page.shape
    assert most < 20 * page.nbytes
    beside = np.array([(900.0, 900.0), (950.0, 900.0), (950.0, 950.0), (900.0, 950.0)])
    assert np.array_equal(draw_marks(page, [Mark(kind, beside, "there")], 1200), page)


def test_all_kinds_of_marks_are_drawn_on_one_page(png: Png) -> None:
    """In the order in which they were made, a note among the first; black goes over all of them."""
    kinds = (ZoneKind.NOTE, ZoneKind.BOX, ZoneKind.HIGHLIGHT, ZoneKind.LINE, ZoneKind.RISING_LINE, ZoneKind.BLACKOUT)
    treatment = Treatment(zones=tuple(zone(kind, text="Look" if kind is ZoneKind.NOTE else "") for kind in kinds))
    page = render(png(letter("8,400"), DPI), treatment)
    assert page.shape[2] == 3
    assert np.all(page[round(44 / 25.4 * DPI), round(35 / 25.4 * DPI) : round(85 / 25.4 * DPI)] == 0)


def test_a_marked_page_is_filed_in_colour(png: Png) -> None:
    """Also where the print alone would become black and white."""
    for tone in (Tone.AS_SCANNED, Tone.GREY, Tone.BILEVEL, Tone.WHITE):
        treatment = Treatment(zones=(zone(ZoneKind.HIGHLIGHT),), tone=tone)
        assert render(png(letter("8,400"), DPI), treatment).ndim == 3
