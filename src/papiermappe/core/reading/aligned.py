"""Tables that no rules show: rows of print with the same white lanes down through all of them."""

from collections.abc import Iterator, Sequence
from itertools import pairwise
from statistics import median
from typing import NamedTuple

from papiermappe.core.reading.page_text import BoxMm, PageText, Word
from papiermappe.core.reading.structure import begins_item
from papiermappe.core.reading.tables import Grid

LEAST_ROWS = 3  # with two cells at least
LANE, WORD_SPACES = 0.9, 2.5  # heights of a usual word, and narrow spaces between words: a lane is wider than both
NARROW = 0.2  # of the spaces on a page are narrower than its narrow ones
APART, MORE_APART = 5.0, 1.6  # heights from one row to the next; and how much more than between those before
FULL, MOSTLY = 0.8, 0.5  # prose fills so much of the width of its column in so many of its lines...
PROSE_WORDS = 4  # ...and has as many words in a line
FILLED = 0.5  # of its rows, the first column has a cell in so many
SPARSE, SURE_LANE = 0.3, 2.0  # a column with a cell in fewer rows needs a lane of so many heights
SAME_LEFT_MM = 1.0
OUTSIDE_MM = 1.0
MOST_ROWS = 400  # of a page: what has more was not read from print

_Span = tuple[float, float]


class _Row(NamedTuple):
    """Words at one height, from the left."""

    words: tuple[Word, ...]

    @property
    def box(self) -> BoxMm:
        return BoxMm.around(word.box for word in self.words)


def aligned_tables(page: PageText, ruled: Sequence[Grid] = ()) -> list[Grid]:
    """Return the tables of a page that their alignment shows, from the top.

    Args:
        page: as it was read.
        ruled: tables that are known already; their words are no others'.

    >>> def word(text, left, top):
    ...     return Word(text=text, box=BoxMm(left=left, top=top, right=left + 15, bottom=top + 3), confidence=1)
    >>> from papiermappe.core.reading.page_text import Block, Line, Paragraph
    >>> def line(top, *words): return Line(words=words, box=BoxMm.around(word.box for word in words))
    >>> lines = [line(top, word("Crates", 20, top), word("12", 90, top)) for top in (30, 36, 42)]
    >>> page = PageText(width_mm=210, height_mm=297, languages=("eng",),
    ...     blocks=(Block(paragraphs=(Paragraph(lines=tuple(lines)),)),))
    >>> [(len(grid.rows_mm), grid.columns_mm) for grid in aligned_tables(page)]
    [(4, (19.0, 62.5, 106.0))]
    """
    words = [word for line in page.lines() for word in line.words if not any(grid.holds(word.box) for grid in ruled)]
    rows = _rows(words)
    if not LEAST_ROWS <= len(rows) <= MOST_ROWS:
        return []
    height_mm = median(word.box.bottom - word.box.top for word in words)
    space_mm = _narrow_space_mm(rows)
    between_words_mm = space_mm if space_mm <= height_mm else 0.0  # wider ones are lanes: each cell has one word
    return list(_tables(rows, height_mm, max(LANE * height_mm, WORD_SPACES * between_words_mm)))


def _rows(words: Sequence[Word]) -> list[_Row]:
    """Return words in rows, from the top: a row's words lie at the height of its first."""
    rows: list[list[Word]] = []
    for word in sorted(words, key=lambda word: word.box.top + word.box.bottom):
        middle = (word.box.top + word.box.bottom) / 2
        if rows and rows[-1][0].box.top <= middle <= rows[-1][0].box.bottom:
            rows[-1].append(word)
        else:
            rows.append([word])
    return [_Row(tuple(sorted(row, key=lambda word: word.box.left))) for row in rows]


def _narrow_space_mm(rows: Sequence[_Row]) -> float:
    spaces_mm = sorted(gap[1] - gap[0] for row in rows for gap in _gaps(row))
    return spaces_mm[int(NARROW * len(spaces_mm))] if spaces_mm else 0.0


def _tables(rows: Sequence[_Row], height_mm: float, least_mm: float) -> Iterator[Grid]:
    at = 0
    while at < len(rows):
        end, lanes = _reach(rows, at, height_mm, least_mm)
        found = _Found(rows[at:end], lanes, height_mm)
        if found.is_table:
            yield found.grid
        at = end if found.is_table or found.is_prose else at + 1


def _reach(rows: Sequence[_Row], first: int, height_mm: float, least_mm: float) -> tuple[int, list[_Span]]:
    """Return where the rows end that have lanes in common with the first one, and those lanes."""
    lanes = [gap for gap in _gaps(rows[first]) if gap[1] - gap[0] >= least_mm]
    most_mm = APART * height_mm
    end = first + 1
    while end < len(rows) and lanes:
        pitch_mm = rows[end].box.bottom - rows[end - 1].box.bottom
        common = _common(lanes, rows[end], least_mm)
        if pitch_mm > most_mm or len(common) < max(1, len(lanes) - 1):
            break
        lanes, most_mm = common, min(most_mm, max(MORE_APART * pitch_mm, 2 * height_mm))
        end += 1
    return end, lanes


def _gaps(row: _Row) -> list[_Span]:
    """Return the gaps between the words of a row."""
    return [(left.box.right, right.box.left) for left, right in pairwise(row.words)]


def _common(lanes: Sequence[_Span], row: _Row, least_mm: float) -> list[_Span]:
    """Return what a row leaves free of lanes."""
    left_free = list(lanes)
    for word in row.words:
        cut: list[_Span] = []
        for left, right in left_free:
            cut += [(left, min(right, word.box.left)), (max(left, word.box.right), right)]
        left_free = [span for span in dict.fromkeys(cut) if span[1] - span[0] >= least_mm]
    return left_free


class _Found:
    """Rows with lanes in common."""

    def __init__(self, rows: Sequence[_Row], lanes: Sequence[_Span], height_mm: float) -> None:
        self._rows = rows
        self._box = BoxMm.around(row.box for row in rows)
        edges = [(left + right) / 2 for left, right in _filled(rows, sorted(lanes), height_mm)]
        self._columns_mm = (self._box.left - OUTSIDE_MM, *edges, self._box.right + OUTSIDE_MM)
        self._cells = [_cells(row, self._columns_mm) for row in rows]
        self._columns = [[cell for cell in column if cell] for column in zip(*self._cells, strict=True)]

    @property
    def is_prose(self) -> bool:
        """Whether they are columns of running text."""
        return len(self._rows) >= LEAST_ROWS and any(map(_is_prose, self._columns))

    @property
    def is_table(self) -> bool:
        """Whether they are a table: several rows of several cells, and no list."""
        whole = sum(sum(map(bool, cells)) >= 2 for cells in self._cells)
        if whole < LEAST_ROWS or len(self._columns[0]) < FILLED * len(self._rows) or self.is_prose:
            return False
        return not all(len(cell) == 1 and begins_item(f"{cell[0].text} x") for cell in self._columns[0])

    @property
    def grid(self) -> Grid:
        """Where their cells are divided."""
        divided = [
            (above.box.bottom + row.box.top) / 2
            for (above, row), (cells_above, cells) in zip(pairwise(self._rows), pairwise(self._cells), strict=True)
            if not _goes_on(cells_above, cells)
        ]
        return Grid((self._box.top - OUTSIDE_MM, *divided, self._box.bottom + OUTSIDE_MM), self._columns_mm)


def _filled(rows: Sequence[_Row], lanes: Sequence[_Span], height_mm: float) -> list[_Span]:
    """Return the lanes, without those that are only the space between two words of one row."""
    filled = []
    for at, (left, right) in enumerate(lanes):
        until = lanes[at + 1][0] if at + 1 < len(lanes) else float("inf")
        count = sum(any(right <= word.box.left < until for word in row.words) for row in rows)
        if count >= SPARSE * len(rows) or right - left >= SURE_LANE * height_mm:
            filled.append((left, right))
    return filled


def _cells(row: _Row, columns: Sequence[float]) -> list[list[Word]]:
    cells: list[list[Word]] = [[] for _ in columns[1:]]
    for word in row.words:
        middle = (word.box.left + word.box.right) / 2
        cells[sum(middle >= edge for edge in columns[1:-1])].append(word)
    return cells


def _goes_on(above: Sequence[Sequence[Word]], cells: Sequence[Sequence[Word]]) -> bool:
    """Return whether a row only goes on with a cell of the row above it, below its first letter."""
    filled = [at for at, cell in enumerate(cells) if cell]
    if len(filled) != 1 or filled[0] == 0 or not above[filled[0]]:
        return False
    return abs(cells[filled[0]][0].box.left - above[filled[0]][0].box.left) < SAME_LEFT_MM


def _is_prose(column: Sequence[Sequence[Word]]) -> bool:
    """Return whether the lines of a column fill its width, as those of running text do."""
    if not column or median(map(len, column)) < PROSE_WORDS:
        return False
    lines = [BoxMm.around(word.box for word in cell) for cell in column]
    widths_mm = [line.right - line.left for line in lines]
    return sum(width_mm >= FULL * max(widths_mm) for width_mm in widths_mm) >= MOSTLY * len(lines)
