"""What lines are parts of."""

import numpy as np
import pytest

from papiermappe.core.paper import A4
from papiermappe.core.picture import decode
from papiermappe.core.reading.figures import Figure, find_figures
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.reading.structure import Columns, Element, Heading, ListItem, Picture, Prose, Table, elements_of
from papiermappe.core.reading.tables import Grid, find_tables
from papiermappe.standin.paper.drawing import Drawing, draw_side

ROWS = [["Sort", "Crates", "Weight"], ["Conference", "12", "216 kg"], ["Williams", "7", "131 kg"]]


def line(text: str, top_mm: float = 0.0, height_mm: float = 4.0, left_mm: float = 20.0) -> Line:
    """Return a line whose words are 10 mm wide each."""
    words = tuple(
        Word(
            text=word,
            box=BoxMm(left=left_mm + 12 * at, top=top_mm, right=left_mm + 12 * at + 10, bottom=top_mm + height_mm),
            confidence=1,
        )
        for at, word in enumerate(text.split())
    )
    box = BoxMm(left=left_mm, top=top_mm, right=words[-1].box.right, bottom=top_mm + height_mm)
    return Line(words=words, box=box)


def page(*paragraphs: list[Line]) -> PageText:
    """Return a page of paragraphs."""
    blocks = tuple(Block(paragraphs=(Paragraph(lines=tuple(lines)),)) for lines in paragraphs)
    return PageText(width_mm=210, height_mm=297, languages=("eng",), blocks=blocks)


@pytest.mark.parametrize(
    ("lines", "text"),
    [
        (["The pears are", "weighed here."], "The pears are weighed here."),
        (["in the orch-", "ard below"], "in the orchard below"),
        (["the Ostwick-", "Hollerbeck road"], "the Ostwick- Hollerbeck road"),  # a name: the hyphen is its own
        (["pages 3 -", "and 4"], "pages 3 - and 4"),
        (["soft hy\u00ad", "phens"], "soft hyphens"),
    ],
)
def test_lines_are_joined(lines: list[str], text: str) -> None:
    assert elements_of(page([line(one) for one in lines])) == [Prose(text)]


def test_headings_are_higher_than_what_follows() -> None:
    body = [[line("as agreed in the year before")] for _ in range(5)]
    found = elements_of(page([line("Lease", height_mm=8)], [line("Water rights", height_mm=5.4)], *body))
    assert found[:3] == [Heading("Lease", 1), Heading("Water rights", 2), Prose("as agreed in the year before")]


def test_lists_have_items_with_their_printed_numbers_or_bullets() -> None:
    lines = ["1. The tenant keeps the", "fences.", "2. He prunes.", "a) in winter"]
    assert elements_of(
        page([line(one) for one in lines], [line("• crates"), line("\N{EN DASH} ladders, and"), line("saws")])
    ) == [
        ListItem("The tenant keeps the fences.", "1."),
        ListItem("He prunes.", "2."),
        ListItem("in winter", "a)"),
        ListItem("crates"),
        ListItem("ladders, and saws"),
    ]


@pytest.mark.parametrize("text", ["M. Öz wrote this in the year before", "12 crates - and 3", "216 kg were weighed"])
def test_what_begins_like_an_item_and_is_none_is_prose(text: str) -> None:
    assert elements_of(page([line(text)])) == [Prose(text)]


def test_a_dash_in_the_middle_of_a_paragraph_begins_no_item() -> None:
    lines = ["The pears were good", "- as ever -", "and sold."]
    assert elements_of(page([line(one) for one in lines])) == [Prose("The pears were good - as ever - and sold.")]


def column(left_mm: float, top_mm: float, *texts: str) -> list[Line]:
    """Return the lines of a column, of six words each."""
    return [line(text, top_mm + 6 * at, left_mm=left_mm) for at, text in enumerate(texts)]


def test_columns_stand_beside_one_another_between_what_goes_across() -> None:
    six = ["one two three four five six"] * 5
    found = elements_of(
        page(
            column(20, 20, "Minutes of the meeting"),
            column(20, 40, *six),
            column(110, 40, *six),
            column(20, 90, "All agreed"),
        )
    )
    prose = Prose(" ".join(six))
    assert found == [Prose("Minutes of the meeting"), Columns(((prose,), (prose,))), Prose("All agreed")]


def test_an_address_and_a_date_beside_it_are_no_columns() -> None:
    found = elements_of(page(column(20, 40, "Mira Öz", "Mill Lane 4", "Ostwick"), column(140, 40, "3 June 2026")))
    assert found == [Prose("Mira Öz Mill Lane 4 Ostwick"), Prose("3 June 2026")]


def _with_figures(drawing: Drawing) -> None:
    drawing.text(20, 40, "The pears are weighed here, crate by crate.", 11)
    drawing.text(20, 48, "Nothing is taken off for the stalks.", 11)
    drawing.stamp(150, 100, "RECEIVED", "3 JUNE")
    drawing.text(20, 200, "Signed by the chair", 11)
    drawing.table(20, 220, (60, 35, 35), ROWS, 9)
    for x_mm in (20, 80, 115, 150):
        drawing.rule(x_mm, 220, x_mm, 220 + 9 * len(ROWS))


def test_a_stamp_is_a_picture_and_print_and_tables_are_not() -> None:
    drawn = draw_side(A4, _with_figures).raster(150)
    ink = drawn[..., 1] < 128
    (figure,) = find_figures(drawn, ink, 150, find_tables(ink, 150))
    # The stamp is 30 mm round 150, 100 mm.
    assert figure.box.left < 150 < figure.box.right
    assert figure.box.top < 100 < figure.box.bottom
    assert 15 < figure.box.right - figure.box.left < 40
    shown = decode(figure.png)
    assert shown.ndim == 3
    assert shown.shape[1] == pytest.approx((figure.box.right - figure.box.left + 2) / 25.4 * 150, abs=2)


def test_a_picture_stands_behind_what_begins_above_it_and_guesses_within_it_are_left_out() -> None:
    stamp = Figure(BoxMm(left=120, top=50, right=150, bottom=80), b"")
    above = line("Signed by the chair", 40)
    guessed = line("RECE|VED", 60, left_mm=125)
    guessed = guessed.model_copy(
        update={"words": tuple(w.model_copy(update={"confidence": 0.2}) for w in guessed.words)}
    )
    below = line("and by the clerk", 100)
    found = elements_of(page([above], [guessed], [below]), (), [stamp])
    assert found == [Prose("Signed by the chair"), Picture(stamp), Prose("and by the clerk")]


def test_large_print_is_no_picture_once_it_is_read() -> None:
    title = line("HARVEST", 20, height_mm=12)
    around = Figure(BoxMm(left=19, top=19, right=31, bottom=33), b"")
    assert elements_of(page([title]), (), [around]) == [Prose("HARVEST")]


def test_an_empty_page_has_nothing() -> None:
    assert elements_of(page()) == []


def _draw(drawing: Drawing) -> None:
    drawing.text(20, 20, "Weights of the week", 12)
    drawing.table(20, 40, (60, 35, 35), ROWS, 9)
    for x_mm in (20, 80, 115, 150):
        drawing.rule(x_mm, 40, x_mm, 40 + 9 * len(ROWS))
    drawing.box(20, 120, 100, 30)
    drawing.text(25, 130, "one box is no table", 10)


def test_rules_show_a_table() -> None:
    ink = draw_side(A4, _draw).raster(150)[..., 1] < 128
    (grid,) = find_tables(ink, 150)
    # Rules as drawn: four each way, 9 mm apart, and at 20, 80, 115 and 150 mm.
    assert grid.rows_mm == pytest.approx([40, 49, 58, 67], abs=0.5)
    assert grid.columns_mm == pytest.approx([20, 80, 115, 150], abs=0.5)
    assert grid.cell_of(100, 53) == (1, 1)
    assert grid.cell_of(10, 53) is None


def test_print_without_rules_is_no_table() -> None:
    def draw(drawing: Drawing) -> None:
        for row in range(20):
            drawing.text(20, 30 + 7 * row, "a line of print that goes on and on across the page", 11)

    assert find_tables(draw_side(A4, draw).raster(150)[..., 1] < 128, 150) == []
    assert find_tables(np.zeros((3, 3), np.bool_), 150) == []


def test_words_in_a_table_are_its_cells() -> None:
    """The table stands where its first word does; what stands before and after it stays prose."""
    grid = Grid((10.0, 20.0, 30.0), (15.0, 50.0, 90.0))
    read = page(
        [line("before", 2)],
        [line("Sort of", 12, left_mm=20), line("Crates", 12, left_mm=60)],
        [line("Williams", 22, left_mm=20), line("7", 22, left_mm=60)],
        [line("after", 40)],
    )
    expected: list[Element] = [Prose("before"), Table((("Sort of", "Crates"), ("Williams", "7"))), Prose("after")]
    assert elements_of(read, (grid,)) == expected
