"""Folds and dirt are told from what is printed: bars, table heads, lines of print, dots of a grid, tinted fields."""

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from papiermappe.core.clean import FindingKind, judge_quality
from papiermappe.core.picture import Pixels

DPI = 150
WIDTH_MM, HEIGHT_MM = 148, 210


def px(mm: float) -> int:
    """Return a length in whole pixels."""
    return round(mm / 25.4 * DPI)


def paper(width_mm: float = WIDTH_MM, height_mm: float = HEIGHT_MM) -> NDArray[np.float32]:
    """Return a bare sheet."""
    return np.full((px(height_mm), px(width_mm)), 248, np.float32)


def print_lines(page: NDArray[np.float32], top_mm: float, lines: int, margin_mm: float = 8) -> None:
    """Draw lines of small dashes from margin to margin, 4 mm apart."""
    for line in range(lines):
        top = px(top_mm + 4 * line)
        for left in range(px(margin_mm), page.shape[1] - px(margin_mm) - px(2), px(2.4)):
            page[top : top + px(1.6), left : left + px(1.5)] = 40


def fold(page: NDArray[np.float32], at_mm: float, depth: float, sigma_mm: float) -> None:
    """Darken the paper softly from edge to edge."""
    away_mm = np.arange(page.shape[0]) / DPI * 25.4 - at_mm
    page *= 1 - (depth / 250 * np.exp(-((away_mm / sigma_mm) ** 2) / 2))[:, None].astype(np.float32)


def found_on(page: NDArray[np.float32]) -> set[FindingKind]:
    """Scan a page with some grain, and return what is noticed on it."""
    grain = np.random.default_rng(8).normal(0, 2.5, page.shape)
    scan: Pixels = np.clip(cv2.GaussianBlur(page, (0, 0), 0.6) + grain, 0, 255).astype(np.uint8)
    return {finding.kind for finding in judge_quality(scan, DPI)}


@pytest.mark.parametrize(("depth", "sigma_mm"), [(8, 0.9), (30, 1.5), (12, 3.0)])
def test_a_fold_is_found_between_printed_rules_and_lines_of_print(depth: float, sigma_mm: float) -> None:
    page = paper()
    print_lines(page, 20, 40)
    page[px(60) : px(60.4), px(8) : px(140)] = 20
    page[px(140) : px(140.4)] = 20  # from edge to edge, and darker than the fold
    fold(page, 100, depth, sigma_mm)
    assert FindingKind.FOLD in found_on(page)


@pytest.mark.parametrize(("high_mm", "level"), [(2, 225), (4, 240), (6, 215), (8, 160)])
def test_a_printed_bar_from_edge_to_edge_is_no_fold(high_mm: float, level: int) -> None:
    page = paper()
    print_lines(page, 20, 12)
    page[px(100) : px(100 + high_mm)] = level
    assert FindingKind.FOLD not in found_on(page)


@pytest.mark.parametrize("margin_mm", [4, 8])
def test_lines_of_print_and_heads_of_tables_are_no_fold(margin_mm: float) -> None:
    page = paper()
    print_lines(page, 20, 20, margin_mm)
    page[px(120) : px(126), px(margin_mm) : px(WIDTH_MM - margin_mm)] = 214
    print_lines(page, 130, 1, margin_mm)
    assert FindingKind.FOLD not in found_on(page)


def strew(page: NDArray[np.float32], specks: int) -> None:
    """Strew specks of half a millimetre."""
    places = np.random.default_rng(4).uniform((4, 4), (page.shape[0] - 4, page.shape[1] - 4), (specks, 2))
    for row, col in places.astype(int):
        page[row : row + 3, col : col + 3] = 90


@pytest.mark.parametrize(("width_mm", "height_mm", "lines"), [(148, 210, 36), (80, 190, 0), (210, 297, 50)])
def test_dirt_is_found_on_small_sheets_and_between_print(width_mm: float, height_mm: float, lines: int) -> None:
    page = paper(width_mm, height_mm)
    print_lines(page, 20, lines, 12)
    assert FindingKind.DIRTY not in found_on(page)
    strew(page, round(width_mm * height_mm / 100 * 0.45))  # 0.45 on each square centimetre
    assert FindingKind.DIRTY in found_on(page)


def test_a_grid_of_dots_is_not_dirt() -> None:
    page = paper()
    for row in range(px(8), page.shape[0] - px(8), px(5)):
        for col in range(px(8), page.shape[1] - px(8), px(5)):
            page[row : row + 3, col : col + 3] = 150
    assert FindingKind.DIRTY not in found_on(page)


def test_the_grain_of_tinted_bars_is_not_dirt() -> None:
    page = paper()
    print_lines(page, 150, 10)
    for top_mm in (30, 60, 90):
        page[px(top_mm) : px(top_mm + 4)] -= 24  # just so light that some of their grain counts as marks
    assert FindingKind.DIRTY not in found_on(page)
