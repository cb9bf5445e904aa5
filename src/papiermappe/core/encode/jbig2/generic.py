"""Generic regions (ITU-T T.88, 6.2).

Each pixel is coded in the context of sixteen that were coded before it; rows that repeat the row above take one bit.
Twelve of the sixteen are fixed, four may be chosen (the adaptive pixels, 6.2.5.4).
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.encode.jbig2.arithmetic import MAX_BYTES_A_BIT, START, encode_bit, flush

CONTEXTS = 1 << 16
ROW_REPEATS = np.int64(0x9B25)  # the context of the bit that tells so, for template 0 (T.88, figure 8)

Adaptive = tuple[tuple[int, int], tuple[int, int], tuple[int, int], tuple[int, int]]
"""Where the adaptive pixels are: to the right and down from the one that is coded."""
NOMINAL: Adaptive = ((3, -1), (-3, -1), (2, -2), (-2, -2))
WIDE: Adaptive = ((5, -1), (1, -4), (-5, -1), (-1, -4))
"""Of those within eight columns and six rows the four that tell most of pages full of print at 300 dpi."""
SIDE_PX, ABOVE_PX = 8, 4


class GenericRegion(NamedTuple):
    """A picture as it is coded."""

    adaptive: Adaptive
    coded: bytes


def generic_region(ink: NDArray[np.bool_], among: Sequence[Adaptive] = (NOMINAL, WIDE)) -> GenericRegion:
    """Encode a picture (h, w), True = black, as a generic region with template 0 and typical prediction (6.2).

    Args:
        ink: the picture.
        among: places of the adaptive pixels; each is tried, the smallest code is taken.
    """
    height, width = ink.shape
    padded = np.zeros((height + ABOVE_PX, width + 2 * SIDE_PX), np.uint8)
    padded[ABOVE_PX:, SIDE_PX:-SIDE_PX] = ink
    repeats = np.zeros(height, np.bool_)
    repeats[0] = not ink[0].any()  # above the first row lies white
    repeats[1:] = (ink[1:] == ink[:-1]).all(axis=1)
    regions = [GenericRegion(places, bytes(_coded(padded, repeats, np.array(places)).tobytes())) for places in among]
    return min(regions, key=lambda region: len(region.coded))


@compiled("u1[::1](u1[:, ::1], b1[::1], i8[:, ::1])")
def _coded(padded: NDArray[np.uint8], repeats: NDArray[np.bool_], adaptive: NDArray[np.int64]) -> NDArray[np.uint8]:
    """Return the code. Columns are unsigned: numba asks others whether they count from the end."""
    width = np.uint64(padded.shape[1] - 2 * SIDE_PX)
    own, next_1, next_2 = np.uint64(SIDE_PX), np.uint64(SIDE_PX + 1), np.uint64(SIDE_PX + 2)
    at_1, at_2 = np.uint64(SIDE_PX + adaptive[0, 0]), np.uint64(SIDE_PX + adaptive[1, 0])
    at_3, at_4 = np.uint64(SIDE_PX + adaptive[2, 0]), np.uint64(SIDE_PX + adaptive[3, 0])
    states = np.zeros(CONTEXTS, np.uint8)
    out = np.zeros(padded.size // 16 + 64, np.uint8)
    a, c, count, at = START
    repeated = False
    for row in range(len(repeats)):
        most = at + MAX_BYTES_A_BIT * (padded.shape[1] + 1) + 64
        if most > len(out):
            more = np.zeros(2 * most, np.uint8)
            more[: at + 1] = out[: at + 1]
            out = more
        change = np.uint8(repeats[row] != repeated)
        a, c, count, at = encode_bit(change, ROW_REPEATS, states, a, c, count, at, out)
        repeated = repeats[row]
        if repeated:
            continue
        line = row + ABOVE_PX
        second, first, here = padded[line - 2], padded[line - 1], padded[line]
        row_1, row_2 = padded[line + adaptive[0, 1]], padded[line + adaptive[1, 1]]
        row_3, row_4 = padded[line + adaptive[2, 1]], padded[line + adaptive[3, 1]]
        # The context (figure 3), the newest pixel of each row lowest: four of this row, five of the first above, three
        # of the second, and among them the adaptive ones.
        before = np.uint32(0)
        above = 4 * np.uint32(first[SIDE_PX - 1]) + 2 * np.uint32(first[SIDE_PX]) + np.uint32(first[SIDE_PX + 1])
        top = 2 * np.uint32(second[SIDE_PX - 1]) + np.uint32(second[SIDE_PX])
        for col in range(width):
            above = ((above << np.uint32(1)) | np.uint32(first[col + next_2])) & np.uint32(31)
            top = ((top << np.uint32(1)) | np.uint32(second[col + next_1])) & np.uint32(7)
            context = (
                before
                | (np.uint32(row_1[col + at_1]) << np.uint32(4))
                | (above << np.uint32(5))
                | (np.uint32(row_2[col + at_2]) << np.uint32(10))
                | (np.uint32(row_3[col + at_3]) << np.uint32(11))
                | (top << np.uint32(12))
                | (np.uint32(row_4[col + at_4]) << np.uint32(15))
            )
            bit = here[col + own]
            a, c, count, at = encode_bit(bit, np.int64(context), states, a, c, count, at, out)
            before = ((before << np.uint32(1)) | np.uint32(bit)) & np.uint32(15)
    end = flush(a, c, count, at, out)
    return out[1:end]
