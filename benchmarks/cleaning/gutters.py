"""The gutter of spreads: how far from the fold."""

import numpy as np

from benchmarks.corpus.spreads import DPI, spreads
from benchmarks.table import Row, kinds_of, of_all, percent, scaled
from papiermappe.core.clean import find_gutter
from papiermappe.core.geometry import mm_to_px, px_to_mm

PAGES = 400


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    found = of_all(_off_mm, scaled(PAGES, share), seed)
    off_mm = np.array([off for _, off in found])
    return [
        Row("within 1 mm over the whole fold", percent(float((off_mm <= 1.0).mean())), ">= 99 %"),
        Row("mean of the largest distances", f"{off_mm.mean():.2f} mm"),
        *kinds_of(found),
    ]


def _off_mm(numbers: range, seed: int) -> list[tuple[str, float]]:
    """Return kind and the largest distance, in any row, of the gutter from the fold."""
    found = []
    for spread in spreads(numbers, seed):
        line = np.array(find_gutter(spread.pixels, DPI).points)
        rows = np.arange(len(spread.fold_px))
        cols = np.interp(rows + 0.5, line[:, 1] * mm_to_px(1, DPI), line[:, 0] * mm_to_px(1, DPI)) - 0.5
        found.append((spread.kind, px_to_mm(float(np.abs(cols - spread.fold_px).max()), DPI)))
    return found
