"""Edges and lines, on pictures of a few steps whose places are set by hand."""

import math

import numpy as np
import pytest

from papiermappe.core.clean.edges import Line, crossing, fit_side
from papiermappe.core.clean.lines import lines_from_outside
from papiermappe.core.picture import Pixels

DPI = 150


def sheet(levels: float, angle_deg: float = 0.0) -> Pixels:
    """Return 600 x 500 px of noise about grey 200 with a sheet of 300 x 400 px in the middle, `levels` brighter."""
    noise = np.random.default_rng(1).normal(0, 2, (600, 500))
    x, y = np.meshgrid(np.arange(500) - 249.5, np.arange(600) - 299.5)
    cos, sin = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
    along, down = np.abs(x * cos - y * sin), np.abs(x * sin + y * cos)
    covered = np.clip(150.5 - along, 0, 1) * np.clip(200.5 - down, 0, 1)  # an edge through a pixel covers part of it
    return np.asarray(np.clip(200 + levels * covered + noise, 0, 255), np.uint8)


def top_of(angle_deg: float) -> tuple[np.ndarray, np.ndarray]:
    """Return the true ends `(x, y)` of the upper side."""
    turn = math.radians(angle_deg)
    cos, sin = math.cos(turn), math.sin(turn)
    ends = [np.array([249.5 + x * cos - 200 * sin, 299.5 - x * sin - 200 * cos]) for x in (-150, 150)]
    return ends[0], ends[1]


@pytest.mark.parametrize("levels", [40, 3, -12])
@pytest.mark.parametrize("angle_deg", [0.0, 0.4, -3.0])
def test_a_side_is_placed_within_a_pixel_however_slight(levels: float, angle_deg: float) -> None:
    start, end = top_of(angle_deg)
    fit = fit_side(sheet(levels, angle_deg), DPI, start + np.array([0, 6]), end + np.array([0, 3]))
    assert fit is not None
    out = 0.0 if abs(levels) >= 6 else 0.3 / 25.4 * DPI  # a slight side is placed a little further out
    assert fit.line.away(start) == pytest.approx(out, abs=0.7)
    assert fit.line.away(end) == pytest.approx(out, abs=0.7)
    assert fit.share >= 0.9


def test_where_nothing_steps_there_is_no_side() -> None:
    start, end = top_of(0.0)
    assert fit_side(sheet(0), DPI, start, end) is None


def test_lines_cross_where_they_should_and_level_ones_nowhere() -> None:
    across, down = Line(0, 5, 1, 0), Line(7, 0, 0, 1)
    assert crossing(across, down) == pytest.approx((7, 5))
    assert not np.isfinite(crossing(across, Line(0, 9, 1, 0))).any()
    assert across.away(np.array([3.0, 8.0])) == 3  # below, which is to the right when one looks along it
    assert across.scaled(2) == Line(0.5, 10.5, 1, 0)


@pytest.mark.parametrize("angle_deg", [0.0, 2.5, -6.0])
def test_the_outermost_lines_are_those_of_the_sheet(angle_deg: float) -> None:
    lines = lines_from_outside(sheet(6, angle_deg), DPI)
    assert lines is not None
    start, end = top_of(angle_deg)
    assert lines[0][0].away(start) == pytest.approx(0, abs=4)  # they are looked for at 50 dpi
    assert lines[0][0].away(end) == pytest.approx(0, abs=4)
    assert lines_from_outside(np.zeros((30, 30), np.uint8), DPI) is None
