"""The two pages of a spread: what lies on one side of its gutter, and what lies beyond.

A gutter runs from the top of the spread to its bottom, as it is read, whichever way it lies on the capture. The right
page is on the reader's right.
"""

from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from papiermappe.core.geometry import Point, Quad

FAR_MM = 4000.0  # farther than any page reaches
MAX_POINTS = 50

Place = Annotated[float, Field(ge=-FAR_MM, le=FAR_MM)]
GutterLine = Annotated[tuple[tuple[Place, Place], ...], Field(min_length=2, max_length=MAX_POINTS)]
"""`(x_mm, y_mm)` on the capture, or on the sheet of a photo once it is flat, from the top to the bottom."""


def half_of(corners: Quad, gutter: Sequence[Point], right: bool) -> Quad | None:
    """Return what lies of a spread on one side of its gutter.

    Args:
        corners: of the spread, convex.
        gutter: where it bends, the half reaches as far as it bends outwards.
        right: the right page, not the left.

    Returns:
        Top left, top right, bottom right and bottom left corner on the capture; the box round the half where a slanting
        gutter leaves it more or fewer corners. None where nothing lies there.

    >>> half_of(((0, 0), (40, 0), (40, 30), (0, 30)), [(20, 0), (20, 30)], right=True)
    ((20.0, 0.0), (40.0, 0.0), (40.0, 30.0), (20.0, 30.0))
    """
    line = np.asarray(gutter, np.float64)
    towards = _towards(line, right)
    least = float((line @ towards).min())
    kept = _clipped(np.asarray(corners, np.float64), towards, least)
    if len(kept) < 3 or _area(kept) <= 0:
        return None
    if len(kept) != 4:
        (left, top), (far, bottom) = kept.min(axis=0), kept.max(axis=0)
        kept = np.array([(left, top), (far, top), (far, bottom), (left, bottom)])
    kept = np.roll(kept, -int(kept.sum(axis=1).argmin()), axis=0)
    first, second, third, fourth = ((float(x_mm), float(y_mm)) for x_mm, y_mm in kept)
    return first, second, third, fourth


def beyond(gutter: Sequence[Point], right: bool) -> list[NDArray[np.float64]]:
    """Return what lies beyond the gutter of a page, as convex outlines, (4, 2) `(x_mm, y_mm)`: the other page."""
    line = np.asarray(gutter, np.float64)
    along = _unit(line[-1] - line[0])
    ends = np.concatenate([line[:1] - FAR_MM * along, line, line[-1:] + FAR_MM * along])
    away = -FAR_MM * _towards(line, right)
    return [np.array([here, there, there + away, here + away]) for here, there in pairwise(ends)]


def _towards(line: NDArray[np.float64], right: bool) -> NDArray[np.float64]:
    """Return the unit vector that points from the gutter into the page."""
    along = _unit(line[-1] - line[0])
    to_right = np.array([along[1], -along[0]])
    return to_right if right else -to_right


def _unit(vector: NDArray[np.float64]) -> NDArray[np.float64]:
    return vector / max(float(np.hypot(*vector)), 1e-9)


def _clipped(corners: NDArray[np.float64], towards: NDArray[np.float64], least: float) -> NDArray[np.float64]:
    """Return the corners of a convex outline where `point . towards >= least` (Sutherland and Hodgman, CACM 1974)."""
    ahead = corners @ towards - least
    kept: list[NDArray[np.float64]] = []
    for at in range(len(corners)):
        before, here = ahead[at - 1], ahead[at]
        if (before < 0) != (here < 0):
            kept.append(corners[at - 1] + (corners[at] - corners[at - 1]) * before / (before - here))
        if here >= 0:
            kept.append(corners[at])
    return np.array(kept).reshape(-1, 2)


def _area(outline: NDArray[np.float64]) -> float:
    after = np.roll(outline, -1, axis=0)
    return abs(float((outline[:, 0] * after[:, 1] - outline[:, 1] * after[:, 0]).sum())) / 2
