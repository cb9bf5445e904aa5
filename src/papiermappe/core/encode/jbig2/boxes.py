"""Boxes of symbols: with so much white around each that in a line of print one box follows another.

Where a symbol comes is told from where the one before it ended and from the line on which its box stands. If each box
has about the white that its letter has in print, to the sides and down to a line common to all, this takes half the
bits; white itself costs next to nothing.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.encode.jbig2.alike import RIM_PX
from papiermappe.core.encode.jbig2.shapes import Shapes
from papiermappe.core.encode.jbig2.symbols import Places, Symbols

ROUNDS = 5
REACH = 1.5  # two symbols that follow one another are at most this many usual heights apart
MAX_BELOW, MAX_BESIDE = 3.0, 1.0  # usual heights of white
DEEPEST = 0.995  # this share stands on the common line; whatever goes deeper gets a line of its own
TIGHTEST = 0.1  # this share follows closer than white space can account for


def boxed(shapes: Shapes, pages: Sequence[Places]) -> Symbols:
    """Put shapes into boxes.

    Args:
        shapes: what becomes symbols, at least one.
        pages: where they come.
    """
    usual_px = float(np.median(shapes.height))
    below = RIM_PX + _below(shapes, pages, usual_px)
    left, right = _beside(shapes, pages, below, usual_px)
    return Symbols(shapes, RIM_PX + left, RIM_PX + right, below)


def _below(shapes: Shapes, pages: Sequence[Places], usual_px: float) -> NDArray[np.int64]:
    """Return how much white each symbol needs to stand on the common line, px; 0 where that cannot be told."""
    before, after, deeper = _in_line(shapes, pages, usual_px)
    if not len(before):
        return np.zeros(shapes.number, np.int64)
    both = np.concatenate([before, after])
    depth = np.zeros(shapes.number, np.int64)
    for _ in range(ROUNDS):
        depth = _middles(both, np.concatenate([depth[after] - deeper, depth[before] + deeper]), shapes.number)
    white = np.quantile(depth[both], DEEPEST, method="lower") - depth
    fits = (white >= 0) & (white <= MAX_BELOW * usual_px) & (np.bincount(both, minlength=shapes.number) > 0)
    return np.where(fits, white, 0)


def _in_line(
    shapes: Shapes, pages: Sequence[Places], usual_px: float
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Return symbols that come one after the other in a line, and by how much the bottom of the latter is lower, px."""
    found = []
    for page in pages:
        order = np.argsort(page.left, kind="stable")
        symbol, left, end = page.symbol[order], page.left[order], page.bottom[order] + 1
        follows = _followers(
            left, left + shapes.width[symbol], end - shapes.height[symbol], end, np.int64(REACH * usual_px)
        )
        first = np.flatnonzero(follows >= 0)
        second = follows[first]
        found.append((symbol[first], symbol[second], end[second] - end[first]))
    before, after, deeper = (np.concatenate(part) for part in zip(*found, strict=True))
    return before, after, deeper


@compiled("i8[::1](i8[::1], i8[::1], i8[::1], i8[::1], i8)")
def _followers(
    left: NDArray[np.int64],
    right: NDArray[np.int64],
    top: NDArray[np.int64],
    bottom: NDArray[np.int64],
    reach: np.int64,
) -> NDArray[np.int64]:
    """Return for each box the next to its right that shares half its rows, or half of its own, -1 where none is near.

    Boxes are sorted from left to right.
    """
    follows = np.full(len(left), -1, np.int64)
    for box in range(len(left)):
        for other in range(box + 1, len(left)):
            if left[other] > right[box] + reach:
                break
            shared = min(bottom[box], bottom[other]) - max(top[box], top[other])
            least = min(bottom[box] - top[box], bottom[other] - top[other])
            if left[other] > left[box] and 2 * shared >= least:
                follows[box] = other
                break
    return follows


def _beside(
    shapes: Shapes, pages: Sequence[Places], below: NDArray[np.int64], usual_px: float
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return how much white each symbol needs to its left and to its right, px: together the gaps there are."""
    found = []
    for page in pages:
        line = page.bottom + below[page.symbol]
        order = np.lexsort((page.left, line))
        symbol, left = page.symbol[order], page.left[order]
        gap = left[1:] - left[:-1] - shapes.width[symbol[:-1]]
        at = np.flatnonzero((np.diff(line[order]) == 0) & (np.abs(gap) < REACH * usual_px))
        found.append((symbol[at], symbol[at + 1], gap[at]))
    before, after, gaps = (np.concatenate(part) for part in zip(*found, strict=True))
    left_of, right_of = np.zeros((2, shapes.number), np.int64)
    for _ in range(ROUNDS):
        left_of = _middles(after, gaps - right_of[before], shapes.number)
        right_of = _middles(before, gaps - left_of[after], shapes.number)
    most = np.int64(MAX_BESIDE * usual_px)
    return _white(left_of, after, most), _white(right_of, before, most)


def _white(own: NDArray[np.int64], comes: NDArray[np.int64], most: np.int64) -> NDArray[np.int64]:
    """Return what each has more than the tightest of those that come."""
    if not len(comes):
        return np.zeros_like(own)
    white = np.clip(own - np.quantile(own[comes], TIGHTEST, method="lower"), 0, most)
    return np.where(np.bincount(comes, minlength=len(own)) > 0, white, 0)


def _middles(which: NDArray[np.int64], values: NDArray[np.int64], count: int) -> NDArray[np.int64]:
    """Return for each of `count` the median of its values, 0 where it has none."""
    order = np.lexsort((values, which))
    each = np.bincount(which, minlength=count)
    middles = np.zeros(count, np.int64)
    some = np.flatnonzero(each)
    middles[some] = values[order][(np.cumsum(each) - each + (each - 1) // 2)[some]]
    return middles
