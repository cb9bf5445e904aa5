"""Wiped areas on the second generator: how far the colour they are filled with is from the paper that was there."""

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.second.papers import DPI, Hand, paper
from benchmarks.second.scans import scan
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.clean.clearing import Areas, clear
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

PAGES = 200
AREAS = 4
TRIES = 60
WIDE_MM = (4.0, 24.0)
FROM_PRINT_MM = 1.5
FROM_EDGE_MM = 3.0
CELL_MM = 3.0
LEVELS = 2.0


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    off = of_all(_off_levels, scaled(PAGES, share), seed)
    whole = np.array([mean for mean, _ in off])
    cells = np.concatenate([one for _, one in off])
    return [
        Row(
            f"{len(whole)} areas: mean colour within {LEVELS:.0f} levels",
            percent(float((whole <= LEVELS).mean())),
            "all",
        ),
        Row("    farthest", f"{whole.max():.1f}", f"{LEVELS:.0f}"),
        Row(
            f"    their cells of {CELL_MM:.0f} mm within {LEVELS:.0f} levels", percent(float((cells <= LEVELS).mean()))
        ),
    ]


def _off_levels(numbers: range, seed: int) -> list[tuple[float, NDArray[np.float64]]]:
    """Return of each area how far its mean colour is from that of the paper, and the same of its cells, in levels."""
    off = []
    for number in numbers:
        hand = np.random.default_rng([seed, number, 5])
        made = scan(paper(number, seed), np.random.default_rng([seed, number, 2]))
        page = made.capture.pixels()
        bare = _bare(made.ink, made.sheet)
        for left, top, right, bottom in _places(bare, hand):
            stained = page.copy()
            middle, axes = (
                ((left + right) // 2, (top + bottom) // 2),
                ((right - left) // 2 - 4, (bottom - top) // 2 - 4),
            )
            cv2.ellipse(stained, middle, axes, 0, 0, 360, (int(hand.integers(20, 90)),) * 3, -1)
            corners = np.array([(left, top), (right, top), (right, bottom), (left, bottom)]) / mm_to_px(1.0, DPI)
            filled = clear(stained, Areas(wiped=[corners]), DPI)
            off.append(_compared(filled[top:bottom, left:right], page[top:bottom, left:right]))
    return off


def _bare(ink: NDArray[np.bool_], sheet: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return where the sheet is bare, away from print and from its edges."""
    printed = cv2.dilate(ink.astype(np.uint8), _square(FROM_PRINT_MM))
    inner = cv2.erode(sheet.astype(np.uint8), _square(FROM_EDGE_MM), borderType=cv2.BORDER_CONSTANT, borderValue=(0,))
    return np.asarray((inner > 0) & (printed == 0), np.bool_)


def _square(reach_mm: float) -> Pixels:
    side = 2 * round(mm_to_px(reach_mm, DPI)) + 1
    return np.ones((side, side), np.uint8)


def _places(bare: NDArray[np.bool_], hand: Hand) -> list[tuple[int, int, int, int]]:
    """Return left, top, right and bottom of areas that are wholly bare, in px."""
    places: list[tuple[int, int, int, int]] = []
    for _ in range(TRIES):
        width, height = (round(mm_to_px(float(hand.uniform(*WIDE_MM)), DPI)) for _ in range(2))
        left = int(hand.integers(0, bare.shape[1] - width))
        top = int(hand.integers(0, bare.shape[0] - height))
        if len(places) < AREAS and bare[top : top + height, left : left + width].all():
            places.append((left, top, left + width, top + height))
    return places


def _compared(filled: Pixels, paper_there: Pixels) -> tuple[float, NDArray[np.float64]]:
    apart = filled.astype(np.float64) - paper_there
    side = round(mm_to_px(CELL_MM, DPI))
    cells = cv2.resize(
        apart, (max(1, apart.shape[1] // side), max(1, apart.shape[0] // side)), interpolation=cv2.INTER_AREA
    )
    return float(np.abs(apart.mean(axis=(0, 1))).max()), np.abs(cells).max(axis=-1).ravel()
