"""Areas in mm on a page, as rows and columns."""

import numpy as np
import pytest
from pydantic import ValidationError

from papiermappe.core.zones import Zone

DPI = 254  # 1 mm is 10 px


def test_a_zone_covers_every_pixel_that_it_touches() -> None:
    rows, cols = Zone(x_mm=1.05, y_mm=2, width_mm=3, height_mm=0.51).slices((100, 100), DPI)
    assert (rows.start, rows.stop) == (20, 26)  # 20.0 to 25.1
    assert (cols.start, cols.stop) == (10, 41)  # 10.5 to 40.5


@pytest.mark.parametrize(("x_mm", "y_mm"), [(-5, -5), (50, 2), (2, 50)])
def test_what_lies_beside_the_page_covers_nothing(x_mm: float, y_mm: float) -> None:
    page = np.zeros((100, 100), np.uint8)
    assert page[Zone(x_mm=x_mm, y_mm=y_mm, width_mm=3, height_mm=3).slices(page.shape, DPI)].size == 0


def test_a_grown_zone_reaches_further_on_every_side() -> None:
    assert Zone(x_mm=5, y_mm=6, width_mm=1, height_mm=2).grown(0.5) == Zone(x_mm=4.5, y_mm=5.5, width_mm=2, height_mm=3)


@pytest.mark.parametrize("width_mm", [0, -1, float("nan"), float("inf")])
def test_a_zone_without_extent_is_refused(width_mm: float) -> None:
    with pytest.raises(ValidationError):
        Zone(x_mm=0, y_mm=0, width_mm=width_mm, height_mm=1)
