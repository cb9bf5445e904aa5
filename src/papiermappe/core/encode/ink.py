"""Bilevel pictures that take little room while they wait."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Ink = NDArray[np.bool_]


class PackedInk(NamedTuple):
    """Where ink is, eight pixels a byte."""

    height_px: int
    width_px: int
    rows: bytes

    @classmethod
    def of(cls, ink: Ink) -> "PackedInk":
        """Pack ink, (h, w), True = ink."""
        height, width = ink.shape
        return cls(height, width, np.packbits(ink, axis=1).tobytes())

    def unpacked(self) -> Ink:
        """Return it as (h, w), True = ink."""
        packed = np.frombuffer(self.rows, np.uint8).reshape(self.height_px, -1)
        return np.unpackbits(packed, axis=1, count=self.width_px).view(np.bool_)
