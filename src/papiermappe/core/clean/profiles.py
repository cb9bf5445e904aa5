"""Projection profiles of points: how sharply they line up along an angle.

The sum of squared differences between neighbouring rows of the profile is greatest along the lines of print
(W. Postl, "Detection of linear oblique structures and skew scan in digitized documents", ICPR 1986).
"""

from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled

T = TypeVar("T", bound=np.generic)
Points = NDArray[np.float32]


class ScoredAngle(NamedTuple):
    """The angle along which points line up best."""

    angle_deg: float
    """Counter-clockwise positive."""
    score: float
    """The sharpness a point: about 2 for points without order."""
    prominence: float
    """The score over the median of all angles: about 1 where no angle is better than another."""


def best_angle(points: Points, range_deg: float, step_deg: float, max_points: int) -> ScoredAngle:
    """Search all angles within +-`range_deg` for the one along which points (n, 2) `(row, col)` line up best."""
    if not len(points):
        return ScoredAngle(0.0, 0.0, 0.0)
    some = thinned(points, max_points)
    angles_deg = np.arange(-range_deg, range_deg + step_deg / 2, step_deg)
    scores = sharpness(some, angles_deg)
    best = int(np.argmax(scores))
    median = max(float(np.median(scores)), 1e-9)
    return ScoredAngle(float(angles_deg[best]), float(scores[best]) / len(some), float(scores[best]) / median)


def thinned(points: NDArray[T], most: int) -> NDArray[T]:
    """Keep an even share of the points, the same ones each time."""
    if len(points) <= most:
        return points
    return points[np.linspace(0, len(points) - 1, most).astype(np.intp)]


def sharpness(points: Points, angles_deg: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the sharpness of the profile along each angle.

    A point between two rows is shared out between them in proportion, so that the score changes smoothly with
    the angle.
    """
    if not len(points):
        return np.zeros(len(angles_deg))
    rows, cols = (np.ascontiguousarray(points[:, axis]) for axis in (0, 1))
    return _sharpness(rows, cols, np.radians(angles_deg))


@compiled("f8[::1](f4[::1], f4[::1], f8[::1])")
def _sharpness(
    rows: NDArray[np.float32], cols: NDArray[np.float32], angles: NDArray[np.float64]
) -> NDArray[np.float64]:
    result = np.empty(len(angles))
    down = np.empty(len(rows), np.float32)
    for number in range(len(angles)):
        sin, cos = np.float32(np.sin(angles[number])), np.float32(np.cos(angles[number]))
        low, high = np.float32(np.inf), np.float32(-np.inf)
        for at in range(len(rows)):
            down[at] = rows[at] * cos + cols[at] * sin
            low, high = min(low, down[at]), max(high, down[at])
        filled = np.zeros(int(high - low) + 2, np.float32)
        for at in range(len(rows)):
            place = down[at] - low
            row = np.uint32(place)
            share = place - np.float32(row)
            filled[row] += np.float32(1) - share
            filled[row + np.uint32(1)] += share
        total = 0.0
        for end in range(1, len(filled)):
            step = filled[end] - filled[end - 1]
            total += step * step
        result[number] = total
    return result


def levelled(points: Points, angle_deg: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Return how far down and how far along each point lies when the page is turned clockwise by the angle."""
    sin, cos = np.sin(np.radians(angle_deg)), np.cos(np.radians(angle_deg))
    rows, cols = points[:, 0], points[:, 1]
    down = rows * np.float32(cos) + cols * np.float32(sin)
    return down - down.min(), cols * np.float32(cos) - rows * np.float32(sin)


def profile(down: NDArray[np.float32]) -> NDArray[np.float64]:
    """Return how many points lie in each row."""
    low = down.astype(np.int32)
    share = down - low
    length = int(low.max()) + 2
    return np.asarray(np.bincount(low, 1 - share, length) + np.bincount(low + 1, share, length), np.float64)
