"""Whether a page is a spread: two pages beside each other, with the gutter between them."""

from typing import NamedTuple

import numpy as np

from papiermappe.core.clean.gutter import FoldKind, find_gutter
from papiermappe.core.geometry import Point, mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels

WIDE = 1.1
"""Two pages beside each other are at least this much wider than high."""
FOLD_OUT = 2.05
"""What is wider than this is more than two pages, unless these are wider than high."""
HALVES_DIFFER = 0.25
"""The narrower page has at least this share less than one of the wider one's width."""
BESIDE_MM = 4.0, 16.0
"""How far from the gutter the paper of both pages is compared."""
LEVELS_APART = 24.0
"""Paper on one side, and something else on the other: an edge, not a gutter."""
BY_SPACE = 0.45
"""Nothing but a space without print is between two blocks: as likely two columns, so never sure."""
POINTS = 7


class Spread(NamedTuple):
    """The gutter of a page that is wide enough for two."""

    gutter: tuple[Point, ...]
    """`(x_mm, y_mm)` on the page, from its top to its bottom."""
    confidence: float
    """0 to 1, that there are two pages, and that they meet there; below 0.5 a person should look."""


def find_spread(page: Pixels, dpi: float) -> Spread | None:
    """Find the gutter of a page that is wide enough for two.

    Args:
        page: grey (h, w), uint8, upright and cut to its sheet.
        dpi: its resolution.

    Returns:
        None where the page is not as wide, or without any sign of a gutter.
    """
    height, width = page.shape
    if width < WIDE * height:
        return None
    found = find_gutter(page, dpi)
    if found.kind is FoldKind.NONE:
        return None
    rows_mm = np.linspace(0, px_to_mm(height, dpi), POINTS)
    xs, ys = ([point[at] for point in found.points] for at in (0, 1))
    gutter = tuple((round(float(np.interp(y, ys, xs)), 2), round(float(y), 2)) for y in rows_mm)
    confidence = found.confidence if found.kind is FoldKind.SHADOW else min(found.confidence, BY_SPACE)
    middle_px = mm_to_px(float(np.mean([x for x, _ in gutter])), dpi)
    halves = sorted((middle_px, width - middle_px))
    if halves[0] < (1 - HALVES_DIFFER) * halves[1] or width > FOLD_OUT * height or _is_edge(page, dpi, middle_px):
        confidence = min(confidence, BY_SPACE)
    return Spread(gutter, confidence)


def _is_edge(page: Pixels, dpi: float, middle_px: float) -> bool:
    """Whether the two sides of a line are not the same paper, as where a single page ends on a lid."""
    near, far = (round(mm_to_px(reach, dpi)) for reach in BESIDE_MM)
    at = round(middle_px)
    left, right = page[:, max(0, at - far) : max(0, at - near)], page[:, at + near : at + far]
    if not left.size or not right.size:
        return True
    papers = [float(np.percentile(side, 75)) for side in (left, right)]
    return abs(papers[0] - papers[1]) > LEVELS_APART
