"""The spot of a page that shows best what is done to it."""

import numpy as np
import pytest

from papiermappe.core.encode.sample import telling_spot, window_at
from papiermappe.core.paper import A4
from papiermappe.core.picture import Pixels, to_grey
from papiermappe.standin.paper.drawing import Drawing, draw_side

DPI = 100


def _draw(page: Drawing) -> None:
    for line in range(6):
        page.text(20, 30 + 5 * line, "The pears are weighed, crate by crate, on the scales.", 10)
    page.stamp(150, 250, "RECEIVED", "3 JUNE")


def window(page: Pixels, width_mm: float, height_mm: float) -> tuple[slice, slice]:
    """Return the window that tells most."""
    return window_at(page, DPI, telling_spot(page, DPI, width_mm, height_mm), width_mm, height_mm)


def test_colour_tells_more_than_print() -> None:
    rows, cols = window(draw_side(A4, _draw).raster(DPI), 44, 25)
    assert (rows.stop - rows.start, cols.stop - cols.start) == (98, 173)  # 25 and 44 mm at 100 dpi
    # The stamp is 30 mm round 150, 250 mm.
    assert rows.start < 250 / 25.4 * DPI < rows.stop
    assert cols.start < 150 / 25.4 * DPI < cols.stop


def test_without_colour_print_tells() -> None:
    rows, _ = window(to_grey(draw_side(A4, _draw).raster(DPI))[:800], 44, 25)
    assert rows.start < 45 / 25.4 * DPI < rows.stop


def test_a_thick_rule_tells_less_than_print() -> None:
    page = to_grey(draw_side(A4, _draw).raster(DPI))[:800]
    page[600:640, 100:700] = 0
    rows, _ = window(page, 16, 8)
    assert rows.stop < 60 / 25.4 * DPI


def test_a_window_is_moved_into_the_page() -> None:
    page = np.full((400, 300), 250, np.uint8)
    # 25.4 by 12.7 mm are 100 by 50 px.
    assert window_at(page, DPI, (0.0, 1.0), 25.4, 12.7) == (slice(350, 400), slice(0, 100))
    assert window_at(page, DPI, (0.5, 0.5), 25.4, 12.7) == (slice(175, 225), slice(100, 200))


@pytest.mark.parametrize("shape", [(1, 1), (3, 400), (90, 70, 3)])
def test_a_page_smaller_than_the_window_is_all_spot(shape: tuple[int, ...]) -> None:
    page = np.full(shape, 250, np.uint8)
    assert page[window(page, 500, 500)].shape == shape
