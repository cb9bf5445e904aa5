"""Areas of pages and of sheets."""

from enum import StrEnum
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.geometry import Quad, mm_to_px

Place = Annotated[float, Field(ge=-2000, le=4000)]
Length = Annotated[float, Field(gt=0, le=4000)]
NoteText = Annotated[str, Field(max_length=500)]
ZoneName = Annotated[str, Field(pattern=r"^[0-9a-z-]{1,40}$")]

FROM_BOTH_SIDES = 0.5
"""What takes more than this share of a page, and reaches into both of its halves, is measured from both sides."""
MIDDLE = (0.4, 0.6)
"""What has its middle here, as a share of the page, keeps its distance from the page's middle."""


class Zone(BaseModel):
    """A rectangle on a page, in mm from the page's own top left corner as it is seen."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    x_mm: Place
    y_mm: Place
    width_mm: Length
    height_mm: Length

    def slices(self, shape: tuple[int, ...], dpi: float) -> tuple[slice, slice]:
        """Return the rows and columns that the zone covers on a page of the given shape: whole pixels, maybe none."""
        top, left = (max(0, int(mm_to_px(at, dpi))) for at in (self.y_mm, self.x_mm))
        bottom = min(shape[0], -int(-mm_to_px(self.y_mm + self.height_mm, dpi) // 1))
        right = min(shape[1], -int(-mm_to_px(self.x_mm + self.width_mm, dpi) // 1))
        return slice(top, max(top, bottom)), slice(left, max(left, right))

    def corners(self) -> Quad:
        """Return its top left, top right, bottom right, bottom left corner, in mm."""
        right_mm, bottom_mm = self.x_mm + self.width_mm, self.y_mm + self.height_mm
        return ((self.x_mm, self.y_mm), (right_mm, self.y_mm), (right_mm, bottom_mm), (self.x_mm, bottom_mm))

    def grown(self, by_mm: float) -> "Zone":
        """Return the zone grown by the same length on every side."""
        return Zone(
            x_mm=self.x_mm - by_mm,
            y_mm=self.y_mm - by_mm,
            width_mm=self.width_mm + 2 * by_mm,
            height_mm=self.height_mm + 2 * by_mm,
        )

    def carried(self, from_mm: tuple[float, float], to_mm: tuple[float, float]) -> "Zone | None":
        """Return the zone at its place on a page of another size: what is near an edge keeps its distance from it.

        Args:
            from_mm: width and height of the page on which this zone was drawn.
            to_mm: of the other page.

        Returns:
            None where nothing of it is left, as of a frame on a page that is smaller than its rims.

        >>> Zone(x_mm=190, y_mm=5, width_mm=10, height_mm=10).carried((210, 297), (208, 290)).x_mm
        188.0
        """
        left_mm, right_mm = _carried(self.x_mm, self.x_mm + self.width_mm, from_mm[0], to_mm[0])
        top_mm, bottom_mm = _carried(self.y_mm, self.y_mm + self.height_mm, from_mm[1], to_mm[1])
        if right_mm <= left_mm or bottom_mm <= top_mm:
            return None
        return Zone(x_mm=left_mm, y_mm=top_mm, width_mm=right_mm - left_mm, height_mm=bottom_mm - top_mm)


def _carried(low_mm: float, high_mm: float, from_mm: float, to_mm: float) -> tuple[float, float]:
    """Return where a stretch of a page's side lies on a side of another length."""
    longer_mm = to_mm - from_mm
    if low_mm < from_mm / 2 < high_mm and high_mm - low_mm > FROM_BOTH_SIDES * from_mm:
        return low_mm, high_mm + longer_mm
    middle = (low_mm + high_mm) / 2 / from_mm
    shift_mm = 0.0 if middle < MIDDLE[0] else longer_mm if middle > MIDDLE[1] else longer_mm / 2
    return low_mm + shift_mm, high_mm + shift_mm


class ZoneKind(StrEnum):
    """What becomes of an area."""

    WIPE = "wipe"
    """It is cleared."""
    KEEP = "keep"
    """All outside of it is cleared, but for what other zones keep."""
    BLACKOUT = "blackout"
    """It is black, and nothing of what was there is left."""
    HIGHLIGHT = "highlight"
    BOX = "box"
    LINE = "line"
    """From its top left corner to the bottom right one."""
    RISING_LINE = "rising_line"
    """From its bottom left corner to the top right one."""
    NOTE = "note"

    @property
    def is_drawn(self) -> bool:
        """Whether something is drawn there, in colour."""
        return self in DRAWN


DRAWN = frozenset({ZoneKind.HIGHLIGHT, ZoneKind.BOX, ZoneKind.LINE, ZoneKind.RISING_LINE, ZoneKind.NOTE})


class SheetZone(BaseModel):
    """An area of a sheet that is cleared or marked, or outside which all is. It stays there however it is framed."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: ZoneName
    """The same on all sheets on which it was drawn at once: by it they are changed together."""
    kind: ZoneKind
    corners: Quad
    """On the capture, or on the sheet of a photo once it is flat."""
    text: NoteText = ""
    """Of a note."""

    def box(self) -> NDArray[np.float64]:
        """Return the box round it: left, top, right, bottom in mm."""
        corners = np.array(self.corners)
        return np.concatenate([corners.min(axis=0), corners.max(axis=0)])
