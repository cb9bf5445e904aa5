"""JBIG2 (ITU-T T.88): bilevel pages, coded without loss.

A page is one generic region: each pixel is coded in the context of sixteen that were coded before it, rows that repeat
the row above take one bit.
"""

import struct

import numpy as np
from numba import njit
from numpy.typing import NDArray

from papiermappe.core.encode.arithmetic import MOST_BYTES_A_BIT, START, encode_bit, flush

MOST_SIDE_PX = 65_535
CONTEXTS = 1 << 16
ROW_REPEATS = np.int64(0x9B25)  # the context of the bit that tells so, for template 0 (T.88, figure 8)
NOMINAL_AT = struct.pack(">8b", 3, -1, -3, -1, 2, -2, -2, -2)  # adaptive pixels at their usual places (6.2.5.4)

PAGE_INFORMATION, IMMEDIATE_LOSSLESS_GENERIC, END_OF_PAGE, END_OF_FILE = 48, 39, 49, 51  # 7.3
FILE_ID = b"\x97JB2\r\n\x1a\n"
SEQUENTIAL_KNOWN_PAGES = 1  # flags of the file header (D.4.2)


def page_stream(ink: NDArray[np.bool_]) -> bytes:
    """Encode a page as PDF embeds it (ISO 32000-1, 7.4.7): without file header and end segments.

    Args:
        ink: (h, w), True = black; each side 1 to 65,535.

    Raises:
        ValueError: not such a picture.
    """
    return b"".join(_page_segments(ink))


def page_file(ink: NDArray[np.bool_]) -> bytes:
    """Encode a page as a file of its own (T.88, annex D.1). Arguments and errors as for `page_stream`."""
    header = FILE_ID + bytes([SEQUENTIAL_KNOWN_PAGES]) + struct.pack(">I", 1)
    return b"".join([header, *_page_segments(ink), _segment(2, END_OF_PAGE, 1, b""), _segment(3, END_OF_FILE, 0, b"")])


def _page_segments(ink: NDArray[np.bool_]) -> list[bytes]:
    if ink.ndim != 2 or ink.dtype != np.bool_ or not all(1 <= side <= MOST_SIDE_PX for side in ink.shape):
        raise ValueError(
            f"a bool picture (h, w) of 1 to {MOST_SIDE_PX} px a side is needed, not {ink.dtype} {ink.shape}"
        )
    height, width = ink.shape
    page = struct.pack(">IIIIBH", width, height, 0, 0, 1, 0)  # 7.4.8: no resolution, lossless, not in stripes
    region = struct.pack(">IIIIB", width, height, 0, 0, 0)  # 7.4.1: the whole page, OR
    generic = b"\x08" + NOMINAL_AT  # 7.4.6.2: arithmetic, template 0, typical prediction
    data = region + generic + generic_region(ink)
    return [_segment(0, PAGE_INFORMATION, 1, page), _segment(1, IMMEDIATE_LOSSLESS_GENERIC, 1, data)]


def _segment(number: int, kind: int, page: int, data: bytes) -> bytes:
    """Return a segment that refers to no other, with its header (T.88, 7.2)."""
    return struct.pack(">IBBBI", number, kind, 0, page, len(data)) + data


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
