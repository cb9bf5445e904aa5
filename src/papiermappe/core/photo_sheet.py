"""The sheet on a photo, as it is kept with the photo."""

from typing import NamedTuple

from pydantic import BaseModel, ConfigDict

from papiermappe.core.geometry import Point, Quad

SURE = 0.5

NearCorners = tuple[Point, Point, Point, Point]
"""About where the corners of a sheet are, clockwise, as shares of the width and the height of the photo."""

SidePlaces = tuple[Point, Point, Point]
"""A quarter, half and three quarters along a side, clockwise."""


class PhotoSheet(BaseModel):
    """The sheet on a photo, as it was found."""

    model_config = ConfigDict(frozen=True)

    corners: Quad
    """In mm on the capture."""
    confidence: float
    """0 to 1; below 0.5 it is a guess, and the photo is left as it came."""
    sides: tuple[SidePlaces | None, SidePlaces | None, SidePlaces | None, SidePlaces | None] = (None, None, None, None)
    """Where its sides are seen, the top one first and then clockwise, in mm on the capture; None: not plainly."""

    @property
    def is_sure(self) -> bool:
        """Whether the sheet is made flat by them."""
        return self.confidence >= SURE


class KnownSheet(NamedTuple):
    """The sheet on a photo, where it is known before it is looked for."""

    corners: Quad
    """In mm on the capture."""
    by_hand: bool
    """Whether a person has placed them. Else the sheet is a page of an open book, and they are those of the spread and
    of its gutter: the page's own top and bottom, as it is read, are only near."""
