"""The spot of a page that shows best what is done to it."""

import numpy as np
import pytest

from papiermappe.core.encode.sample import telling_sample
from papiermappe.core.paper import A4
from papiermappe.core.picture import to_grey
from papiermappe.standin.paper.drawing import Drawing, draw_side

DPI = 100


def _draw(page: Drawing) -> None:
    for line in range(6):
        page.text(20, 30 + 5 * line, "The pears are weighed, crate by crate, on the scales.", 10)
    page.stamp(150, 250, "RECEIVED", "3 JUNE")


def test_colour_tells_more_than_print() -> None:
    page = draw_side(A4, _draw).raster(DPI)
    rows, cols = telling_sample(page, DPI, 44, 25)
    assert (rows.stop - rows.start, cols.stop - cols.start) == (98, 173)  # 25 and 44 mm at 100 dpi
    # The stamp is 30 mm round 150, 250 mm.
    assert rows.start < 250 / 25.4 * DPI < rows.stop
    assert cols.start < 150 / 25.4 * DPI < cols.stop


def test_without_colour_print_tells() -> None:
    rows, _ = telling_sample(to_grey(draw_side(A4, _draw).raster(DPI))[:800], DPI, 44, 25)
    assert rows.start < 45 / 25.4 * DPI < rows.stop


@pytest.mark.parametrize("shape", [(1, 1), (3, 400), (90, 70, 3)])
def test_a_page_smaller_than_the_window_is_all_spot(shape: tuple[int, ...]) -> None:
    page = np.full(shape, 250, np.uint8)
    assert page[telling_sample(page, DPI, 500, 500)].shape == shape
