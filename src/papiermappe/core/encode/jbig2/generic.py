"""Generic regions (ITU-T T.88, 6.2).

Each pixel is coded in the context of sixteen that were coded before it; rows that repeat the row above take one bit.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from papiermappe.core.encode.jbig2.arithmetic import MOST_BYTES_A_BIT, START, encode_bit, flush

CONTEXTS = 1 << 16
ROW_REPEATS = np.int64(0x9B25)  # the context of the bit that tells so, for template 0 (T.88, figure 8)


def generic_region(ink: NDArray[np.bool_]) -> bytes:
    """Encode a picture (h, w), True = black, as a generic region with template 0 and typical prediction (6.2)."""
    height, width = ink.shape
    padded = np.zeros((height + 2, width + 8), np.uint8)  # two rows above, four columns on both sides
    padded[2:, 4:-4] = ink
    repeats = np.zeros(height, np.bool_)
    repeats[0] = not ink[0].any()  # above the first row lies white
    repeats[1:] = (ink[1:] == ink[:-1]).all(axis=1)
    return bytes(_coded(padded, repeats).tobytes())


@njit("u1[::1](u1[:, ::1], b1[::1])", cache=True)
def _coded(padded: NDArray[np.uint8], repeats: NDArray[np.bool_]) -> NDArray[np.uint8]:
    width = padded.shape[1] - 8
    states = np.zeros(CONTEXTS, np.uint8)
    out = np.zeros(padded.size // 16 + 64, np.uint8)
    a, c, count, at = START
    repeated = False
    for row in range(len(repeats)):
        most = at + MOST_BYTES_A_BIT * (width + 1) + 64
        if most > len(out):
            more = np.zeros(2 * most, np.uint8)
            more[: at + 1] = out[: at + 1]
            out = more
        change = np.uint8(repeats[row] != repeated)
        a, c, count, at = encode_bit(change, ROW_REPEATS, states, a, c, count, at, out)
        repeated = repeats[row]
        if repeated:
            continue
        second, first, here = padded[row], padded[row + 1], padded[row + 2]
        # The context (figure 3), the newest pixel of each row lowest: five of the second row above, seven of the first,
        # four of this one.
        top = 4 * np.int64(second[4]) + 2 * second[5] + second[6]
        above = 8 * np.int64(first[4]) + 4 * first[5] + 2 * first[6] + first[7]
        before = np.int64(0)
        for col in range(width):
            bit = here[col + 4]
            a, c, count, at = encode_bit(bit, (top << 11) | (above << 4) | before, states, a, c, count, at, out)
            top = ((top << 1) | np.int64(second[col + 7])) & 31
            above = ((above << 1) | np.int64(first[col + 8])) & 127
            before = ((before << 1) | np.int64(bit)) & 15
    end = flush(a, c, count, at, out)
    return out[1:end]
