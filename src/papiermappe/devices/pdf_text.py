"""The text layer of a PDF's page, as text with places."""

import itertools

import pypdfium2

from papiermappe.core.geometry import POINTS_PER_MM
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.text_layer import line_of

STAMP_WORDS = 15
"""Fewer words on a picture of a page are a stamp or a page number; what the picture says is still to be read."""
PICTURE_SHARE = 0.4
MAX_CHARACTERS = 200_000
BETWEEN_PARAGRAPHS = 0.8
"""A gap of more than this share of a line's height ends a paragraph."""
HYPHENS = {"\x02": "-", "\ufffe": "-"}
"""What PDFium gives for a hyphen at the end of a line."""
AS_PRINTED = 1.0
"""The confidence of words that are not recognised, but stand in the file."""

Corner = tuple[float, float]


def text_of(page: pypdfium2.PdfPage) -> PageText | None:
    """Return what a page says, with places in mm from its top left.

    None if it says nothing or is turned, and where only a few words are set on a picture.
    """
    if page.get_rotation():
        return None
    left, bottom, right, top = page.get_cropbox()
    textpage = page.get_textpage()
    try:
        count = textpage.count_chars()
        lines = _lines(textpage, count, (left, top)) if 0 < count <= MAX_CHARACTERS else []
    except pypdfium2.PdfiumError:
        return None
    finally:
        textpage.close()
    if not lines or (sum(len(line.words) for line in lines) < STAMP_WORDS and _is_mostly_picture(page)):
        return None
    return PageText(
        width_mm=(right - left) / POINTS_PER_MM,
        height_mm=(top - bottom) / POINTS_PER_MM,
        languages=(),
        blocks=(Block(paragraphs=tuple(_paragraphs(lines))),),
    )


def _is_mostly_picture(page: pypdfium2.PdfPage) -> bool:
    width_pt, height_pt = page.get_size()
    for image in page.get_objects(filter=[pypdfium2.raw.FPDF_PAGEOBJ_IMAGE], max_depth=2):
        left, bottom, right, top = image.get_bounds()
        if (right - left) * (top - bottom) > PICTURE_SHARE * width_pt * height_pt:
            return True
    return False


def _lines(textpage: pypdfium2.PdfTextPage, count: int, top_left: Corner) -> list[Line]:
    lines: list[Line] = []
    words: list[Word] = []
    letters: list[tuple[str, BoxMm]] = []

    def end_word() -> None:
        if letters:
            box = BoxMm.around(box for _, box in letters)
            words.append(Word(text="".join(letter for letter, _ in letters), box=box, confidence=AS_PRINTED))
            letters.clear()

    def end_line() -> None:
        end_word()
        if words:
            lines.append(line_of(words))
            words.clear()

    for at in range(count):
        letter = textpage.get_text_range(at, 1)
        letter = HYPHENS.get(letter, letter)
        if letter in {"\r", "\n", "\r\n"}:
            end_line()
        elif letter.isspace() or not letter.isprintable() or not letter:
            end_word()
        else:
            letters.append((letter, _box(textpage.get_charbox(at), top_left)))
    end_line()
    return lines


def _box(charbox: tuple[float, float, float, float], top_left: Corner) -> BoxMm:
    """Return a letter's box in mm from the top left of the page."""
    left, bottom, right, top = charbox
    return BoxMm(
        left=(left - top_left[0]) / POINTS_PER_MM,
        top=(top_left[1] - top) / POINTS_PER_MM,
        right=(right - top_left[0]) / POINTS_PER_MM,
        bottom=(top_left[1] - bottom) / POINTS_PER_MM,
    )


def _paragraphs(lines: list[Line]) -> list[Paragraph]:
    """Part lines where the gap to the next is large, or where the next does not stand below."""
    found = [[lines[0]]]
    for above, line in itertools.pairwise(lines):
        gap_mm, height_mm = line.box.top - above.box.bottom, above.box.bottom - above.box.top
        if -height_mm < gap_mm <= BETWEEN_PARAGRAPHS * height_mm:
            found[-1].append(line)
        else:
            found.append([line])
    return [Paragraph(lines=tuple(part)) for part in found]
