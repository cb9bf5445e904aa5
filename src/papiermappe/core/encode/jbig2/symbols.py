"""Symbols: shapes kept once for many pages, the places where they come, and shapes refined from them (ITU-T T.88, 6.3).

Each symbol has white around it, at least a pixel, so that a shape that is refined from it fits into its box.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.encode.jbig2.alike import RIM_PX
from papiermappe.core.encode.jbig2.arithmetic import Whole
from papiermappe.core.encode.jbig2.integers import put
from papiermappe.core.encode.jbig2.shapes import WORD, Shapes

REFINEMENT_CONTEXTS = 1 << 13  # of template 0


class Symbols(NamedTuple):
    """Shapes that are kept once, n of them, each in a box of its own."""

    shapes: Shapes
    left: NDArray[np.int64]
    """White in the box to the left of the shape, px..."""
    right: NDArray[np.int64]
    """...to its right..."""
    below: NDArray[np.int64]
    """...and below; above it is `RIM_PX`."""

    @property
    def number(self) -> int:
        """The number of symbols."""
        return self.shapes.number

    @property
    def width(self) -> NDArray[np.int64]:
        """Of the boxes, px."""
        return self.left + self.shapes.width + self.right

    @property
    def height(self) -> NDArray[np.int64]:
        """Of the boxes, px."""
        return RIM_PX + self.shapes.height + self.below

    def select(self, chosen: NDArray[np.int64]) -> "Symbols":
        """Return some of them, in the order given."""
        return Symbols(self.shapes.select(chosen), self.left[chosen], self.right[chosen], self.below[chosen])


class Places(NamedTuple):
    """Where symbols come on a page, n of them."""

    symbol: NDArray[np.int64]
    left: NDArray[np.int64]
    """Of the symbol itself, without the white around it, px."""
    bottom: NDArray[np.int64]
    """Its last row, px from the top of the page."""
    refined: NDArray[np.bool_]
    """Whether the shape that comes there is not the symbol itself..."""
    shapes: Shapes
    """...but this."""
    across: NDArray[np.int64]
    """How far its left lies to the right of the symbol's, px."""
    down: NDArray[np.int64]
    """How far its top lies below the symbol's, px."""

    def select(self, chosen: NDArray[np.int64]) -> "Places":
        """Return some of them, in the order given."""
        return Places(
            self.symbol[chosen],
            self.left[chosen],
            self.bottom[chosen],
            self.refined[chosen],
            self.shapes.select(chosen),
            self.across[chosen],
            self.down[chosen],
        )


def name_bits(symbols: int) -> int:
    """Return how many bits the name of a symbol takes when there are `count` of them (SBSYMCODELEN, 6.5.8.2.3)."""
    return max(0, (symbols - 1).bit_length())


@compiled("u1[:, ::1](u8[:, ::1], i8, i8, i8, i8)")
def in_box(rows: NDArray[np.uint64], width: Whole, height: Whole, across: Whole, down: Whole) -> NDArray[np.uint8]:
    """Return a shape in a box of that size, with room of two pixels around it; it may reach into that."""
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


@compiled("void(u1[:, ::1], u1[:, ::1], u1[::1], i8[::1], u1[::1])")
def put_refined(
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
