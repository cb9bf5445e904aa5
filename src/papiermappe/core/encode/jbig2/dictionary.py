"""Dictionaries: symbols kept once for many pages (ITU-T T.88, 6.5, arithmetic coding)."""

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.encode.jbig2.alike import RIM_PX, nearest
from papiermappe.core.encode.jbig2.arithmetic import MAX_BYTES_A_BIT, Whole
from papiermappe.core.encode.jbig2.integers import (
    INTEGER_CONTEXTS,
    MAX_BITS,
    ended,
    put,
    put_end,
    put_integer,
    put_name,
    registers,
)
from papiermappe.core.encode.jbig2.symbols import REFINEMENT_CONTEXTS, Symbols, in_box, name_bits, put_refined

LIKE = 0.25  # a symbol differs from the one it refines in at most this share of its ink
BITMAP_CONTEXTS = 1 << 13  # of template 1
_DH, _DW, _EX, _AI, _RDX, _RDY, _NAMES = (INTEGER_CONTEXTS * at for at in range(7))


def dictionary_order(symbols: Symbols) -> NDArray[np.int64]:
    """Return the order in which a dictionary has its symbols: by the height of their boxes, then by the width."""
    return np.lexsort((symbols.width, symbols.height))


def dictionary(symbols: Symbols) -> bytes:
    """Encode symbols as they are, in the order of a dictionary (6.5)."""
    none = np.zeros(symbols.number, np.int64)
    return _encoded(symbols, symbols.select(none[:0]), none - 1, none, none)


def refined_dictionary(symbols: Symbols, models: Symbols) -> bytes:
    """Encode symbols, in the order of a dictionary, each refined from the nearest of another dictionary (6.5.8.2.2).

    Args:
        symbols: each is `LIKE` one of the models.
        models: in their order.
    """
    like = nearest(symbols.shapes, models.shapes, LIKE)
    return _encoded(symbols, models, like.model, like.across_px, like.down_px)


def _encoded(
    symbols: Symbols,
    models: Symbols,
    model: NDArray[np.int64],
    across: NDArray[np.int64],
    down: NDArray[np.int64],
) -> bytes:
    names = name_bits(models.number + symbols.number)
    pixels = int((symbols.width * symbols.height).sum())
    out = np.zeros(MAX_BYTES_A_BIT * (pixels + (6 * MAX_BITS + names) * (symbols.number + 8)) + 64, np.uint8)
    end = _put_dictionary(
        symbols.width,
        symbols.height,
        symbols.left,
        symbols.shapes.first_row,
        symbols.shapes.rows,
        models.left,
        models.shapes.first_row,
        models.shapes.rows,
        model,
        across,
        down,
        names,
        out,
    )
    return out[1:end].tobytes()


@compiled("void(u1[:, ::1], u1[::1], i8[::1], u1[::1])")
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


@compiled(
    "i8(i8[::1], i8[::1], i8[::1], i8[::1], u8[:, ::1], i8[::1], i8[::1], u8[:, ::1],"
    "i8[::1], i8[::1], i8[::1], i8, u1[::1])",
)
def _put_dictionary(
    width: NDArray[np.int64],
    height: NDArray[np.int64],
    left: NDArray[np.int64],
    first_row: NDArray[np.int64],
    rows: NDArray[np.uint64],
    model_left: NDArray[np.int64],
    model_first_row: NDArray[np.int64],
    model_rows: NDArray[np.uint64],
    model: NDArray[np.int64],
    across: NDArray[np.int64],
    down: NDArray[np.int64],
    names: Whole,
    out: NDArray[np.uint8],
) -> Whole:
    """Code symbols: those without a model as they are, others refined from it; either all or none has one."""
    numbers = np.zeros(_NAMES + (1 << names), np.uint8)
    bitmaps, refinements = np.zeros(BITMAP_CONTEXTS, np.uint8), np.zeros(REFINEMENT_CONTEXTS, np.uint8)
    coder = registers()
    tall: Whole = np.int64(0)
    wide: Whole = np.int64(0)
    for symbol in range(len(width)):
        if height[symbol] != tall:
            if symbol:
                put_end(_DW, numbers, coder, out)
            put_integer(height[symbol] - tall, _DH, numbers, coder, out)
            tall, wide = height[symbol], 0
        put_integer(width[symbol] - wide, _DW, numbers, coder, out)
        wide = width[symbol]
        box = in_box(rows[first_row[symbol] : first_row[symbol + 1]], wide, tall, left[symbol], RIM_PX)
        like = model[symbol]
        if like < 0:
            _put_bitmap(box, bitmaps, coder, out)
            continue
        put_integer(1, _AI, numbers, coder, out)
        put_name(like, names, _NAMES, numbers, coder, out)
        put_integer(left[symbol] - across[symbol] - model_left[like], _RDX, numbers, coder, out)
        put_integer(-down[symbol], _RDY, numbers, coder, out)
        theirs = model_rows[model_first_row[like] : model_first_row[like + 1]]
        beside = in_box(theirs, wide, tall, left[symbol] - across[symbol], RIM_PX - down[symbol])
        put_refined(box, beside, refinements, coder, out)
    put_end(_DW, numbers, coder, out)
    put_integer(
        len(model_left), _EX, numbers, coder, out
    )  # the models are not for use, their own dictionary has them...
    put_integer(len(width), _EX, numbers, coder, out)  # ...all others are (6.5.10)
    return ended(coder, out)
