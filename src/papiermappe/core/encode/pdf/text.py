"""The text of a page, unseen above its picture: words lie where they are printed, in the order of reading."""

from itertools import pairwise

from papiermappe.core.encode.pdf.font import DESCENT, UNITS, WIDTH, Characters
from papiermappe.core.geometry import POINTS_PER_MM
from papiermappe.core.reading.page_text import Line, PageText, Word
from papiermappe.core.reading.spoken import spoken_tag

FONT = "Unseen"
LEAST_SIZE_PT = 1.0


def text_content(page: PageText, height_pt: float, characters: Characters, usual_language: str | None = None) -> bytes:
    """Return the operators that write the text of a page (ISO 32000-1, 9.4); rendering mode 3 leaves no ink.

    In another language than the document's, it says so (14.9.2.3).
    """
    parts = [part for line in page.lines() for part in _line(line, height_pt, characters)]
    if not parts:
        return b""
    shown = b"BT 3 Tr\n" + b"\n".join(parts) + b"\nET\n"
    language = spoken_tag(page)
    if language is None or language == usual_language:
        return shown
    return f"/Span <</Lang ({language})>> BDC\n".encode() + shown + b"EMC\n"


def _line(line: Line, height_pt: float, characters: Characters) -> list[bytes]:
    """Write a line: all its words stand on one baseline and are as high as it; each is placed from the one before."""
    size_pt = max(LEAST_SIZE_PT, (line.box.bottom - line.box.top) * POINTS_PER_MM)
    baseline_pt = height_pt - line.box.bottom * POINTS_PER_MM - size_pt * DESCENT / UNITS
    lefts_pt = [round(word.box.left * POINTS_PER_MM, 1) for word in line.words]
    moves = [f"1 0 0 1 {lefts_pt[0]:g} {baseline_pt:.1f} Tm"]
    moves += [f"{left - before:.1f} 0 Td" for before, left in pairwise(lefts_pt)]
    shown = (_shown(word, size_pt, characters) for word in line.words)
    words = (f"{move} {word}".encode() for move, word in zip(moves, shown, strict=True))
    return [f"/{FONT} {size_pt:.1f} Tf".encode(), *words]


def _shown(word: Word, size_pt: float, characters: Characters) -> str:
    """Return the operators that show a word, stretched to its width, and the space after it."""
    text = characters.coded(word.text)
    width_pt = max(0.1, (word.box.right - word.box.left) * POINTS_PER_MM)
    stretch = 100 * width_pt / max(1, len(text) // 2) / (size_pt * WIDTH / UNITS)
    return f"{stretch:.1f} Tz <{(text + characters.coded(' ')).hex()}> Tj"
