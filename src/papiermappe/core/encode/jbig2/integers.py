"""Whole numbers and names of symbols in the arithmetic code (ITU-T T.88, Annex A).

The coder's registers travel in one array here, `[interval, code, shifts until a byte is full, place of the last byte]`,
since a text region codes few bits of many kinds.
"""

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.encode.jbig2.arithmetic import START, Whole, encode_bit, flush

INTEGER_CONTEXTS = 512
_KINDS = np.array([[0, 2], [4, 4], [20, 6], [84, 8], [340, 12], [4436, 32]], np.int64)  # table A.1: least value, bits
MAX_BITS = 2 + 5 + 32


@compiled("i8[::1]()")
def registers() -> NDArray[np.int64]:
    """Return the registers at the start of a code."""
    return np.array([np.int64(START[0]), np.int64(START[1]), np.int64(START[2]), np.int64(START[3])])


@compiled("void(u1, i8, u1[::1], i8[::1], u1[::1])")
def put(
    bit: np.uint8, context: Whole, states: NDArray[np.uint8], registers: NDArray[np.int64], out: NDArray[np.uint8]
) -> None:
    """Code a bit in a context."""
    a, c, count, at = encode_bit(
        bit,
        np.int64(context),
        states,
        np.uint32(registers[0]),
        np.uint32(registers[1]),
        np.int32(registers[2]),
        registers[3],
        out,
    )
    registers[0], registers[1], registers[2], registers[3] = a, c, count, at


@compiled("i8(i8, u1, i8, u1[::1], i8[::1], u1[::1])")
def _put_after(
    before: Whole,
    bit: np.uint8,
    base: Whole,
    states: NDArray[np.uint8],
    registers: NDArray[np.int64],
    out: NDArray[np.uint8],
) -> Whole:
    """Code a bit of a number in the context of those before it (A.2, steps 3 and 4); return those before the next."""
    put(bit, base + before, states, registers, out)
    after = (before << 1) | np.int64(bit)
    return after if before < 256 else (after & 511) | 256


@compiled("void(i8, i8, u1[::1], i8[::1], u1[::1])")
def put_integer(
    value: Whole, base: Whole, states: NDArray[np.uint8], registers: NDArray[np.int64], out: NDArray[np.uint8]
) -> None:
    """Code a number (A.2); its contexts are the 512 from `base`."""
    size = abs(value)
    before: Whole = _put_after(np.int64(1), np.uint8(value < 0), base, states, registers, out)
    kind = 0
    while kind < 5 and size >= _KINDS[kind + 1, 0]:
        before = _put_after(before, np.uint8(1), base, states, registers, out)
        kind += 1
    if kind < 5:
        before = _put_after(before, np.uint8(0), base, states, registers, out)
    size -= _KINDS[kind, 0]
    for shift in range(_KINDS[kind, 1] - 1, -1, -1):
        before = _put_after(before, np.uint8((size >> shift) & 1), base, states, registers, out)


@compiled("void(i8, u1[::1], i8[::1], u1[::1])")
def put_end(base: Whole, states: NDArray[np.uint8], registers: NDArray[np.int64], out: NDArray[np.uint8]) -> None:
    """Code the end of the numbers: minus zero (A.2, OOB)."""
    before: Whole = _put_after(np.int64(1), np.uint8(1), base, states, registers, out)
    for _ in range(3):
        before = _put_after(before, np.uint8(0), base, states, registers, out)


@compiled("void(i8, i8, i8, u1[::1], i8[::1], u1[::1])")
def put_name(
    name: Whole,
    bits: Whole,
    base: Whole,
    states: NDArray[np.uint8],
    registers: NDArray[np.int64],
    out: NDArray[np.uint8],
) -> None:
    """Code which symbol it is (A.3); its contexts are the `2 ** bits` from `base`."""
    before: Whole = np.int64(1)
    for shift in range(bits - 1, -1, -1):
        bit = np.uint8((name >> shift) & 1)
        put(bit, base + before, states, registers, out)
        before = (before << 1) | np.int64(bit)


@compiled("i8(i8[::1], u1[::1])")
def ended(registers: NDArray[np.int64], out: NDArray[np.uint8]) -> np.int64:
    """End the code; return where the output ends. Place 0 of it is not sent."""
    return flush(np.uint32(registers[0]), np.uint32(registers[1]), np.int32(registers[2]), registers[3], out)
