"""Where a page lies on its sheet: the rectangle of a capture, or of a photo made flat, that becomes the page."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import Point, Quad, rotation_deg


class PageBox(NamedTuple):
    """A rectangle on a sheet, turned by `skew_deg`, before quarter turns."""

    centre_x_mm: float
    centre_y_mm: float
    width_mm: float
    height_mm: float
    skew_deg: float
    """Counter-clockwise."""

    @property
    def corners(self) -> Quad:
        """Its corners on the sheet: top left, top right, bottom right, bottom left of the page."""
        across, down = self.width_mm / 2, self.height_mm / 2
        ends = ((-across, -down), (across, -down), (across, down), (-across, down))
        moved = [self.moved(*end) for end in ends]
        first, second, third, fourth = ((box.centre_x_mm, box.centre_y_mm) for box in moved)
        return first, second, third, fourth

    def moved(self, across_mm: float, down_mm: float) -> "PageBox":
        """Return a box of this size farther right and down, along its own sides."""
        x_mm, y_mm = rotation_deg(self.skew_deg) @ np.array([across_mm, down_mm])
        return self._replace(centre_x_mm=self.centre_x_mm + float(x_mm), centre_y_mm=self.centre_y_mm + float(y_mm))

    def size_mm(self, quarter_turns: int) -> tuple[float, float]:
        """Return width and height of the page after quarter turns.

        >>> PageBox(0, 0, 210, 297, 0).size_mm(1)
        (297, 210)
        """
        return (self.height_mm, self.width_mm) if quarter_turns % 2 else (self.width_mm, self.height_mm)

    def on_page(self, places: Sequence[Point] | NDArray[np.float64], quarter_turns: int) -> NDArray[np.float64]:
        """Return places of the sheet, (n, 2) `(x_mm, y_mm)`, as places of the page, where `render` puts them.

        >>> PageBox(100, 150, 200, 300, 0).on_page([(10, 20)], 1).tolist()
        [[20.0, 190.0]]
        """
        middle = np.array([self.width_mm, self.height_mm]) / 2
        centre = (self.centre_x_mm, self.centre_y_mm)
        placed = (np.asarray(places, np.float64) - centre) @ rotation_deg(-self.skew_deg).T + middle
        width_mm, height_mm = self.width_mm, self.height_mm
        for _ in range(quarter_turns % 4):  # counter-clockwise: the right edge comes to the top
            placed = np.column_stack([placed[:, 1], width_mm - placed[:, 0]])
            width_mm, height_mm = height_mm, width_mm
        return placed

    def on_sheet(self, places: Sequence[Point] | NDArray[np.float64], quarter_turns: int) -> NDArray[np.float64]:
        """Return places of the page as places of the sheet: the inverse of `on_page`.

        >>> PageBox(100, 150, 200, 300, 0).on_sheet([(20, 190)], 1).tolist()
        [[10.0, 20.0]]
        """
        placed = np.asarray(places, np.float64)
        width_mm, height_mm = self.size_mm(quarter_turns)
        for _ in range(quarter_turns % 4):
            width_mm, height_mm = height_mm, width_mm
            placed = np.column_stack([width_mm - placed[:, 1], placed[:, 0]])
        middle = np.array([self.width_mm, self.height_mm]) / 2
        centre = (self.centre_x_mm, self.centre_y_mm)
        return np.asarray((placed - middle) @ rotation_deg(self.skew_deg).T + centre, np.float64)
