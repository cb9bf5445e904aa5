"""Parts of a page that are worth a second look: what was read badly or broken into letters, and print left out."""

from collections.abc import Iterator, Sequence
from statistics import fmean, median
from typing import NamedTuple

import numpy as np

from papiermappe.core.picture import Pixels
from papiermappe.core.reading.left_out import left_out
from papiermappe.core.reading.page_text import BoxMm, Line, PageText, Word

GAP_HEIGHTS = 1.6  # words farther apart than so many of their heights are parts of their own
LOW_SHARE = 0.6  # of the line's height: a full stop has no height to go by
OTHER_SIZE, MIXED_SHARE = 1.5, 0.2  # print is so many times as high; so many words may be of the size of the others
DOUBTFUL = 0.7  # confidence of a word
SHORT_LETTERS = 2
BROKEN_WORDS, BROKEN_SHARE = 4, 0.5  # a part of so many words is broken up if so many have no more than two letters
COVERED_SHARE = 0.7  # of the width of print that seems to be missing
MOST_PARTS = 80


class Part(NamedTuple):
    """A part of a page that is read once more."""

    box: BoxMm
    words: tuple[Word, ...] = ()
    """What was read there; none where print was left out."""

    @property
    def is_broken(self) -> bool:
        """Whether it was read as single letters."""
        return is_broken(self.words)


def doubtful_parts(page: PageText, grey: Pixels, dpi: float) -> list[Part]:
    """Return the parts of a page that are worth a second look, at most `MOST_PARTS`.

    Args:
        page: what was read.
        grey: (h, w), the picture that was read.
        dpi: its resolution.

    >>> doubtful_parts(PageText(width_mm=9, height_mm=9, languages=()), np.full((90, 90), 255, np.uint8), 254)
    []
    """
    runs = [run for line in page.lines() for run in _runs(line)]
    bad = [Part(BoxMm.around(word.box for word in run), tuple(run)) for run in runs if _is_doubtful(run)]
    missing = [Part(box) for box in left_out(grey, dpi, page) if not any(_is_same(part.box, box) for part in bad)]
    return (missing + sorted(bad, key=lambda part: min(word.confidence for word in part.words)))[:MOST_PARTS]


def _is_same(doubtful: BoxMm, missing: BoxMm) -> bool:
    """Return whether words that are looked at again anyway are the print that seems to be missing, and no larger."""
    height_mm = doubtful.bottom - doubtful.top
    common_mm = min(doubtful.right, missing.right) - max(doubtful.left, missing.left)
    covers = doubtful.meets(missing) and common_mm > COVERED_SHARE * (missing.right - missing.left)
    return covers and height_mm < OTHER_SIZE * (missing.bottom - missing.top)


def _runs(line: Line) -> Iterator[list[Word]]:
    """Yield the words of a line that stand together and are of one size."""
    least_mm = LOW_SHARE * median(map(_height, line.words))
    run: list[Word] = []
    for word in line.words:
        if run and word.box.left - run[-1].box.right > GAP_HEIGHTS * max(least_mm, min(map(_height, (run[-1], word)))):
            yield from _of_one_size(run)
            run = []
        run.append(word)
    yield from _of_one_size(run)


def _of_one_size(run: list[Word]) -> list[list[Word]]:
    """Return a run as it is, or cut in two where print of another size begins."""
    if len(run) < 2:
        return [run]
    heights = np.array([_height(word) for word in run])
    sizes = np.log(heights)
    at = min(range(1, len(run)), key=lambda at: np.var(sizes[:at]) * at + np.var(sizes[at:]) * (len(run) - at))
    before, after = np.median(heights[:at]), np.median(heights[at:])
    if max(before, after) < OTHER_SIZE * min(before, after):
        return [run]
    is_nearer_before = np.abs(heights - before) < np.abs(heights - after)
    mixed = int((~is_nearer_before[:at]).sum() + is_nearer_before[at:].sum())
    return [run] if mixed > MIXED_SHARE * len(run) else [run[:at], run[at:]]


def _height(word: Word) -> float:
    return max(0.1, word.box.bottom - word.box.top)


def _is_doubtful(run: Sequence[Word]) -> bool:
    return min(word.confidence for word in run) < DOUBTFUL or is_broken(run)


def is_broken(run: Sequence[Word]) -> bool:
    """Return whether words are mostly single letters or two, as where a recogniser has taken words apart.

    >>> box = BoxMm(left=0, top=0, right=1, bottom=1)
    >>> is_broken([Word(text=text, box=box, confidence=0.9) for text in ("O", "r", "ch", "ard")])
    True
    """
    return len(run) >= BROKEN_WORDS and fmean(len(word.text) <= SHORT_LETTERS for word in run) >= BROKEN_SHARE
