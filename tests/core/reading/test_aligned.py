"""Tables that only their alignment shows."""

import pytest

from papiermappe.core.reading.aligned import aligned_tables
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.reading.structure import Table, elements_of
from papiermappe.core.reading.tables import Grid

LETTER_MM, SPACE_MM, HEIGHT_MM = 2.0, 1.2, 3.0

Cell = tuple[float, str]
"""Where it begins, in mm, and its words."""


def laid(rows: list[list[Cell]], pitch_mm: float = 6.0, top_mm: float = 30.0) -> list[Line]:
    """Return lines of letters of one width; each row is one line, as a recogniser reads them."""
    lines = []
    for at, cells in enumerate(rows):
        top = top_mm + pitch_mm * at
        words = []
        for left_mm, said in cells:
            left = left_mm
            for text in said.split():
                right = left + LETTER_MM * len(text)
                box = BoxMm(left=left, top=top, right=right, bottom=top + HEIGHT_MM)
                words.append(Word(text=text, box=box, confidence=1))
                left = right + SPACE_MM
        lines.append(Line(words=tuple(words), box=BoxMm.around(word.box for word in words)))
    return lines


def page(*blocks: list[Line]) -> PageText:
    """Return a page of blocks of one paragraph each."""
    made = tuple(Block(paragraphs=(Paragraph(lines=tuple(lines)),)) for lines in blocks)
    return PageText(width_mm=210, height_mm=297, languages=("eng",), blocks=made)


def rows_of(read: PageText) -> list[tuple[tuple[str, ...], ...]]:
    """Return the rows of the tables that are found."""
    grids = tuple(aligned_tables(read))
    return [element.rows for element in elements_of(read, grids) if isinstance(element, Table)]


NOTE: list[list[Cell]] = [
    [(20, "Variety"), (80, "Crates"), (120, "kg")],
    [(20, "Weir Russet"), (80, "12"), (118, "323")],
    [(20, "Blue Damson"), (80, "9")],
    [(20, "Golden Hollin late"), (80, "15"), (118, "339")],
]


def test_white_lanes_through_several_rows_show_a_table() -> None:
    prose = laid([[(20, "We thank you for the fruit of this week and list what came")]], top_mm=20)
    end = laid([[(20, "Please send the crates back to us by the end of next month")]], top_mm=60)
    assert rows_of(page(prose, laid(NOTE), end)) == [
        (
            ("Variety", "Crates", "kg"),
            ("Weir Russet", "12", "323"),
            ("Blue Damson", "9", ""),
            ("Golden Hollin late", "15", "339"),
        )
    ]


def test_it_is_the_same_where_each_column_was_read_as_a_block() -> None:
    columns = [
        [line for row, cells in enumerate(NOTE) if at < len(cells) for line in laid([[cells[at]]], top_mm=30 + 6 * row)]
        for at in range(3)
    ]
    assert rows_of(page(*columns)) == rows_of(page(laid(NOTE)))


def test_a_cell_that_goes_on_below_is_one_and_a_sum_is_a_row_of_its_own() -> None:
    rows: list[list[Cell]] = [
        [(20, "1"), (40, "Ladder rungs"), (120, "231.40")],
        [(40, "of ash")],
        [(20, "2"), (40, "Press cloths"), (120, "116.85")],
        [(20, "3"), (40, "Nails"), (120, "57.60")],
        [(106, "Total 405.85")],
    ]
    (table,) = rows_of(page(laid(rows)))
    assert table[0] == ("1", "Ladder rungs of ash", "231.40")
    assert table[-1] == ("", "", "Total 405.85")
    assert len(table) == 4


PROSE = "the meadow is mown twice and"


@pytest.mark.parametrize(
    "rows",
    [
        [[(20, PROSE), (110, PROSE)]] * 8,  # two columns of print
        [[(20, "a)"), (32, "the tenant keeps the fences")], [(20, "b)"), (32, "he prunes in winter")],
         [(20, "c)"), (32, "and mows")]],
        [[(20, "Hollerbeck Orchard"), (140, "3 May 2026")], [(20, "Long Row 4")], [(20, "Ostwick")]],
        [[(20, f"{PROSE} {PROSE}")]] * 6,
    ],
)  # fmt: skip
def test_columns_lists_addresses_and_prose_are_no_tables(rows: list[list[Cell]]) -> None:
    assert aligned_tables(page(laid(rows))) == []


def test_words_of_a_table_that_rules_show_are_in_no_other() -> None:
    assert aligned_tables(page(laid(NOTE)), [Grid((25.0, 60.0), (15.0, 200.0))]) == []


def test_rows_far_apart_are_no_table_and_a_long_page_is_worked_through() -> None:
    assert aligned_tables(page(laid(NOTE, pitch_mm=40))) == []
    many: list[list[Cell]] = [[(20, f"plot{at}"), (120, str(at))] for at in range(390)]
    (grid,) = aligned_tables(page(laid(many, pitch_mm=5)))
    assert len(grid.rows_mm) == 391
