"""Lines of print, traced letter by letter, however they run."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.pieces import Boxes
from papiermappe.core.compiled import compiled
from papiermappe.core.geometry import mm_to_px

LETTER_MM = (0.9, 7.0)  # tall
WIDEST_MM = 14.0  # of letters that touch
GAP_HEIGHTS = 2.0  # between two letters of a line...
GAP_MM = 1.5  # ...and this
ALIKE = 2.5  # times as tall as its neighbour a letter may be
LEAST_LETTERS = 8
LEAST_MM = 25.0  # long


class LetterFeet(NamedTuple):
    """Where the letters of lines of print stand: (n,) each, the letters of a line one after the other."""

    x: NDArray[np.float64]
    """Their middle, in px."""
    y: NDArray[np.float64]
    """Where they end downwards, in px; some reach below the line."""
    line: NDArray[np.intp]
    """The number of its line, from 0."""


def trace_lines(pieces: Boxes, dpi: float) -> LetterFeet:
    """Return the feet of the letters of all lines of print that are long enough to show how they run.

    Args:
        pieces: of ink.
        dpi: of the page.
    """
    boxes = _letters(pieces, dpi)
    after = _next_letters(*boxes, GAP_HEIGHTS, mm_to_px(GAP_MM, dpi), ALIKE)
    line = _numbered(after)
    counts = np.bincount(line, minlength=1)
    least, most = np.full(len(counts), np.inf), np.zeros(len(counts))
    np.minimum.at(least, line, boxes.left)
    np.maximum.at(most, line, boxes.right)
    is_long = (counts >= LEAST_LETTERS) & (most - least >= mm_to_px(LEAST_MM, dpi))
    kept = is_long[line]
    order = np.flatnonzero(kept)[np.argsort(line[kept], kind="stable")]
    numbers = np.unique(line[order], return_inverse=True)[1]
    return LetterFeet((boxes.left + boxes.right)[order] / 2 - 0.5, boxes.bottom[order] - 0.5, numbers)


def _letters(boxes: Boxes, dpi: float) -> Boxes:
    low, high = (mm_to_px(side_mm, dpi) for side_mm in LETTER_MM)
    is_letter = (boxes.height >= low) & (boxes.height <= high) & (boxes.width <= mm_to_px(WIDEST_MM, dpi))
    chosen = boxes.select(is_letter)
    order = np.argsort(chosen.left, kind="stable")
    return Boxes(*(side[order] for side in chosen))


@compiled("i8[::1](f8[::1], f8[::1], f8[::1], f8[::1], f8, f8, f8)")
def _next_letters(
    left: NDArray[np.float64],
    right: NDArray[np.float64],
    top: NDArray[np.float64],
    bottom: NDArray[np.float64],
    gap_heights: float,
    gap_px: float,
    alike: float,
) -> NDArray[np.int64]:
    """Return for each letter, sorted by `left`, the next one of its line, -1 for the last; each follows one only."""
    count = len(left)
    after = np.full(count, -1, np.int64)
    before = np.full(count, -1, np.int64)
    for one in range(count):
        tall = bottom[one] - top[one]
        reach = right[one] + gap_heights * tall + gap_px
        middle = left[one] + 0.5 * (right[one] - left[one])
        for other in range(one + 1, count):
            if left[other] > reach:
                break
            if left[other] < middle:
                continue
            high = bottom[other] - top[other]
            shared = min(bottom[one], bottom[other]) - max(top[one], top[other])
            if shared < 0.5 * min(tall, high) or max(tall, high) > alike * min(tall, high):
                continue
            if before[other] < 0:  # the one that is nearest from the left comes later in this order, and takes it over
                after[one], before[other] = other, one
            else:
                after[before[other]] = -1
                after[one], before[other] = other, one
            break
    return after


@compiled("i8[::1](i8[::1])")
def _numbered(after: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the number of the line of each letter, which all come after their predecessors."""
    line = np.full(len(after), -1, np.int64)
    count = 0
    for one in range(len(after)):
        if line[one] < 0:
            line[one] = count
            count += 1
        if after[one] >= 0:
            line[after[one]] = line[one]
    return line
