"""The text of a page, unseen above its picture: words lie where they are printed, in the order of reading."""

from papiermappe.core.encode.pdf.font import DESCENT, UNITS, WIDTH, Characters
from papiermappe.core.geometry import POINTS_PER_MM
from papiermappe.core.reading.page_text import Line, PageText, Word

FONT = "Unseen"
LEAST_SIZE_PT = 1.0


def text_content(page: PageText, height_pt: float, characters: Characters) -> bytes:
    """Return the operators that write the text of a page (ISO 32000-1, 9.4); rendering mode 3 leaves no ink."""
    parts = [part for line in page.lines() for part in _line(line, height_pt, characters)]
    return b"BT 3 Tr\n" + b"\n".join(parts) + b"\nET\n" if parts else b""


def _line(line: Line, height_pt: float, characters: Characters) -> list[bytes]:
    """Write a line: all its words stand on one baseline and are as high as it."""
    size_pt = max(LEAST_SIZE_PT, (line.box.bottom - line.box.top) * POINTS_PER_MM)
    baseline_pt = height_pt - line.box.bottom * POINTS_PER_MM - size_pt * DESCENT / UNITS
    start = f"/{FONT} {size_pt:.2f} Tf".encode()
    return [start, *(_word(word, size_pt, baseline_pt, characters) for word in line.words)]


def _word(word: Word, size_pt: float, baseline_pt: float, characters: Characters) -> bytes:
    """Write a word, stretched to its width, and the space after it."""
    text = characters.coded(word.text)
    width_pt = max(0.1, (word.box.right - word.box.left) * POINTS_PER_MM)
    stretch = 100 * width_pt / max(1, len(text) // 2) / (size_pt * WIDTH / UNITS)
    left_pt = word.box.left * POINTS_PER_MM
    shown = (text + characters.coded(" ")).hex()
    return f"{stretch:.1f} Tz 1 0 0 1 {left_pt:.2f} {baseline_pt:.2f} Tm <{shown}> Tj".encode()
