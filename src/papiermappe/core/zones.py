"""Areas on a page."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.geometry import Quad, mm_to_px

Place = Annotated[float, Field(ge=-2000, le=4000)]
Length = Annotated[float, Field(gt=0, le=4000)]


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
