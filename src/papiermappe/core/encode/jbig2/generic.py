"""Generic regions (ITU-T T.88, 6.2).

Each pixel is coded in the context of sixteen that were coded before it; rows that repeat the row above take one bit.
Twelve of the sixteen are fixed, four may be chosen (the adaptive pixels, 6.2.5.4). Most of a page is white with nothing
but white around it: such a stretch is one context and one bit, many times.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.encode.jbig2.arithmetic import MAX_BYTES_A_BIT, START, encode_bit, encode_run, flush

CONTEXTS = 1 << 16
ROW_REPEATS = np.int64(0x9B25)  # the context of the bit that tells so, for template 0 (T.88, figure 8)

Adaptive = tuple[tuple[int, int], tuple[int, int], tuple[int, int], tuple[int, int]]
"""Where the adaptive pixels are: to the right and down from the one that is coded."""
NOMINAL: Adaptive = ((3, -1), (-3, -1), (2, -2), (-2, -2))
WIDE: Adaptive = ((5, -1), (1, -4), (-5, -1), (-1, -4))
"""Of those within eight columns and six rows the four that tell most of pages full of print at 300 dpi."""
SIDE_PX, ABOVE_PX = 8, 4
"""So far from the pixel that is coded all those of its context lie, to either side and above."""
WORD_PX = 8


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
    words = -(-(width + 2 * SIDE_PX) // WORD_PX)
    padded = np.zeros((height + ABOVE_PX, words * WORD_PX), np.uint8)
    padded[ABOVE_PX:, SIDE_PX : SIDE_PX + width] = ink
    regions = [GenericRegion(places, bytes(_coded(padded, width, np.array(places)).tobytes())) for places in among]
    return min(regions, key=lambda region: len(region.coded))


@compiled("void(u1[:, ::1], i8, i8[:, ::1], u1[::1])")
def _find_ink(padded: NDArray[np.uint8], line: int, adaptive: NDArray[np.int64], inked: NDArray[np.uint8]) -> None:
    """Fill the columns in which any of the rows has ink that the contexts of a row look at."""
    second, first, here = padded[line - 2], padded[line - 1], padded[line]
    for col in range(np.uint64(inked.size)):
        inked[col] = second[col] | first[col] | here[col]
    for at in range(len(adaptive)):
        row = padded[line + adaptive[at, 1]]
        for col in range(np.uint64(inked.size)):
            inked[col] |= row[col]


@compiled("b1(u1[::1], u1[::1])")
def _are_alike(row: NDArray[np.uint8], other: NDArray[np.uint8]) -> bool:
    words, others = row.view(np.uint64), other.view(np.uint64)
    differing = np.uint64(0)
    for word in range(np.uint64(words.size)):
        differing |= words[word] ^ others[word]
    return bool(differing == 0)


@compiled("u1[::1](u1[:, ::1], i8, i8[:, ::1])")
def _coded(padded: NDArray[np.uint8], width_px: int, adaptive: NDArray[np.int64]) -> NDArray[np.uint8]:
    """Return the code. Columns are unsigned: numba asks others whether they count from the end."""
    width = np.uint64(width_px)
    own, next_1, next_2 = np.uint64(SIDE_PX), np.uint64(SIDE_PX + 1), np.uint64(SIDE_PX + 2)
    at_1, at_2 = np.uint64(SIDE_PX + adaptive[0, 0]), np.uint64(SIDE_PX + adaptive[1, 0])
    at_3, at_4 = np.uint64(SIDE_PX + adaptive[2, 0]), np.uint64(SIDE_PX + adaptive[3, 0])
    states = np.zeros(CONTEXTS, np.uint8)
    out = np.zeros(padded.size // 16 + 64, np.uint8)
    inked = np.zeros(padded.shape[1], np.uint8)
    words = inked.view(np.uint64)
    a, c, count, at = START
    repeated = False
    for row in range(padded.shape[0] - ABOVE_PX):
        most = at + MAX_BYTES_A_BIT * (padded.shape[1] + 1) + 64
        if most > len(out):
            more = np.zeros(2 * most, np.uint8)
            more[: at + 1] = out[: at + 1]
            out = more
        line = row + ABOVE_PX
        repeats = _are_alike(padded[line], padded[line - 1])  # above the first row lies white
        change = np.uint8(repeats != repeated)
        a, c, count, at = encode_bit(change, ROW_REPEATS, states, a, c, count, at, out)
        repeated = repeats
        if repeated:
            continue
        _find_ink(padded, line, adaptive, inked)
        second, first, here = padded[line - 2], padded[line - 1], padded[line]
        row_1, row_2 = padded[line + adaptive[0, 1]], padded[line + adaptive[1, 1]]
        row_3, row_4 = padded[line + adaptive[2, 1]], padded[line + adaptive[3, 1]]
        # The context (figure 3), the newest pixel of each row lowest: four of this row, five of the first above, three
        # of the second, and among them the adaptive ones.
        before = np.uint32(0)
        above = 4 * np.uint32(first[SIDE_PX - 1]) + 2 * np.uint32(first[SIDE_PX]) + np.uint32(first[SIDE_PX + 1])
        top = 2 * np.uint32(second[SIDE_PX - 1]) + np.uint32(second[SIDE_PX])
        col = searched = np.uint64(0)
        while col < width:
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
            if context == 0 and col >= searched:
                white_until, searched = _end_of_white(words, col, width)
                if white_until > col:  # around the last of these is white, too: the context behind it has no ink
                    times = np.int64(white_until - col)
                    a, c, count, at = encode_run(np.uint8(0), times, np.int64(0), states, a, c, count, at, out)
                    before = above = top = np.uint32(0)
                    col = white_until
                    continue
            bit = here[col + own]
            a, c, count, at = encode_bit(bit, np.int64(context), states, a, c, count, at, out)
            before = ((before << np.uint32(1)) | np.uint32(bit)) & np.uint32(15)
            col += np.uint64(1)
    end = flush(a, c, count, at, out)
    return out[1:end]


@compiled("UniTuple(u8, 2)(u8[::1], u8, u8)")
def _end_of_white(words: NDArray[np.uint64], col: np.uint64, width: np.uint64) -> tuple[np.uint64, np.uint64]:
    """Return up to where the pixels from a column on have nothing but white around them, and where to look again.

    Args:
        words: whether there is ink, eight columns a word, the first `SIDE_PX` before the row begins.
        col: of a pixel in the row.
        width: of the row.
    """
    word_px = np.uint64(WORD_PX)
    word = col // word_px
    while word < words.size and words[word] == 0:
        word += np.uint64(1)
    if word == words.size:
        return width, width
    inked = word * word_px
    white = inked - min(inked, np.uint64(2 * SIDE_PX))  # what lies around the pixel before ends where the ink begins
    return min(max(white, col), width), inked + word_px
