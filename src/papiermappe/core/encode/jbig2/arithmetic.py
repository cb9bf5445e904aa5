"""The adaptive binary arithmetic encoder of JBIG2 (ITU-T T.88, Annex E).

What is coded is bits, each in a context; a context is a state of the adaptive estimate of how likely the bits are that
come in it. States are numbers `2 * index + mps`: the row of table E.1 and the more probable symbol.
"""

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled

Whole = int | np.int64

# ITU-T T.88, table E.1: Qe, next index after the more and after the less probable symbol, whether they change places.
_TABLE = (
    (0x5601, 1, 1, 1), (0x3401, 2, 6, 0), (0x1801, 3, 9, 0), (0x0AC1, 4, 12, 0), (0x0521, 5, 29, 0),
    (0x0221, 38, 33, 0), (0x5601, 7, 6, 1), (0x5401, 8, 14, 0), (0x4801, 9, 14, 0), (0x3801, 10, 14, 0),
    (0x3001, 11, 17, 0), (0x2401, 12, 18, 0), (0x1C01, 13, 20, 0), (0x1601, 29, 21, 0), (0x5601, 15, 14, 1),
    (0x5401, 16, 14, 0), (0x5101, 17, 15, 0), (0x4801, 18, 16, 0), (0x3801, 19, 17, 0), (0x3401, 20, 18, 0),
    (0x3001, 21, 19, 0), (0x2801, 22, 19, 0), (0x2401, 23, 20, 0), (0x2201, 24, 21, 0), (0x1C01, 25, 22, 0),
    (0x1801, 26, 23, 0), (0x1601, 27, 24, 0), (0x1401, 28, 25, 0), (0x1201, 29, 26, 0), (0x1101, 30, 27, 0),
    (0x0AC1, 31, 28, 0), (0x09C1, 32, 29, 0), (0x08A1, 33, 30, 0), (0x0521, 34, 31, 0), (0x0441, 35, 32, 0),
    (0x02A1, 36, 33, 0), (0x0221, 37, 34, 0), (0x0141, 38, 35, 0), (0x0111, 39, 36, 0), (0x0085, 40, 37, 0),
    (0x0049, 41, 38, 0), (0x0025, 42, 39, 0), (0x0015, 43, 40, 0), (0x0009, 44, 41, 0), (0x0005, 45, 42, 0),
    (0x0001, 45, 43, 0), (0x5601, 46, 46, 0),
)  # fmt: skip
QE = np.array([row[0] for row in _TABLE for _ in (0, 1)], np.uint32)
AFTER_MPS = np.array([2 * row[1] + mps for row in _TABLE for mps in (0, 1)], np.uint8)
AFTER_LPS = np.array([2 * row[2] + (mps ^ row[3]) for row in _TABLE for mps in (0, 1)], np.uint8)

MAX_BYTES_A_BIT = 2  # a bit shifts the register by 15 places at most
START = np.uint32(0x8000), np.uint32(0), np.int32(12), np.int64(0)
"""The registers at first, as everywhere here: interval, code, shifts until a byte is full, place of the last byte.

Place 0 of the output takes the byte before the first, which is not sent.
"""


@compiled()
def byte_out(c: np.uint32, at: np.int64, out: NDArray[np.uint8]) -> tuple[np.uint32, np.int32, np.int64]:
    """Move a byte out of the code register (BYTEOUT, T.88 figure E.9)."""
    if out[at] != 0xFF and c >= np.uint32(0x8000000):
        out[at] += np.uint8(1)
        c &= np.uint32(0x7FFFFFF)
    stuffed = out[at] == 0xFF  # then a bit is put in, so that no carry can run over it
    at += 1
    if stuffed:
        out[at] = np.uint8(c >> np.uint32(20))
        return c & np.uint32(0xFFFFF), np.int32(7), at
    out[at] = np.uint8((c >> np.uint32(19)) & np.uint32(0xFF))
    return c & np.uint32(0x7FFFF), np.int32(8), at


@compiled()
def encode_bit(
    bit: np.uint8,
    context: np.int64,
    states: NDArray[np.uint8],
    a: np.uint32,
    c: np.uint32,
    count: np.int32,
    at: np.int64,
    out: NDArray[np.uint8],
) -> tuple[np.uint32, np.uint32, np.int32, np.int64]:
    """Code a bit in a context (ENCODE, T.88 figures E.3 to E.8); return the registers."""
    state = states[context]
    qe = QE[state]
    a -= qe
    if bit == state & np.uint8(1):
        if a & np.uint32(0x8000):
            return a, c + qe, count, at
        if a < qe:
            a = qe
        else:
            c += qe
        states[context] = AFTER_MPS[state]
    else:
        if a < qe:
            c += qe
        else:
            a = qe
        states[context] = AFTER_LPS[state]
    while True:
        a <<= np.uint32(1)
        c <<= np.uint32(1)
        count -= np.int32(1)
        if count == 0:
            c, count, at = byte_out(c, at, out)
        if a & np.uint32(0x8000):
            return a, c, count, at


@compiled()
def encode_run(
    bit: np.uint8,
    times: np.int64,
    context: np.int64,
    states: NDArray[np.uint8],
    a: np.uint32,
    c: np.uint32,
    count: np.int32,
    at: np.int64,
    out: NDArray[np.uint8],
) -> tuple[np.uint32, np.uint32, np.int32, np.int64]:
    """Code a bit so many times in the same context; return the registers.

    As long as the interval stays above half, the more probable symbol only moves it: many of them do so in one step.
    """
    while times:
        state = states[context]
        if bit == state & np.uint8(1):
            step = QE[state]
            together = np.uint32(min(times, np.int64((a - np.uint32(0x8000)) // step)))
            a -= together * step
            c += together * step
            times -= np.int64(together)
            if not times:
                break
        a, c, count, at = encode_bit(bit, context, states, a, c, count, at, out)
        times -= 1
    return a, c, count, at


@compiled()
def flush(a: np.uint32, c: np.uint32, count: np.int32, at: np.int64, out: NDArray[np.uint8]) -> np.int64:
    """End the code (FLUSH, T.88 figure E.11); return where the output ends."""
    most = c + a
    c |= np.uint32(0xFFFF)
    if c >= most:
        c -= np.uint32(0x8000)
    for _ in range(2):
        c <<= np.uint32(count)
        c, count, at = byte_out(c, at, out)
    if out[at] != 0xFF:
        at += 1
        out[at] = 0xFF
    out[at + 1] = 0xAC
    return at + 2
