"""Where lines stand on a page: rows, columns, and how large their letters are."""

from collections.abc import Sequence

from papiermappe.core.reading.page_text import BoxMm, Line, PageText

GAP_MM = 90.0  # what stands farther to the right does not belong to a label
BELOW_MM = 8.0
OVERLAP_MM = 1.0


def height_mm(line: Line) -> float:
    """Return how high a line is: the height of its letters, more or less."""
    return line.box.bottom - line.box.top


def usual_height_mm(page: PageText) -> float:
    """Return the height that half of the lines do not exceed; 0 where there is none."""
    heights = sorted(map(height_mm, page.lines()))
    return heights[len(heights) // 2] if heights else 0.0


def right_of(line: Line, lines: Sequence[Line]) -> Line | None:
    """Return the line that stands next to a line in the same row, to its right; None where none does."""
    near = [other for other in _in_row(line, lines) if _follows(line.box.right, other.box.left, GAP_MM)]
    return min(near, key=lambda other: other.box.left, default=None)


def left_of(line: Line, lines: Sequence[Line]) -> Line | None:
    """Return the line that stands next to a line in the same row, to its left; None where none does."""
    near = [other for other in _in_row(line, lines) if _follows(other.box.right, line.box.left, GAP_MM)]
    return max(near, key=lambda other: other.box.right, default=None)


def below(line: Line, lines: Sequence[Line], within_mm: float = BELOW_MM) -> Line | None:
    """Return the line that stands right below a line and begins or ends where it does; None where none does."""
    near = [other for other in _in_column(line, lines) if _follows(line.box.bottom, other.box.top, within_mm)]
    return min(near, key=lambda other: other.box.top, default=None)


def above(line: Line, lines: Sequence[Line]) -> Line | None:
    """Return the line that stands right above a line and begins or ends where it does; None where none does."""
    near = [other for other in _in_column(line, lines) if _follows(other.box.bottom, line.box.top, BELOW_MM)]
    return max(near, key=lambda other: other.box.top, default=None)


def _follows(end_mm: float, start_mm: float, within_mm: float) -> bool:
    """Whether something starts where something else ends, or a little later; lines may overlap by a little."""
    return -OVERLAP_MM <= start_mm - end_mm <= within_mm


def _in_row(line: Line, lines: Sequence[Line]) -> list[Line]:
    return [other for other in lines if other is not line and _share_rows(line.box, other.box)]


def _in_column(line: Line, lines: Sequence[Line]) -> list[Line]:
    return [other for other in lines if other is not line and _share_columns(line.box, other.box)]


def _share_rows(one: BoxMm, other: BoxMm) -> bool:
    """Whether two lines stand side by side: half of the lower one's height is common to both."""
    common = min(one.bottom, other.bottom) - max(one.top, other.top)
    return common >= 0.5 * min(one.bottom - one.top, other.bottom - other.top)


def _share_columns(one: BoxMm, other: BoxMm) -> bool:
    return abs(one.left - other.left) <= 3.0 or abs(one.right - other.right) <= 3.0
