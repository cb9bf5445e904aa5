"""Symbols: shapes kept once for many pages, and the places where they come (ITU-T T.88, 6.3 to 6.5, arithmetic coding).

Each symbol has a white rim of a pixel, so that a shape that is refined from it fits into its box, and sizes and offsets
of refinements are all zero.
"""

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from papiermappe.core.encode.jbig2.alike import RIM_PX
from papiermappe.core.encode.jbig2.arithmetic import MOST_BYTES_A_BIT, Whole
from papiermappe.core.encode.jbig2.integers import (
    INTEGER_CONTEXTS,
    MOST_BITS,
    ended,
    put,
    put_end,
    put_integer,
    put_name,
    registers,
)
from papiermappe.core.encode.jbig2.shapes import WORD, Shapes

STRIP_BITS = 3
STRIP_PX = 1 << STRIP_BITS  # symbols whose bottoms lie in the same strip are coded from left to right
DICTIONARY_CONTEXTS = 1 << 13  # of template 1
REFINEMENT_CONTEXTS = 1 << 13  # of template 0
_DH, _DW, _EX = (INTEGER_CONTEXTS * at for at in range(3))
_DT, _FS, _DS, _IT, _RI, _RDW, _RDH, _RDX, _RDY, _NAMES = (INTEGER_CONTEXTS * at for at in range(10))


class Places(NamedTuple):
    """Where symbols come on a page, n of them."""

    symbol: NDArray[np.int64]
    left: NDArray[np.int64]
    """Of the symbol's box with its rim, px."""
    bottom: NDArray[np.int64]
    """The last row of that box, px from the top of the page."""
    refined: NDArray[np.bool_]
    """Whether the shape that comes there is not the symbol itself..."""
    shapes: Shapes
    """...but this."""
    across: NDArray[np.int64]
    """How far the left of the shape lies from the left of the box, px."""
    down: NDArray[np.int64]
    """How far the top of the shape lies below the top of the box, px."""

    def those(self, chosen: NDArray[np.int64]) -> "Places":
        """Return some of them, in the order given."""
        return Places(
            self.symbol[chosen],
            self.left[chosen],
            self.bottom[chosen],
            self.refined[chosen],
            self.shapes.those(chosen),
            self.across[chosen],
            self.down[chosen],
        )


def dictionary_order(shapes: Shapes) -> NDArray[np.int64]:
    """Return the order in which a dictionary has its symbols: by height, then by width."""
    return np.lexsort((shapes.width, shapes.height))


def dictionary(symbols: Shapes) -> bytes:
    """Encode symbols, in the order of a dictionary, each with a rim (6.5)."""
    pixels = int(((symbols.width + 2 * RIM_PX) * (symbols.height + 2 * RIM_PX)).sum())
    out = np.zeros(MOST_BYTES_A_BIT * (pixels + MOST_BITS * (3 * symbols.number + 8)) + 64, np.uint8)
    return out[1 : _put_dictionary(symbols.width, symbols.height, symbols.first_row, symbols.rows, out)].tobytes()


def name_bits(symbols: int) -> int:
    """Return how many bits the name of one of so many symbols takes (SBSYMCODELEN, 6.5.8.2.3)."""
    return max(0, (symbols - 1).bit_length())


def text_region(places: Places, symbols: Shapes) -> bytes:
    """Encode where symbols come on a page, with what differs from them refined (6.4)."""
    strip = places.bottom // STRIP_PX
    order = np.lexsort((places.left, strip))
    sorted_places = places.those(order)
    box = (symbols.width + 2 * RIM_PX) * (symbols.height + 2 * RIM_PX)
    pixels = int(box[places.symbol[places.refined]].sum())
    names = name_bits(symbols.number)
    out = np.zeros(MOST_BYTES_A_BIT * (pixels + (10 * MOST_BITS + names) * (len(strip) + 1)) + 64, np.uint8)
    states = np.zeros(_NAMES + (1 << names), np.uint8)
    end = _put_text(
        *sorted_places[:4],
        sorted_places.across,
        sorted_places.down,
        sorted_places.shapes.first_row,
        sorted_places.shapes.rows,
        symbols.width,
        symbols.height,
        symbols.first_row,
        symbols.rows,
        names,
        states,
        out,
    )
    return out[1:end].tobytes()


@njit("u1[:, ::1](u8[:, ::1], i8, i8, i8, i8)", cache=True)
def _boxed(rows: NDArray[np.uint64], width: Whole, height: Whole, across: Whole, down: Whole) -> NDArray[np.uint8]:
    """Return a shape in a box of that size, with room of two pixels around it."""
    box = np.zeros((height + 4, width + 4), np.uint8)
    for row in range(len(rows)):
        for word in range(2):
            bits = rows[row, word]
            at = word * WORD + across + 2
            while bits:
                if bits & np.uint64(1):
                    box[row + down + 2, at] = 1
                bits >>= np.uint64(1)
                at += 1
    return box


@njit("void(u1[:, ::1], u1[::1], i8[::1], u1[::1])", cache=True)
def _put_bitmap(
    box: NDArray[np.uint8], states: NDArray[np.uint8], coder: NDArray[np.int64], out: NDArray[np.uint8]
) -> None:
    """Code a bitmap with room of two pixels around it, with template 1 (6.2.5.3, figure 4)."""
    for row in range(2, box.shape[0] - 2):
        second, first, here = box[row - 2], box[row - 1], box[row]
        top = (np.int64(second[2]) << 1) | second[3]
        above = (np.int64(first[2]) << 1) | first[3]
        before = np.int64(0)
        for col in range(2, box.shape[1] - 2):
            top = ((top << 1) | np.int64(second[col + 2])) & 15
            above = ((above << 1) | np.int64(first[col + 2])) & 31
            beyond = np.int64(first[col + 3]) if col + 3 < box.shape[1] else np.int64(0)
            put(here[col], (top << 9) | (above << 4) | (beyond << 3) | before, states, coder, out)
            before = ((before << 1) | np.int64(here[col])) & 7


@njit("i8(i4[::1], i4[::1], i8[::1], u8[:, ::1], u1[::1])", cache=True)
def _put_dictionary(
    width: NDArray[np.int32],
    height: NDArray[np.int32],
    first_row: NDArray[np.int64],
    rows: NDArray[np.uint64],
    out: NDArray[np.uint8],
) -> Whole:
    numbers = np.zeros(3 * INTEGER_CONTEXTS, np.uint8)
    states = np.zeros(DICTIONARY_CONTEXTS, np.uint8)
    coder = registers()
    tall, wide = 0, 0
    for symbol in range(len(width)):
        if height[symbol] + 2 * RIM_PX != tall:
            if symbol:
                put_end(_DW, numbers, coder, out)
            put_integer(height[symbol] + 2 * RIM_PX - tall, _DH, numbers, coder, out)
            tall, wide = height[symbol] + 2 * RIM_PX, 0
        put_integer(width[symbol] + 2 * RIM_PX - wide, _DW, numbers, coder, out)
        wide = width[symbol] + 2 * RIM_PX
        mine = rows[first_row[symbol] : first_row[symbol + 1]]
        _put_bitmap(_boxed(mine, wide, tall, RIM_PX, RIM_PX), states, coder, out)
    put_end(_DW, numbers, coder, out)
    put_integer(0, _EX, numbers, coder, out)  # none is left out...
    put_integer(len(width), _EX, numbers, coder, out)  # ...all are for use (6.5.10)
    return ended(coder, out)


@njit("void(u1[:, ::1], u1[:, ::1], u1[::1], i8[::1], u1[::1])", cache=True)
def _put_refined(
    shape: NDArray[np.uint8],
    symbol: NDArray[np.uint8],
    states: NDArray[np.uint8],
    coder: NDArray[np.int64],
    out: NDArray[np.uint8],
) -> None:
    """Code a shape in the box of its symbol, both with room around, with template 0 (6.3.5.3, figure 12)."""
    for row in range(2, shape.shape[0] - 2):
        first, here = shape[row - 1], shape[row]
        over, same, under = symbol[row - 1], symbol[row], symbol[row + 1]
        above = (np.int64(first[1]) << 1) | first[2]
        upper = (np.int64(over[1]) << 1) | over[2]
        middle = (np.int64(same[1]) << 1) | same[2]
        lower = (np.int64(under[1]) << 1) | under[2]
        before = np.int64(0)
        for col in range(2, shape.shape[1] - 2):
            above = ((above << 1) | np.int64(first[col + 1])) & 7
            upper = ((upper << 1) | np.int64(over[col + 1])) & 7
            middle = ((middle << 1) | np.int64(same[col + 1])) & 7
            lower = ((lower << 1) | np.int64(under[col + 1])) & 7
            context = (above << 10) | (before << 9) | (upper << 6) | (middle << 3) | lower
            put(here[col], context, states, coder, out)
            before = np.int64(here[col])


@njit(
    "i8(i8[::1], i8[::1], i8[::1], b1[::1], i8[::1], i8[::1], i8[::1], u8[:, ::1],"
    "i4[::1], i4[::1], i8[::1], u8[:, ::1], i8, u1[::1], u1[::1])",
    cache=True,
)
def _put_text(
    symbol: NDArray[np.int64],
    left: NDArray[np.int64],
    bottom: NDArray[np.int64],
    refined: NDArray[np.bool_],
    across: NDArray[np.int64],
    down: NDArray[np.int64],
    first_row: NDArray[np.int64],
    rows: NDArray[np.uint64],
    symbol_width: NDArray[np.int32],
    symbol_height: NDArray[np.int32],
    symbol_first_row: NDArray[np.int64],
    symbol_rows: NDArray[np.uint64],
    names: Whole,
    numbers: NDArray[np.uint8],
    out: NDArray[np.uint8],
) -> Whole:
    """Code symbols that are sorted by strip, then from left to right (6.4.5)."""
    states = np.zeros(REFINEMENT_CONTEXTS, np.uint8)
    coder = registers()
    put_integer(0, _DT, numbers, coder, out)  # the first strip is counted from here
    strip, line_start, last = 0, 0, 0
    for place in range(len(symbol)):
        mine = bottom[place] // STRIP_PX
        if place == 0 or mine != strip:
            if place:
                put_end(_DS, numbers, coder, out)
            put_integer(mine - strip, _DT, numbers, coder, out)
            put_integer(left[place] - line_start, _FS, numbers, coder, out)
            strip, line_start = mine, left[place]
        else:
            put_integer(left[place] - last, _DS, numbers, coder, out)
        put_integer(bottom[place] - mine * STRIP_PX, _IT, numbers, coder, out)
        which = symbol[place]
        put_name(which, names, _NAMES, numbers, coder, out)
        put_integer(np.int64(refined[place]), _RI, numbers, coder, out)
        width, height = symbol_width[which] + 2 * RIM_PX, symbol_height[which] + 2 * RIM_PX
        if refined[place]:
            for kind in (_RDW, _RDH, _RDX, _RDY):
                put_integer(0, kind, numbers, coder, out)
            model = symbol_rows[symbol_first_row[which] : symbol_first_row[which + 1]]
            shape = rows[first_row[place] : first_row[place + 1]]
            _put_refined(
                _boxed(shape, width, height, across[place], down[place]),
                _boxed(model, width, height, RIM_PX, RIM_PX),
                states,
                coder,
                out,
            )
        last = left[place] + width - 1
    if len(symbol):
        put_end(_DS, numbers, coder, out)
    return ended(coder, out)
