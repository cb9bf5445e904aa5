"""What the lines of a page are parts of: headings, paragraphs, tables."""

from collections.abc import Iterator
from statistics import median
from typing import NamedTuple

from papiermappe.core.reading.page_text import BoxMm, Line, PageText
from papiermappe.core.reading.tables import Grid

HEADING_RATIO = 1.25  # a heading's lines are this much taller than the page's usual line...
TITLE_RATIO = 1.7
HEADING_LINES = 2  # ...and a heading has at most this many
HYPHENS = ("-", "\u00ad", "\u2010")


class Heading(NamedTuple):
    """A heading."""

    text: str
    level: int
    """1 is the highest."""


class Prose(NamedTuple):
    """A paragraph, its lines joined."""

    text: str


class Table(NamedTuple):
    """A table: for each row the text of its cells."""

    rows: tuple[tuple[str, ...], ...]


Element = Heading | Prose | Table


def elements_of(page: PageText, grids: tuple[Grid, ...] = ()) -> list[Element]:
    """Return what is on a page, in the order of reading.

    Args:
        page: as it was read.
        grids: of the tables that rules show; words within one are its cells, and it stands where its first word does.
    """
    lines = list(page.lines())
    usual_mm = median(_height_mm(line) for line in lines) if lines else 0.0
    elements: list[Element] = []
    placed: set[Grid] = set()
    for paragraph in (paragraph for block in page.blocks for paragraph in block.paragraphs):
        free = []
        for line in paragraph.lines:
            grid = next((found for found in grids if found.holds(line.box)), None)
            if grid is None:
                free.append(line)
            elif grid not in placed:
                elements += _paragraph(free, usual_mm)
                free = []
                placed.add(grid)
                elements.append(_table(grid, lines))
        elements += _paragraph(free, usual_mm)
    return elements


def joined(lines: list[Line]) -> str:
    """Return lines as running text: a word divided at the end of a line is one word again."""
    text = ""
    for line in lines:
        divided = len(text) > 1 and text.endswith(HYPHENS) and text[-2].isalpha() and line.text[:1].islower()
        text = text[:-1] + line.text if divided else f"{text} {line.text}".strip()
    return text


def _paragraph(lines: list[Line], usual_mm: float) -> Iterator[Element]:
    if not lines:
        return
    ratio = median(_height_mm(line) for line in lines) / usual_mm
    if ratio >= HEADING_RATIO and len(lines) <= HEADING_LINES:
        yield Heading(joined(lines), 1 if ratio >= TITLE_RATIO else 2)
    else:
        yield Prose(joined(lines))


def _table(grid: Grid, lines: list[Line]) -> Table:
    cells: dict[tuple[int, int], list[str]] = {}
    for word in (word for line in lines for word in line.words):
        place = grid.cell_of(*_centre(word.box))
        if place is not None:
            cells.setdefault(place, []).append(word.text)
    rows, columns = len(grid.rows_mm) - 1, len(grid.columns_mm) - 1
    return Table(tuple(tuple(" ".join(cells.get((row, at), [])) for at in range(columns)) for row in range(rows)))


def _height_mm(line: Line) -> float:
    return line.box.bottom - line.box.top


def _centre(box: BoxMm) -> tuple[float, float]:
    return (box.left + box.right) / 2, (box.top + box.bottom) / 2
