"""Text regions: where symbols come on a page (ITU-T T.88, 6.4, arithmetic coding)."""

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.encode.jbig2.alike import RIM_PX
from papiermappe.core.encode.jbig2.arithmetic import MAX_BYTES_A_BIT, Whole
from papiermappe.core.encode.jbig2.integers import (
    INTEGER_CONTEXTS,
    MAX_BITS,
    ended,
    put_end,
    put_integer,
    put_name,
    registers,
)
from papiermappe.core.encode.jbig2.symbols import (
    REFINEMENT_CONTEXTS,
    Places,
    Symbols,
    in_box,
    name_bits,
    put_refined,
)

_DT, _FS, _DS, _RI, _RDW, _RDH, _RDX, _RDY, _NAMES = (INTEGER_CONTEXTS * at for at in range(9))


def text_region(places: Places, symbols: Symbols) -> bytes:
    """Encode where symbols come on a page, with what differs from them refined (6.4)."""
    left = places.left - symbols.left[places.symbol]
    bottom = places.bottom + symbols.below[places.symbol]
    order = np.lexsort((left, bottom))
    ordered = places.select(order)
    pixels = int((symbols.width * symbols.height)[places.symbol[places.refined]].sum())
    names = name_bits(symbols.number)
    out = np.zeros(MAX_BYTES_A_BIT * (pixels + (10 * MAX_BITS + names) * (len(order) + 1)) + 64, np.uint8)
    states = np.zeros(_NAMES + (1 << names), np.uint8)
    end = _put_text(
        ordered.symbol,
        left[order],
        bottom[order],
        ordered.refined,
        ordered.across + symbols.left[ordered.symbol],
        ordered.down + RIM_PX,
        ordered.shapes.first_row,
        ordered.shapes.rows,
        symbols.width,
        symbols.height,
        symbols.left,
        symbols.shapes.first_row,
        symbols.shapes.rows,
        names,
        states,
        out,
    )
    return out[1:end].tobytes()


@compiled(
    "i8(i8[::1], i8[::1], i8[::1], b1[::1], i8[::1], i8[::1], i8[::1], u8[:, ::1],"
    "i8[::1], i8[::1], i8[::1], i8[::1], u8[:, ::1], i8, u1[::1], u1[::1])",
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
    symbol_width: NDArray[np.int64],
    symbol_height: NDArray[np.int64],
    symbol_left: NDArray[np.int64],
    symbol_first_row: NDArray[np.int64],
    symbol_rows: NDArray[np.uint64],
    names: Whole,
    numbers: NDArray[np.uint8],
    out: NDArray[np.uint8],
) -> Whole:
    """Code symbols whose boxes are sorted by where they stand, then from left to right (6.4.5)."""
    states = np.zeros(REFINEMENT_CONTEXTS, np.uint8)
    coder = registers()
    put_integer(0, _DT, numbers, coder, out)  # the first line is counted from here
    line, line_start, last = np.int64(0), np.int64(0), np.int64(0)
    for place in range(len(symbol)):
        if place == 0 or bottom[place] != line:
            if place:
                put_end(_DS, numbers, coder, out)
            put_integer(bottom[place] - line, _DT, numbers, coder, out)
            put_integer(left[place] - line_start, _FS, numbers, coder, out)
            line, line_start = bottom[place], left[place]
        else:
            put_integer(left[place] - last, _DS, numbers, coder, out)
        which = symbol[place]
        put_name(which, names, _NAMES, numbers, coder, out)
        put_integer(np.int64(refined[place]), _RI, numbers, coder, out)
        width, height = symbol_width[which], symbol_height[which]
        if refined[place]:
            for kind in (_RDW, _RDH, _RDX, _RDY):
                put_integer(0, kind, numbers, coder, out)
            model = symbol_rows[symbol_first_row[which] : symbol_first_row[which + 1]]
            shape = rows[first_row[place] : first_row[place + 1]]
            put_refined(
                in_box(shape, width, height, across[place], down[place]),
                in_box(model, width, height, symbol_left[which], RIM_PX),
                states,
                coder,
                out,
            )
        last = left[place] + width - 1
    if len(symbol):
        put_end(_DS, numbers, coder, out)
    return ended(coder, out)
