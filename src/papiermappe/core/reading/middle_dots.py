"""Middle dots between the parts of an address, which recognisers read as hyphens or colons: told by their ink."""

import numpy as np

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import BoxMm, Line, PageText

MIDDLE_DOT = "\N{MIDDLE DOT}"
TAKEN_FOR = frozenset("-:.*+\N{EN DASH}\N{EM DASH}\N{BULLET}\N{DEGREE SIGN}\xab\xbb")
AROUND_MM = 0.25
LEAST_LEVELS = 24  # darker than the paper round it, or it is grain
LONGEST = 1.45  # a dot reaches so much farther one way than the other at most
MIDDLE = (0.3, 0.72)  # of the height of the words beside it


def with_middle_dots(page: PageText, grey: Pixels, dpi: float) -> PageText:
    """Return a page on which signs that stand alone between words are middle dots where their ink is one.

    Args:
        page: what was read.
        grey: (h, w), the picture that was read.
        dpi: its resolution.

    >>> with_middle_dots(PageText(width_mm=1, height_mm=1, languages=()), np.zeros((9, 9), np.uint8), 300).text
    ''
    """
    return page.rewritten(lambda line: _rewritten(line, grey, dpi))


def _rewritten(line: Line, grey: Pixels, dpi: float) -> Line:
    words = list(line.words)
    for at in range(1, len(words) - 1):
        before, word, after = words[at - 1 : at + 2]
        if word.text in TAKEN_FOR and _is_dot(word.box, BoxMm.around([before.box, after.box]), grey, dpi):
            words[at] = word.model_copy(update={"text": MIDDLE_DOT})
    return line if words == list(line.words) else line.model_copy(update={"words": tuple(words)})


def _is_dot(box: BoxMm, beside: BoxMm, grey: Pixels, dpi: float) -> bool:
    """Return whether the ink in a box is one round spot in the middle of the height of what stands beside it."""
    left, top, right, bottom = (
        round(mm_to_px(side, dpi))
        for side in (box.left - AROUND_MM, box.top - AROUND_MM, box.right + AROUND_MM, box.bottom + AROUND_MM)
    )
    part = grey[max(0, top) : max(0, bottom), max(0, left) : max(0, right)]
    if not part.size:
        return False
    ink = np.percentile(part, 90) - part.astype(np.float64)
    if ink.max() < LEAST_LEVELS:
        return False
    ink[ink < ink.max() / 3] = 0
    across, down = _spread(ink.sum(axis=0)), _spread(ink.sum(axis=1))
    middle_mm = (max(0, top) + float(ink.sum(axis=1) @ np.arange(len(ink)) / ink.sum()) + 0.5) / mm_to_px(1.0, dpi)
    height = (middle_mm - beside.top) / max(beside.bottom - beside.top, 1e-6)
    return max(across, down) <= LONGEST * min(across, down) and MIDDLE[0] <= height <= MIDDLE[1]


def _spread(ink: np.ndarray[tuple[int], np.dtype[np.float64]]) -> float:
    """Return the standard deviation of where ink lies, in px; that of a single px is not nothing."""
    places = np.arange(len(ink))
    mean = ink @ places / ink.sum()
    return float(np.sqrt(ink @ (places - mean) ** 2 / ink.sum() + 1 / 12))
