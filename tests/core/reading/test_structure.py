"""What lines are parts of."""

import numpy as np
import pytest

from papiermappe.core.paper import A4
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.reading.structure import Element, Heading, Prose, Table, elements_of
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
