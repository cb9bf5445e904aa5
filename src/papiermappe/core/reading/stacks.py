"""Parts of a page cut out and laid on one picture, one below the other, each as high as print is read best.

Starting the recogniser takes as long as reading a dozen of them. Only what was broken into letters has a picture of its
own, to be read as one line as it stands.
"""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np

from papiermappe.core.encode.plain import Readable, encode_pgm
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.doubtful import Part
from papiermappe.core.reading.page_text import BoxMm, PageText, Word

AROUND_MM = 0.4  # the paper cut out with a part; what lies farther away is not seen
LETTERS_PX, SPACE_PX = 24, 40  # the height of print on the picture, and the paper round each part
RAW_SPACE_PX = 5  # the same, of a line that is read as it stands
FAINTEST_ROW = 0.15  # of the ink of the fullest: less belongs to no line
MOST_TIMES = 4.0  # a part is enlarged
MOST_WIDE_PX = 12_000  # the recogniser takes no pictures wider than 32,767
PAPER_PERCENT = 85
READING_DPI = 300.0  # that the picture is said to have


class Stack(NamedTuple):
    """Parts, one below the other on one picture."""

    picture: Readable
    parts: tuple[Part, ...]
    tops_px: tuple[int, ...]
    """Where each begins on the picture, below the paper round it."""
    scales: tuple[float, ...]
    """How large each is, in px of the picture a mm."""
    space_px: int
    """The paper round each."""


def stacks(parts: Sequence[Part], grey: Pixels, dpi: float) -> list[Stack]:
    """Lay parts of a page one below the other, each as high as print is read best; broken ones by themselves.

    Args:
        parts: of the page.
        grey: (h, w), the page.
        dpi: its resolution.

    >>> page = np.full((99, 200), 230, np.uint8)
    >>> page[20:44, 30:99] = 30
    >>> (stack,) = stacks([Part(BoxMm(left=3, top=2, right=10, bottom=4.4))], page, 254)
    >>> stack.picture.dpi, len(stack.parts)
    (300.0, 1)
    """
    whole = [part for part in parts if not part.is_broken]
    alone = [_stacked([part], grey, dpi, RAW_SPACE_PX) for part in parts if part.is_broken]
    return ([_stacked(whole, grey, dpi, SPACE_PX)] if whole else []) + alone


def _stacked(parts: Sequence[Part], grey: Pixels, dpi: float, space_px: int) -> Stack:
    cuts, scales = [], []
    for part in parts:
        cut = _cut_out(part.box, grey, dpi)
        times = min(MOST_TIMES, LETTERS_PX / _print_height_px(cut), MOST_WIDE_PX / cut.shape[1])
        cuts.append(_enlarged(cut, times))
        scales.append(times * mm_to_px(1.0, dpi))
    *tops, height = np.cumsum([space_px, *(len(cut) + space_px for cut in cuts)]).tolist()
    picture = np.full((height, max(cut.shape[1] for cut in cuts) + 2 * space_px), 255, np.uint8)
    for top, cut in zip(tops, cuts, strict=True):
        picture[top : top + len(cut), space_px : space_px + cut.shape[1]] = cut
    return Stack(Readable(encode_pgm(picture), READING_DPI), tuple(parts), tuple(tops), tuple(scales), space_px)


def _cut_out(box: BoxMm, grey: Pixels, dpi: float) -> Pixels:
    """Return a part on white paper."""
    top, left = (max(0, round(mm_to_px(side - AROUND_MM, dpi))) for side in (box.top, box.left))
    bottom, right = (max(1, round(mm_to_px(side + AROUND_MM, dpi))) for side in (box.bottom, box.right))
    part = grey[min(top, len(grey) - 1) : bottom, min(left, grey.shape[1] - 1) : right]
    paper = max(1.0, float(np.percentile(part, PAPER_PERCENT)))
    return np.asarray((part * (255 / paper)).clip(0, 255), np.uint8)


def _print_height_px(cut: Pixels) -> int:
    """Return how high the rows are that hold most of the ink: a line, and not what reaches in from above or below."""
    ink = (255 - cut.astype(np.float64)).sum(axis=1)
    ends = np.flatnonzero(ink <= FAINTEST_ROW * ink.max())
    most = int(ink.argmax())
    above, below = ends[ends < most], ends[ends > most]
    return max(1, (int(below[0]) if len(below) else len(ink)) - (int(above[-1]) + 1 if len(above) else 0))


def _enlarged(cut: Pixels, times: float) -> Pixels:
    size = max(1, round(times * cut.shape[1])), max(1, round(times * cut.shape[0]))
    return np.asarray(cv2.resize(cut, size, interpolation=cv2.INTER_AREA if times < 1 else cv2.INTER_CUBIC), np.uint8)


def words_of_parts(stack: Stack, read: PageText) -> list[list[Word]]:
    """Return the words of each part, at their places on the page, from left to right."""
    found: list[list[Word]] = [[] for _ in stack.parts]
    for word in (word for line in read.lines() for word in line.words):
        middle_px = mm_to_px((word.box.top + word.box.bottom) / 2, read_dpi := stack.picture.dpi)
        at = max(0, int(np.searchsorted(stack.tops_px, middle_px + stack.space_px / 2, side="right")) - 1)
        box, scale = stack.parts[at].box, stack.scales[at]
        left_mm, top_mm = max(0.0, box.left - AROUND_MM), max(0.0, box.top - AROUND_MM)
        left, right = (
            (mm_to_px(side, read_dpi) - stack.space_px) / scale + left_mm for side in (word.box.left, word.box.right)
        )
        top, bottom = (
            (mm_to_px(side, read_dpi) - stack.tops_px[at]) / scale + top_mm for side in (word.box.top, word.box.bottom)
        )
        found[at].append(word.model_copy(update={"box": BoxMm(left=left, top=top, right=right, bottom=bottom)}))
    return [sorted(words, key=lambda word: word.box.left) for words in found]
