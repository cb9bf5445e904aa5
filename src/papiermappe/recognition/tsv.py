"""Parsing the table of the recogniser, which has a row for each page, block, paragraph, line and word."""

from collections.abc import Iterator
from itertools import groupby
from typing import NamedTuple

from papiermappe.core.geometry import px_to_mm
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word

COLUMNS = 12
PAGE, LINE, WORD = 1, 4, 5


class _Row(NamedTuple):
    level: int
    page: int
    block: int
    paragraph: int
    line: int
    word: int
    left_px: int
    top_px: int
    width_px: int
    height_px: int
    confidence: float
    text: str

    def box(self, dpi: float) -> BoxMm:
        """Return its position."""
        sides_px = self.left_px, self.top_px, self.left_px + self.width_px, self.top_px + self.height_px
        left, top, right, bottom = (round(px_to_mm(side, dpi), 3) for side in sides_px)
        return BoxMm(left=left, top=top, right=right, bottom=bottom)


def page_text(table: str, dpi: float, languages: tuple[str, ...]) -> PageText:
    """Return the text of a page.

    Args:
        table: tab-separated, with a header.
        dpi: of the picture that was read.
        languages: it was read in.

    Raises:
        ValueError: the table is malformed.
    """
    rows = list(_rows(table))
    page = next((row for row in rows if row.level == PAGE), None)
    if page is None:
        raise ValueError("the table has no page")
    boxes = {row[1:5]: row.box(dpi) for row in rows if row.level == LINE}
    words = [row for row in rows if row.level == WORD and row.text.strip()]
    return PageText(
        width_mm=px_to_mm(page.width_px, dpi),
        height_mm=px_to_mm(page.height_px, dpi),
        languages=languages,
        blocks=tuple(
            Block(
                paragraphs=tuple(
                    Paragraph(
                        lines=tuple(
                            Line(words=tuple(_word(row, dpi) for row in line), box=boxes[place])
                            for place, line in groupby(paragraph, key=lambda row: row[1:5])
                        )
                    )
                    for _, paragraph in groupby(block, key=lambda row: row.paragraph)
                )
            )
            for _, block in groupby(words, key=lambda row: row.block)
        ),
    )


def _rows(table: str) -> Iterator[_Row]:
    for line in table.splitlines()[1:]:
        cells = line.split("\t")
        if len(cells) == COLUMNS:
            numbers = [int(cell) for cell in cells[:10]]
            yield _Row._make([*numbers, float(cells[10]), cells[11]])


def _word(row: _Row, dpi: float) -> Word:
    return Word(text=row.text.strip(), box=row.box(dpi), confidence=min(1.0, max(0.0, row.confidence / 100)))
