"""The separate shapes of ink on a page: letters, mostly."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled

MAX_SIDE_PX = 126  # a shape and a rim of one pixel fit into two words
LEAST_INK_PX = 6  # smaller shapes cost less when coded in place
WORD = 64
MIXER = np.uint64(0x9E3779B97F4A7C15)


class Shapes(NamedTuple):
    """Shapes, n of them, and where they lie."""

    left: NDArray[np.int32]
    """(n,) px from the left of the page."""
    top: NDArray[np.int32]
    """(n,) px from the top of the page."""
    width: NDArray[np.int32]
    height: NDArray[np.int32]
    first_row: NDArray[np.int64]
    """(n + 1,): where the rows of each begin in `rows`."""
    rows: NDArray[np.uint64]
    """(sum of heights, 2): the pixels of a row, the leftmost in the lowest bit of the first word."""

    @property
    def number(self) -> int:
        """How many there are."""
        return len(self.width)

    def select(self, chosen: NDArray[np.int64]) -> "Shapes":
        """Return some of them, in the order given."""
        height = self.height[chosen]
        first_row = np.concatenate([[0], np.cumsum(height)]).astype(np.int64)
        offsets = np.arange(first_row[-1]) - np.repeat(first_row[:-1], height)
        rows = self.rows[np.repeat(self.first_row[:-1][chosen], height) + offsets]
        return Shapes(self.left[chosen], self.top[chosen], self.width[chosen], height, first_row, rows)


def joined(parts: list[Shapes]) -> Shapes:
    """Return the shapes of all parts, one part after the other."""
    left, top, width, height = (np.concatenate([part[at] for part in parts]) for at in range(4))
    first_row = np.concatenate([[0], np.cumsum(height)]).astype(np.int64)
    return Shapes(left, top, width, height, first_row, np.concatenate([part.rows for part in parts]))


def shapes_of(ink: NDArray[np.bool_]) -> Shapes:
    """Return the shapes of a page, ink that touches at sides or corners, but for those too large or too small.

    Args:
        ink: (h, w), True = ink.
    """
    starts, ends, first_run = _runs(np.packbits(ink, axis=1), ink.shape[1])
    return Shapes(*_drawn(starts, ends, first_run, _labels(starts, ends, first_run)))


@compiled("Tuple((i4[::1], i4[::1], i8[::1]))(u1[:, ::1], i8)")
def _runs(packed: NDArray[np.uint8], width: int) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.int64]]:
    """Return where the runs of ink start and end (just outside), and the first of each row.

    Args:
        packed: the page, (h, bytes), eight pixels a byte, the first in its highest bit: most bytes hold none of an end.
        width: of the page in px.
    """
    room = 1024
    starts, ends = np.empty(room, np.int32), np.empty(room, np.int32)
    first_run = np.zeros(len(packed) + 1, np.int64)
    count = 0
    for row in range(len(packed)):
        if count + width // 2 + 1 > room:
            room = 2 * room + width
            more_starts, more_ends = np.empty(room, np.int32), np.empty(room, np.int32)
            more_starts[:count], more_ends[:count] = starts[:count], ends[:count]
            starts, ends = more_starts, more_ends
        inside = np.uint8(0)
        for byte in range(packed.shape[1]):
            bits = packed[row, byte]
            if bits == np.uint8(255) * inside:
                continue
            for bit in range(8):
                if (bits >> np.uint8(7 - bit)) & np.uint8(1) != inside:
                    if inside:
                        ends[count] = 8 * byte + bit
                        count += 1
                    else:
                        starts[count] = 8 * byte + bit
                    inside = np.uint8(1) - inside
        if inside:
            ends[count] = width
            count += 1
        first_run[row + 1] = count
    return starts[:count].copy(), ends[:count].copy(), first_run


@compiled("i8[::1](i4[::1], i4[::1], i8[::1])")
def _labels(starts: NDArray[np.int32], ends: NDArray[np.int32], first_run: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return for each run the first run of the piece that it belongs to."""
    parent = np.arange(len(starts))
    for row in range(1, len(first_run) - 1):
        above, end_above = first_run[row - 1], first_run[row]
        for run in range(first_run[row], first_run[row + 1]):
            while above < end_above and ends[above] < starts[run]:
                above += 1
            other = above
            while other < end_above and starts[other] <= ends[run]:
                root, other_root = run, other
                while parent[root] != root:
                    parent[root] = parent[parent[root]]
                    root = parent[root]
                while parent[other_root] != other_root:
                    parent[other_root] = parent[parent[other_root]]
                    other_root = parent[other_root]
                parent[max(root, other_root)] = min(root, other_root)
                other += 1
    for run in range(len(starts)):
        parent[run] = parent[parent[run]]
    return parent


@compiled("Tuple((i4[::1], i4[::1], i4[::1], i4[::1], i8[::1], u8[:, ::1]))(i4[::1], i4[::1], i8[::1], i8[::1])")
def _drawn(
    starts: NDArray[np.int32], ends: NDArray[np.int32], first_run: NDArray[np.int64], labels: NDArray[np.int64]
) -> tuple[
    NDArray[np.int32],
    NDArray[np.int32],
    NDArray[np.int32],
    NDArray[np.int32],
    NDArray[np.int64],
    NDArray[np.uint64],
]:
    count = len(starts)
    left, right = starts.copy(), ends.copy()
    top, bottom = np.zeros(count, np.int32), np.zeros(count, np.int32)
    size = np.zeros(count, np.int64)
    for row in range(len(first_run) - 1):
        for run in range(first_run[row], first_run[row + 1]):
            label = labels[run]
            if label == run:
                top[label] = row
            left[label], right[label] = min(left[label], starts[run]), max(right[label], ends[run])
            bottom[label] = row + 1
            size[label] += ends[run] - starts[run]
    which = np.full(count, -1, np.int64)
    kept = 0
    for run in range(count):
        fits = max(right[run] - left[run], bottom[run] - top[run]) <= MAX_SIDE_PX
        if labels[run] == run and fits and size[run] >= LEAST_INK_PX:
            which[run] = kept
            left[kept], right[kept], top[kept], bottom[kept] = left[run], right[run], top[run], bottom[run]
            kept += 1
    height = bottom[:kept] - top[:kept]
    first_row = np.zeros(kept + 1, np.int64)
    first_row[1:] = np.cumsum(height)
    rows = np.zeros((first_row[-1], 2), np.uint64)
    for row in range(len(first_run) - 1):
        for run in range(first_run[row], first_run[row + 1]):
            shape = which[labels[run]]
            if shape >= 0:
                words = rows[first_row[shape] + row - top[shape]]
                for col in range(starts[run] - left[shape], ends[run] - left[shape]):
                    words[col // WORD] |= np.uint64(1) << np.uint64(col % WORD)
    return left[:kept].copy(), top[:kept].copy(), right[:kept] - left[:kept], height, first_row, rows


def hashes(shapes: Shapes) -> NDArray[np.uint64]:
    """Return a number for each shape that is the same for the same shapes, and hardly ever for others, (n,)."""
    return _hashes(shapes.width, shapes.first_row, shapes.rows)


@compiled("u8[::1](i4[::1], i8[::1], u8[:, ::1])")
def _hashes(width: NDArray[np.int32], first_row: NDArray[np.int64], rows: NDArray[np.uint64]) -> NDArray[np.uint64]:
    mixed = np.empty(len(width), np.uint64)
    for shape in range(len(width)):
        value = np.uint64(width[shape])
        for row in range(first_row[shape], first_row[shape + 1]):
            for word in range(2):
                value = (value ^ rows[row, word]) * MIXER
                value ^= value >> np.uint64(29)
        mixed[shape] = value
    return mixed


def erase(ink: NDArray[np.bool_], shapes: Shapes) -> None:
    """Take shapes off the page they lie on."""
    _erase(ink, shapes.left, shapes.top, shapes.first_row, shapes.rows)


@compiled("void(b1[:, ::1], i4[::1], i4[::1], i8[::1], u8[:, ::1])")
def _erase(
    ink: NDArray[np.bool_],
    left: NDArray[np.int32],
    top: NDArray[np.int32],
    first_row: NDArray[np.int64],
    rows: NDArray[np.uint64],
) -> None:
    for shape in range(len(left)):
        for row in range(first_row[shape], first_row[shape + 1]):
            y = top[shape] + row - first_row[shape]
            for word in range(2):
                bits = rows[row, word]
                for at in range(WORD):
                    if bits >> np.uint64(at) & np.uint64(1):
                        ink[y, left[shape] + word * WORD + at] = False
