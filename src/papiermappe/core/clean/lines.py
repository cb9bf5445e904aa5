"""Long straight lines of a picture, however slight, from the outside inwards.

A step that is too slight to be seen in one row is plain in the mean of all rows of a picture turned level.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.edges import Line
from papiermappe.core.geometry import rotation_deg
from papiermappe.core.picture import Pixels, shrunk

LINES_DPI = 50
LEAST_SEEN_SHARE = 0.25
MAX_LINES = 6
LEAST_LINE_LEVELS = 0.5
ANGLES_DEG = np.arange(-10.0, 10.01, 0.5)
FINE_DEG = np.arange(-0.5, 0.51, 0.125)


def lines_from_outside(picture: Pixels, dpi: float) -> tuple[list[Line], list[Line], list[Line], list[Line]] | None:
    """Return long straight lines of a picture, however slight, all at right angles to each other.

    Args:
        picture: grey (h, w) or RGB (h, w, 3).
        dpi: its resolution.

    Returns:
        Those from the top, the right, the bottom and the left, the outermost first, each running clockwise; None where
        the picture is too small.
    """
    by = max(1, round(dpi / LINES_DPI))
    small, smaller = shrunk(picture, by), shrunk(picture, 2 * by)
    if min(smaller.shape[:2]) < 20:
        return None
    rough_deg = max(ANGLES_DEG, key=lambda angle_deg: _sharpness(smaller, angle_deg))
    angle_deg = max(rough_deg + FINE_DEG, key=lambda angle_deg: _sharpness(small, angle_deg))
    down, across = (_peaks(steps) for steps in _line_steps(small, angle_deg))
    height, width = small.shape[:2]
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    turn = rotation_deg(angle_deg)

    def line(x: float, y: float, dx: float, dy: float) -> Line:
        place = (turn @ (np.array([x, y]) - middle) + middle + 0.5) * by - 0.5
        return Line(*place, *(turn @ np.array([dx, dy])))

    return (
        [line(middle[0], at, 1.0, 0.0) for at in down[:MAX_LINES]],
        [line(at, middle[1], 0.0, 1.0) for at in across[::-1][:MAX_LINES]],
        [line(middle[0], at, -1.0, 0.0) for at in down[::-1][:MAX_LINES]],
        [line(at, middle[1], 0.0, -1.0) for at in across[:MAX_LINES]],
    )


def _line_steps(small: Pixels, angle_deg: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the mean step from each row, and from each column, to the next when the picture is turned clockwise."""
    height, width = small.shape[:2]
    turn = cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), -angle_deg, 1.0)
    level = cv2.warpAffine(small, turn, (width, height), flags=cv2.INTER_LINEAR, borderValue=(0, 0, 0))
    seen = cv2.warpAffine(np.full((height, width), 255, np.uint8), turn, (width, height), flags=cv2.INTER_LINEAR)
    _, seen = cv2.threshold(seen, 250, 1, cv2.THRESH_BINARY)
    masked = np.asarray(cv2.multiply(level, cv2.merge([seen] * 3) if level.ndim == 3 else seen), np.uint8)
    down, across = (_mean_steps(masked, np.asarray(seen, np.uint8), axis) for axis in (1, 0))
    return down, across


def _mean_steps(level: Pixels, seen: Pixels, axis: int) -> NDArray[np.float64]:
    """Return the steps between the means along `axis`, 0 where little is seen of either."""
    sums = cv2.reduce(level, axis, cv2.REDUCE_SUM, dtype=cv2.CV_32S).reshape(level.shape[1 - axis], -1)
    count = cv2.reduce(seen, axis, cv2.REDUCE_SUM, dtype=cv2.CV_32S).ravel()
    enough = count >= LEAST_SEEN_SHARE * level.shape[axis]
    means = sums / np.maximum(count, 1)[:, None]
    return np.asarray(np.linalg.norm(np.diff(means, axis=0), axis=1) * (enough[1:] & enough[:-1]), np.float64)


def _sharpness(small: Pixels, angle_deg: float) -> float:
    return sum(float(np.square(steps).sum()) for steps in _line_steps(small, angle_deg))


def _peaks(steps: NDArray[np.float64]) -> list[float]:
    """Return the places, between pixels, where the mean steps plainly and more than beside."""
    padded = np.pad(steps, 1)
    top = (steps >= padded[:-2]) & (steps > padded[2:]) & (steps > LEAST_LINE_LEVELS)
    return [float(at) + 0.5 for at in np.flatnonzero(top)]
