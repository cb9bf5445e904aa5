"""Lines at the head of a page that were read as one, though two things stand in them: a sender and a number."""

from collections.abc import Iterator
from itertools import pairwise

from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word

HEAD_SHARE = 0.35  # of the page's height
GAP_MM = 35.0  # narrower gaps are between a label and its value


def with_heads_apart(page: PageText) -> PageText:
    """Return a page on which lines of its head end where a wide gap is; the right part follows the left one."""
    blocks = tuple(_apart(block, HEAD_SHARE * page.height_mm) for block in page.blocks)
    return page if blocks == page.blocks else page.model_copy(update={"blocks": blocks})


def _apart(block: Block, head_mm: float) -> Block:
    """Return a block whose divided lines are paragraphs of their own."""
    if block.paragraphs[0].lines[0].box.top >= head_mm:
        return block
    return Block(paragraphs=tuple(part for paragraph in block.paragraphs for part in _parts(paragraph, head_mm)))


def _parts(paragraph: Paragraph, head_mm: float) -> Iterator[Paragraph]:
    whole: list[Line] = []
    for line in paragraph.lines:
        parts = list(_pieces(line)) if line.box.top < head_mm else [line]
        if len(parts) == 1:
            whole.append(line)
            continue
        if whole:
            yield Paragraph(lines=tuple(whole))
            whole = []
        yield from (Paragraph(lines=(part,)) for part in parts)
    if whole:
        yield Paragraph(lines=tuple(whole))


def _pieces(line: Line) -> Iterator[Line]:
    piece: list[Word] = [line.words[0]]
    for before, word in pairwise(line.words):
        if word.box.left - before.box.right >= GAP_MM:
            yield _line(piece)
            piece = []
        piece.append(word)
    yield _line(piece)


def _line(words: list[Word]) -> Line:
    return Line(words=tuple(words), box=BoxMm.around(word.box for word in words))
