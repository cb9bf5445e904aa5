"""What the lines of a page are parts of, headings, paragraphs, lists, tables, columns, and the pictures among them."""

import re
from collections.abc import Iterator, Sequence
from statistics import median
from typing import NamedTuple

from papiermappe.core.reading.figures import SURE_WORD, Figure, not_read
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph
from papiermappe.core.reading.tables import Grid

HEADING_RATIO = 1.25  # a heading's lines are this much taller than the page's usual line...
TITLE_RATIO = 1.7
HEADING_LINES = 2  # ...and a heading has at most this many
HYPHENS = ("-", "\u00ad", "\u2010")
COLUMN_LINES = 4  # shorter blocks beside one another are an address and a date, not columns
COLUMN_SHARE = 0.2  # of the page's width, at least
_BULLET = re.compile(r"^[•◦▪‣∙·*»\u2013\u2014-]\s+(?=\S)")
_NUMBER = re.compile(r"^(\(?(?:\d{1,3}|[a-z]|[ivx]{1,4})[.)]|[A-Z]\)|\d{1,2}(?:\.\d{1,2}){1,3}\.?)\s+(?=\S)")


class Heading(NamedTuple):
    """A heading."""

    text: str
    level: int
    """1 is the highest."""


class Prose(NamedTuple):
    """A paragraph, its lines joined."""

    text: str


class ListItem(NamedTuple):
    """An item of a list."""

    text: str
    number: str = ""
    """As it is printed, as in "3." or "b)"; empty: it has a bullet."""


class Table(NamedTuple):
    """A table: for each row the text of its cells."""

    rows: tuple[tuple[str, ...], ...]


class Picture(NamedTuple):
    """A stamp, a signature, a photograph."""

    figure: Figure


Simple = Heading | Prose | ListItem | Table | Picture


class Columns(NamedTuple):
    """Columns of print beside one another."""

    columns: tuple[tuple[Simple, ...], ...]


Element = Simple | Columns


def elements_of(page: PageText, grids: tuple[Grid, ...] = (), figures: Sequence[Figure] = ()) -> list[Element]:
    """Return what is on a page, in the order of reading.

    Args:
        page: as it was read.
        grids: of its tables; words within one are its cells, and it stands where its first word does.
        figures: what may be pictures; each stands behind the last paragraph that begins above it.
    """
    return _Reading(page, grids, figures).elements()


def joined(lines: Sequence[Line]) -> str:
    """Return lines as running text: a word divided at the end of a line is one word again."""
    text = ""
    for line in lines:
        divided = len(text) > 1 and text.endswith(HYPHENS) and text[-2].isalpha() and line.text[:1].islower()
        text = text[:-1] + line.text if divided else f"{text} {line.text}".strip()
    return text


def begins_item(text: str) -> bool:
    """Return whether a line begins as an item of a list does.

    >>> begins_item("3. Ladders"), begins_item("Ladders")
    (True, False)
    """
    return bool(_BULLET.match(text) or _NUMBER.match(text))


class _Reading:
    """Goes through a page once."""

    def __init__(self, page: PageText, grids: tuple[Grid, ...], figures: Sequence[Figure]) -> None:
        self._page, self._grids = page, grids
        self._lines = list(page.lines())
        self._usual_mm = median(_height_mm(line) for line in self._lines) if self._lines else 0.0
        self._placed: set[Grid] = set()
        self._figures = not_read(figures, [word for line in self._lines for word in line.words])
        self._waiting = list(self._figures)

    def elements(self) -> list[Element]:
        elements: list[Element] = []
        for group in _in_columns(self._page):
            columns = [tuple(self._of_blocks(blocks)) for blocks in group]
            elements += columns[0] if len(columns) == 1 else [Columns(tuple(columns))]
        return [*elements, *(Picture(figure) for figure in self._waiting)]

    def _of_blocks(self, blocks: Sequence[Block]) -> Iterator[Simple]:
        for block in blocks:
            for paragraph in block.paragraphs:
                yield from self._pictures_above(paragraph.lines[0].box)
                yield from self._of_paragraph(paragraph)

    def _pictures_above(self, box: BoxMm) -> Iterator[Picture]:
        """Yield the pictures that begin above a place, and lie over or beside its column."""
        above = [figure for figure in self._waiting if figure.box.top < box.top]
        self._waiting = [figure for figure in self._waiting if figure not in above]
        yield from map(Picture, above)

    def _of_paragraph(self, paragraph: Paragraph) -> Iterator[Simple]:
        free: list[Line] = []
        for line in filter(None, map(self._outside, paragraph.lines)):
            grid = next((found for found in self._grids if found.holds(line.box)), None)
            if grid is None:
                free.append(line)
            elif grid not in self._placed:
                yield from self._of_lines(free)
                free = []
                self._placed.add(grid)
                yield _table(grid, self._lines)
        yield from self._of_lines(free)

    def _outside(self, line: Line) -> Line | None:
        """Return a line without what was guessed within a picture; None where nothing is left."""
        words = tuple(word for word in line.words if word.confidence >= SURE_WORD or not self._is_in_figure(word.box))
        return line.model_copy(update={"words": words}) if words else None

    def _is_in_figure(self, box: BoxMm) -> bool:
        x_mm, y_mm = _centre(box)
        return any(
            figure.box.left <= x_mm <= figure.box.right and figure.box.top <= y_mm <= figure.box.bottom
            for figure in self._figures
        )

    def _of_lines(self, lines: Sequence[Line]) -> Iterator[Simple]:
        if not lines:
            return
        ratio = median(_height_mm(line) for line in lines) / self._usual_mm
        if ratio >= HEADING_RATIO and len(lines) <= HEADING_LINES:
            yield Heading(joined(lines), 1 if ratio >= TITLE_RATIO else 2)
            return
        yield from map(_prose_or_item, _by_items(lines))


def _by_items(lines: Sequence[Line]) -> list[list[Line]]:
    """Return lines by paragraphs: items of a list begin new ones, where two begin so or the first line does."""
    begins = [begins_item(line.text) for line in lines]
    if sum(begins) < 2 and not begins[0]:
        return [list(lines)]
    groups: list[list[Line]] = []
    for line, is_first in zip(lines, begins, strict=True):
        if is_first or not groups:
            groups.append([])
        groups[-1].append(line)
    return groups


def _prose_or_item(lines: Sequence[Line]) -> Simple:
    text = joined(lines)
    if bullet := _BULLET.match(text):
        return ListItem(text[bullet.end() :])
    if number := _NUMBER.match(text):
        return ListItem(text[number.end() :], number[1])
    return Prose(text)


def _in_columns(page: PageText) -> Iterator[list[list[Block]]]:
    """Yield groups of blocks: one list of blocks each that stand below one another, or several, a column each."""
    group: list[list[Block]] = []
    for block in page.blocks:
        if group and _is_beside(block, group[-1], page) and all(map(_is_column, (*group, [block]))):
            group.append([block])
        elif len(group) > 1 and _box(block).left >= _around(group[-1]).left - 2 and not _is_below_all(block, group):
            group[-1].append(block)
        else:
            if group:
                yield group
            group = [[block]]
    if group:
        yield group


def _is_beside(block: Block, column: Sequence[Block], page: PageText) -> bool:
    """Whether a block begins to the right of a column, and above its foot, both wide enough."""
    box, left = _box(block), _around(column)
    wide = min(box.right - box.left, left.right - left.left) >= COLUMN_SHARE * page.width_mm
    return wide and box.left >= left.right - 1 and box.top < left.bottom - (left.bottom - left.top) / 2


def _is_column(blocks: Sequence[Block]) -> bool:
    return sum(len(paragraph.lines) for block in blocks for paragraph in block.paragraphs) >= COLUMN_LINES


def _is_below_all(block: Block, group: Sequence[Sequence[Block]]) -> bool:
    return _box(block).top >= max(_around(column).bottom for column in group) - 1


def _box(block: Block) -> BoxMm:
    return BoxMm.around(line.box for paragraph in block.paragraphs for line in paragraph.lines)


def _around(blocks: Sequence[Block]) -> BoxMm:
    return BoxMm.around(map(_box, blocks))


def _table(grid: Grid, lines: Sequence[Line]) -> Table:
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
