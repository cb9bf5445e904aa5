"""Which shapes look alike, and what they have in common.

Shapes are laid over each other by their centres of ink, as far as the shape then fits into the model's box with its
rim; how far they are apart is the number of pixels that differ.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.encode.jbig2.arithmetic import Whole
from papiermappe.core.encode.jbig2.shapes import MAX_SIDE_PX, WORD, Shapes

RIM_PX = 1
"""What the box of a model has around it, white."""
SIZE_SLACK_PX = 2 * RIM_PX
MOST_COMPARED = 2000
"""Models that a shape is held against at most: twice as many as on noisy letters, so that no page takes for ever."""
FEW_COMPARED = 100
"""The same where hardly any shape has been like another: that is grain, not print."""
ALIKE_SHARE = 0.005
"""Of shapes that are print at least; of letters with frayed edges 6 % were like another."""
TOLD_BY = 1000
"""So many shapes tell whether they are like each other."""
SIDES = MAX_SIDE_PX + 1 + SIZE_SLACK_PX
_ONES = (np.uint64(0x5555555555555555), np.uint64(0x3333333333333333), np.uint64(0x0F0F0F0F0F0F0F0F))
_SUM = np.uint64(0x0101010101010101)


class Matches(NamedTuple):
    """For each shape the nearest of some models, (n,) each."""

    model: NDArray[np.int64]
    """-1 where none is near."""
    across_px: NDArray[np.int64]
    """How far its left lies to the right of its model's."""
    down_px: NDArray[np.int64]
    """How far its top lies below its model's."""
    apart: NDArray[np.int64]
    """Pixels that differ."""


def grouped(shapes: Shapes, max_apart: float) -> Matches:
    """Return for each shape the first that is like it, itself where it is the first of its kind.

    Args:
        shapes: those that come first become models.
        max_apart: pixels that differ, as a share of the ink.
    """
    return Matches(*_matched(shapes, shapes, max_apart, True))


def nearest(shapes: Shapes, models: Shapes, max_apart: float) -> Matches:
    """Return for each shape the nearest model. `max_apart` as for `grouped`."""
    return Matches(*_matched(shapes, models, max_apart, False))


def voted(shapes: Shapes, matches: Matches, weights: NDArray[np.int64], models: NDArray[np.int64]) -> Shapes:
    """Return for each model the pixels that most of the shapes like it have, in the model's box.

    Args:
        shapes: models among them.
        matches: as from `grouped`.
        weights: how often each shape comes, (n,).
        models: which of the shapes are models, (m,).
    """
    place = np.full(shapes.number, -1, np.int64)
    place[models] = np.arange(len(models))
    which = place[matches.model]
    own = shapes.select(models)
    votes = _votes(
        which, matches.across_px, matches.down_px, weights, shapes.width, shapes.first_row, shapes.rows,
        own.width, own.first_row,
    )  # fmt: skip
    voters = np.bincount(which[which >= 0], weights=weights[which >= 0], minlength=len(models))
    agreed = 2 * votes > np.repeat(voters, own.height)[:, None]
    return own._replace(rows=np.packbits(agreed, axis=1, bitorder="little").view(np.uint64))


def _matched(
    shapes: Shapes, models: Shapes, max_apart: float, growing: bool
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    return _all_matched(*shapes[2:], *models[2:], max_apart, growing)


@compiled("i8(u8)")
def _bits(word: np.uint64) -> np.int64:
    """Return the number of set bits."""
    word -= (word >> np.uint64(1)) & _ONES[0]
    word = (word & _ONES[1]) + ((word >> np.uint64(2)) & _ONES[1])
    word = (word + (word >> np.uint64(4))) & _ONES[2]
    return np.int64((word * _SUM) >> np.uint64(56))


@compiled("UniTuple(u8, 2)(u8, u8, i8)")
def _moved(low: np.uint64, high: np.uint64, right: Whole) -> tuple[np.uint64, np.uint64]:
    """Return a row moved to the right, by less than a word."""
    if right == 0:
        return low, high
    return low << np.uint64(right), (high << np.uint64(right)) | (low >> np.uint64(WORD - right))


@compiled("f8[:, ::1](i4[::1], i8[::1], u8[:, ::1])")
def _centres(width: NDArray[np.int32], first_row: NDArray[np.int64], rows: NDArray[np.uint64]) -> NDArray[np.float64]:
    """Return for each shape the centre of its ink, x and y from its left and top, and how much ink it has, (n, 3)."""
    centres = np.zeros((len(width), 3))
    for shape in range(len(width)):
        x, y, ink = 0, 0, 0
        for row in range(first_row[shape], first_row[shape + 1]):
            for col in range(width[shape]):
                if (rows[row, col // WORD] >> np.uint64(col % WORD)) & np.uint64(1):
                    x += col
                    y += row - first_row[shape]
                    ink += 1
        centres[shape, 0], centres[shape, 1], centres[shape, 2] = x / max(ink, 1), y / max(ink, 1), ink
    return centres


@compiled("i8(u8[:, ::1], u8[:, ::1], i8, i8, i8)")
def _apart(shape: NDArray[np.uint64], other: NDArray[np.uint64], across: Whole, down: Whole, most: Whole) -> np.int64:
    """Return how many pixels differ, or more than `most`; `shape` lies `across` and `down` from `other`."""
    differ = np.int64(0)
    for row in range(min(0, int(down)), max(len(other), len(shape) + int(down))):
        low, high = np.uint64(0), np.uint64(0)
        if 0 <= row - down < len(shape):
            low, high = _moved(shape[row - down, 0], shape[row - down, 1], max(np.int64(0), np.int64(across)))
        if 0 <= row < len(other):
            other_low, other_high = _moved(other[row, 0], other[row, 1], max(np.int64(0), np.int64(-across)))
            low ^= other_low
            high ^= other_high
        differ += _bits(low)
        if high:
            differ += _bits(high)
        if differ > most:
            return differ
    return differ


@compiled("i8(f8, i8)")
def _offset(between_centres: float, room: Whole) -> np.int64:
    """Return the offset that lays centres over each other, or the nearest at which the shape fits into the box."""
    offset = np.int64(np.floor(between_centres + 0.5))
    return np.int64(min(max(offset, np.int64(-RIM_PX)), np.int64(room + RIM_PX)))


_SHAPES = "i4[::1], i4[::1], i8[::1], u8[:, ::1]"


@compiled(f"UniTuple(i8[::1], 4)({_SHAPES}, {_SHAPES}, f8, b1)")
def _all_matched(
    width: NDArray[np.int32],
    height: NDArray[np.int32],
    first_row: NDArray[np.int64],
    rows: NDArray[np.uint64],
    model_width: NDArray[np.int32],
    model_height: NDArray[np.int32],
    model_first_row: NDArray[np.int64],
    model_rows: NDArray[np.uint64],
    max_apart: float,
    growing: bool,
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Find the nearest model of each shape; where none is near and they are `growing`, the shape becomes one."""
    count = len(width)
    centres, model_centres = _centres(width, first_row, rows), _centres(model_width, model_first_row, model_rows)
    newest = np.full((SIDES + 1, SIDES + 1), -1, np.int64)  # models of one size are a chain...
    older = np.full(len(model_width), -1, np.int64)  # ...from the newest to the oldest
    if not growing:
        for model in range(len(model_width)):
            older[model] = newest[model_height[model], model_width[model]]
            newest[model_height[model], model_width[model]] = model
    found = np.full(count, -1, np.int64)
    across, down, apart = np.zeros(count, np.int64), np.zeros(count, np.int64), np.zeros(count, np.int64)
    matched = 0
    for shape in range(count):
        is_grain = shape >= TOLD_BY and matched < ALIKE_SHARE * shape
        left = FEW_COMPARED if is_grain else MOST_COMPARED
        best = np.int64(max_apart * centres[shape, 2]) + 1
        mine = rows[first_row[shape] : first_row[shape + 1]]
        tall, wide = np.int64(height[shape]), np.int64(width[shape])
        for near in range((2 * SIZE_SLACK_PX + 1) ** 2):
            taller = near // (2 * SIZE_SLACK_PX + 1) - SIZE_SLACK_PX
            wider = near % (2 * SIZE_SLACK_PX + 1) - SIZE_SLACK_PX
            model = newest[max(np.int64(0), tall + taller), max(np.int64(0), wide + wider)]
            while model >= 0 and left > 0:
                left -= 1
                to_right = _offset(model_centres[model, 0] - centres[shape, 0], wider)
                to_bottom = _offset(model_centres[model, 1] - centres[shape, 1], taller)
                theirs = model_rows[model_first_row[model] : model_first_row[model + 1]]
                differ = _apart(mine, theirs, to_right, to_bottom, best - 1)
                if differ < best:
                    best = differ
                    found[shape], across[shape], down[shape], apart[shape] = model, to_right, to_bottom, differ
                model = older[model]
        matched += found[shape] >= 0
        if growing and found[shape] < 0:
            found[shape] = shape
            older[shape] = newest[tall, wide]
            newest[tall, wide] = shape
    return found, across, down, apart


@compiled("i8[:, ::1](i8[::1], i8[::1], i8[::1], i8[::1], i4[::1], i8[::1], u8[:, ::1], i4[::1], i8[::1])")
def _votes(
    which: NDArray[np.int64],
    across: NDArray[np.int64],
    down: NDArray[np.int64],
    weights: NDArray[np.int64],
    width: NDArray[np.int32],
    first_row: NDArray[np.int64],
    rows: NDArray[np.uint64],
    model_width: NDArray[np.int32],
    model_first_row: NDArray[np.int64],
) -> NDArray[np.int64]:
    """Return how often there is ink in each pixel of the boxes of models, (sum of their heights, 128)."""
    votes = np.zeros((model_first_row[-1], 2 * WORD), np.int64)
    for shape in range(len(which)):
        model = which[shape]
        if model < 0:
            continue
        for row in range(first_row[shape], first_row[shape + 1]):
            to = model_first_row[model] + row - first_row[shape] + down[shape]
            if not model_first_row[model] <= to < model_first_row[model + 1]:
                continue
            for col in range(width[shape]):
                at = col + across[shape]
                if 0 <= at < model_width[model] and (rows[row, col // WORD] >> np.uint64(col % WORD)) & np.uint64(1):
                    votes[to, at] += weights[shape]
    return votes
