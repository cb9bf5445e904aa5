"""Black borders along bilevel scans are cropped where no print is lost."""

import numpy as np
import pytest
from numpy.typing import NDArray

from papiermappe.core.clean import find_sheet
from papiermappe.core.clean.borders import black_borders_mm, is_bilevel
from papiermappe.core.picture import Pixels

DPI = 150
WIDTH_MM, HEIGHT_MM = 148, 210


def px(mm: float) -> int:
    """Return a length in whole pixels."""
    return round(mm / 25.4 * DPI)


def printed(left_mm: float = 20) -> Pixels:
    """Return a bilevel page that fills the scan, with lines of dashes."""
    page = np.full((px(HEIGHT_MM), px(WIDTH_MM)), 255, np.uint8)
    for top_mm in range(25, 185, 8):
        for dash_mm in np.arange(left_mm, 125, 4):
            page[px(top_mm) : px(top_mm + 2), px(dash_mm) : px(dash_mm + 2.5)] = 0
    return page


def ragged(length_mm: float, depth_mm: float) -> NDArray[np.intp]:
    """Return how deep a border is in each row, in px: about so deep, half a millimetre more or less."""
    waves = np.arange(px(length_mm)) / px(3.0)
    depths: NDArray[np.float64] = px(depth_mm) + px(0.5) * np.sin(waves) * np.cos(waves / 3)
    return np.rint(depths).astype(np.intp)


def with_border(page: Pixels, length_mm: float, depth_mm: float) -> Pixels:
    """Blacken a border from the top down along the left edge."""
    for row, depth in enumerate(ragged(length_mm, depth_mm)):
        page[row, :depth] = 0
    return page


@pytest.mark.parametrize(("length_mm", "depth_mm"), [(HEIGHT_MM, 2), (HEIGHT_MM, 7), (120, 5)])
def test_a_ragged_border_is_cropped_along_all_or_a_part_of_an_edge(length_mm: float, depth_mm: float) -> None:
    frame = find_sheet(with_border(printed(), length_mm, depth_mm), DPI)
    assert frame.confidence >= 0.5
    left_mm = [frame.corners[0][0], frame.corners[3][0]]
    assert all(depth_mm + 0.4 <= at_mm <= depth_mm + 2.0 for at_mm in left_mm)  # all of it, and little more
    assert frame.corners[1][0] == pytest.approx(WIDTH_MM, abs=0.3)
    assert frame.corners[2][1] == pytest.approx(HEIGHT_MM, abs=0.3)


def test_a_border_with_print_in_it_is_not_cropped() -> None:
    frame = find_sheet(with_border(printed(left_mm=4), HEIGHT_MM, 7), DPI)
    assert frame.confidence < 0.5 or max(frame.corners[0][0], frame.corners[3][0]) < 4


def test_a_black_field_at_the_edge_is_no_border() -> None:
    page = printed()
    page[px(40) : px(120), : px(60)] = 0
    assert not black_borders_mm(page, DPI).any()


def test_letters_that_are_cut_off_are_no_border() -> None:
    page = printed()[px(26) :]
    assert not black_borders_mm(page, DPI).any()


def test_grey_scans_are_told_from_bilevel_ones() -> None:
    page = printed()
    assert is_bilevel(page)
    shaded = np.clip(page * np.linspace(0.3, 1.0, page.shape[1])[None], 0, 255).astype(np.uint8)
    assert not is_bilevel(shaded)
