"""Pieces of ink, their votes for the way up, and profiles: against plain computations and pages set by hand."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from papiermappe.core.clean.glyphs import Glyphs, glyphs_of, votes_of
from papiermappe.core.clean.pieces import Boxes, boxes_of
from papiermappe.core.clean.profiles import best_angle, sharpness
from papiermappe.core.picture import turned

DPI = 150
EMPTY = Boxes(*(np.empty(0) for _ in range(4)))


def boxes(*sides: tuple[float, float, float, float]) -> Boxes:
    """Return boxes from (left, right, top, bottom)."""
    return Boxes(*np.array(sides, np.float64).T)


def plain_boxes(mask: np.ndarray) -> set[tuple[int, ...]]:
    """Fill each piece from a pixel of it, neighbour by neighbour."""
    left_over = {(int(row), int(col)) for row, col in np.argwhere(mask)}
    found: set[tuple[int, ...]] = set()
    while left_over:
        reach = [left_over.pop()]
        piece = []
        while reach:
            row, col = reach.pop()
            piece.append((row, col))
            near = {(row + down, col + right) for down in (-1, 0, 1) for right in (-1, 0, 1)} & left_over
            left_over -= near
            reach += near
        rows, cols = zip(*piece, strict=True)
        found.add((min(cols), max(cols) + 1, min(rows), max(rows) + 1))
    return found


@given(arrays(np.uint8, st.tuples(st.integers(1, 12), st.integers(1, 12)), elements=st.integers(0, 1)))
def test_boxes_are_those_of_a_plain_filling(mask: np.ndarray) -> None:
    found = boxes_of(mask)
    assert {tuple(int(side) for side in box) for box in np.array(found).T} == plain_boxes(mask)


def test_turned_boxes_lie_where_the_turned_page_has_them() -> None:
    """Turned, `top` counts from the old right edge: a page 9 wide moves them up by 9."""
    mask = np.zeros((6, 9), np.uint8)
    mask[1:3, 2:7] = 1
    moved = boxes_of(mask).turned()
    there = boxes_of(turned(mask, 1))
    assert (moved.left, moved.right) == (there.left, there.right)
    assert (moved.top + 9, moved.bottom + 9) == (there.top, there.bottom)


@given(
    arrays(np.uint8, st.tuples(st.integers(1, 5), st.integers(1, 5), st.just(3)), elements=st.integers(0, 255)),
    st.integers(-5, 9),
)
def test_turning_by_quarters(page: np.ndarray, quarters: int) -> None:
    assert np.array_equal(turned(page, quarters), np.rot90(page, quarters))


# ---- votes


def line_of(*heights_and_falls: tuple[float, float], foot: float = 100.0) -> Boxes:
    """Return letters 10 px wide, 4 px apart: how far each rises above the line, and falls below it."""
    return boxes(
        *((14.0 * at, 14.0 * at + 10, foot - up, foot + down) for at, (up, down) in enumerate(heights_and_falls))
    )


def test_an_x_beside_an_l_stands() -> None:
    assert votes_of(Glyphs(line_of((12, 0), (20, 0), (12, 0)), EMPTY)) == (2, 0)


def test_an_x_beside_a_p_hangs() -> None:
    assert votes_of(Glyphs(line_of((12, 0), (12, 7), (12, 0)), EMPTY)) == (0, 2)


def test_letters_of_one_height_and_an_l_beside_a_p_say_nothing() -> None:
    assert votes_of(Glyphs(line_of((12, 0), (12, 0), (20, 0), (12, 8)), EMPTY)) == (1, 0)


def test_only_the_nearest_neighbour_counts_and_none_that_is_far() -> None:
    far = boxes((0, 10, 88, 100), (60, 70, 80, 100))
    assert votes_of(Glyphs(far, EMPTY)) == (0, 0)


@pytest.mark.parametrize(("level", "votes"), [(99.0, (1, 0)), (81.0, (0, 1)), (90.0, (0, 0))])
def test_a_dot_behind_a_letter_stands_where_it_is_low(level: float, votes: tuple[int, int]) -> None:
    letter = boxes((0, 10, 80, 100))
    dot = boxes((13, 16, level - 1.5, level + 1.5))
    assert votes_of(Glyphs(letter, dot)) == votes


def test_the_dot_over_an_i_does_not_count() -> None:
    letters = boxes((0, 10, 80, 100), (12, 18, 86, 100))
    dot = boxes((14, 17, 79, 82))
    without = votes_of(Glyphs(letters, EMPTY))
    assert votes_of(Glyphs(letters, dot)) == without


def test_letters_and_dots_are_told_by_their_size_in_mm() -> None:
    """At 150 dpi 1 mm is 5.9 px: a letter of 2 mm, a dot of 0.5 mm, a rule of 30 mm, a speck of 0.1 mm."""
    pieces = boxes((0, 8, 0, 12), (20, 23, 9, 12), (40, 217, 5, 7), (300, 301, 3, 3.6))
    glyphs = glyphs_of(pieces, DPI, 0.0)
    assert (glyphs.letters.left.tolist(), glyphs.dots.left.tolist()) == ([0.0], [20.0])


def test_skewed_letters_are_levelled() -> None:
    """A line that rises to the right by 3 degrees: 100 px along, its letters are 5.24 px higher."""
    rise = 100 * np.tan(np.radians(3))
    pieces = boxes((0, 8, 100, 112), (100, 108, 100 - rise, 112 - rise))
    letters = glyphs_of(pieces, DPI, 3.0).letters
    assert letters.bottom[0] == pytest.approx(letters.bottom[1], abs=0.1)


# ---- profiles


def plain_sharpness(points: np.ndarray, angle_deg: float) -> float:
    """Share each point out between two rows, one after the other."""
    angle = np.radians(angle_deg)
    down = [float(np.float32(row * np.cos(angle) + col * np.sin(angle))) for row, col in points]
    rows = np.zeros(int(max(down) - min(down)) + 2)
    for one in down:
        place = one - min(down)
        rows[int(place)] += 1 - place % 1
        rows[int(place) + 1] += place % 1
    return float((np.diff(rows) ** 2).sum())


@settings(deadline=None)
@given(
    arrays(np.float32, st.tuples(st.integers(1, 40), st.just(2)), elements=st.integers(0, 200).map(float)),
    st.one_of(st.just(0.0), st.floats(0.01, 20), st.floats(-20, -0.01)),
)
def test_sharpness_is_that_of_a_plain_sum(points: np.ndarray, angle_deg: float) -> None:
    """At smaller angles rounding decides whether the last row counts, in either way of adding up."""
    span = float(np.ptp(points @ np.array([np.cos(np.radians(angle_deg)), np.sin(np.radians(angle_deg))])))
    assume(angle_deg == 0 or abs(span - round(span)) > 1e-3)
    found = sharpness(points, np.array([angle_deg]))
    assert found[0] == pytest.approx(plain_sharpness(points, angle_deg), rel=0.02, abs=0.5)


def test_no_points_have_no_angle() -> None:
    nothing = np.empty((0, 2), np.float32)
    assert best_angle(nothing, 15, 1, 100) == (0.0, 0.0, 0.0)
    assert sharpness(nothing, np.array([0.0, 1.0])).tolist() == [0.0, 0.0]


@pytest.mark.parametrize("angle_deg", [-7.0, 0.0, 4.0])
def test_lines_of_points_line_up_at_their_angle(angle_deg: float) -> None:
    """Points on lines 20 px apart; a line that rises to the right is turned counter-clockwise."""
    cols = np.arange(0.0, 800.0, 3.0)
    slope = -np.tan(np.radians(angle_deg))
    points = np.concatenate([np.column_stack([start + slope * cols, cols]) for start in range(200, 600, 20)])
    found = best_angle(points.astype(np.float32), 15, 1, 10_000)
    assert found.angle_deg == pytest.approx(angle_deg)
    assert found.prominence > 3
