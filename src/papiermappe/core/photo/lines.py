"""Long straight edges on a photo, as candidates for the sides of a sheet.

Each pixel of an edge votes for the lines through it that run along it (R. Duda, P. Hart, "Use of the Hough
transformation to detect lines and curves in pictures", CACM 15, 1972; with the direction of the gradient, as in
F. O'Gorman, M. Clowes, IEEE Trans. Computers C-25, 1976). Edges are weighed against how much goes on around them,
so that a faint side on a plain table counts as much as one among the grain of wood.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.picture import Pixels

SMOOTH_PX = 1.2
AROUND_PX = 24.0  # over so much the strength of edges is compared
FLOOR_LEVELS = 1.5  # a weaker step from pixel to pixel is noise
LEAST_WEIGHT = 0.25
STEP_DEG = 1.0
STEP_PX = 1.5
SPREAD = 3  # steps to both sides by which a pixel's direction may be wrong
APART = (4, 4)  # steps of angle and of distance that two lines are apart at least
MOST_LINES, MOST_SIGNED = 44, 24
BESIDE = 31  # steps of distance: a peak stands out from so many around it
TURN = 8  # steps of angle that are looked at beyond half a turn

Numbers = NDArray[np.float64]


class EdgeMap(NamedTuple):
    """Where edges are, (h, w) each."""

    dx: NDArray[np.float32]
    dy: NDArray[np.float32]
    """The gradient, 0 to about 1 where an edge stands out: against what is around it, not in grey levels."""


def edge_map(look: Pixels) -> EdgeMap:
    """Return the edges of a picture, (h, w) or (h, w, 3); in each pixel those of the channel that shows most."""
    smooth = cv2.GaussianBlur(look, (0, 0), SMOOTH_PX)
    dx, dy, strength = (np.zeros(look.shape[:2], np.float32) for _ in range(3))
    for channel in cv2.split(smooth):
        right, down = (np.asarray(cv2.Scharr(channel, cv2.CV_32F, *way)) / 32 for way in ((1, 0), (0, 1)))
        here = np.hypot(right, down)
        more = here > strength
        dx, dy, strength = np.where(more, right, dx), np.where(more, down, dy), np.maximum(strength, here)
    against = 1 / (2 * cv2.GaussianBlur(strength, (0, 0), AROUND_PX) + FLOOR_LEVELS)
    return EdgeMap(np.asarray(dx * against, np.float32), np.asarray(dy * against, np.float32))


def find_lines(edges: EdgeMap) -> Numbers:
    """Return the lines along which most edges run, the plainest first.

    Returns:
        (n, 2): angle of the normal in radians, 0 to pi, and distance from the middle of the picture along it, in px.
    """
    y, x, angle, weight = _edge_pixels(edges)
    height, width = edges.dx.shape
    steps = round(180 / STEP_DEG)
    reach = int(np.hypot(width, height) / 2 / STEP_PX) + 2
    votes = np.zeros((2, steps, 2 * reach + 1))  # of all edges; of those that rise along the normal, less others
    across, down = x - (width - 1) / 2, y - (height - 1) / 2
    nearest = np.rint(np.degrees(angle) / STEP_DEG).astype(np.intp)
    for off in range(-SPREAD, SPREAD + 1):
        at = nearest + off
        normal = np.radians(at * STEP_DEG)
        flipped = (at % (2 * steps)) >= steps
        distance = (across * np.cos(normal) + down * np.sin(normal)) * np.where(flipped, -1, 1)
        bins = np.rint(distance / STEP_PX).astype(np.intp) + reach
        place = (at % steps) * votes.shape[2] + bins
        for count, signed in zip(votes, (weight, np.where(flipped, -weight, weight)), strict=True):
            count += np.bincount(place, weights=signed, minlength=count.size).reshape(count.shape)
    return _peaks(votes[0], np.abs(votes[1]), reach)


def directions(lines: Numbers) -> tuple[Numbers, Numbers]:
    """Return the normals of lines and the ways along them, a quarter turn on from x to y, (n, 2) each."""
    normal = np.column_stack([np.cos(lines[:, 0]), np.sin(lines[:, 0])])
    return normal, np.column_stack([-normal[:, 1], normal[:, 0]])


def _edge_pixels(edges: EdgeMap) -> tuple[NDArray[np.intp], NDArray[np.intp], Numbers, Numbers]:
    """Return rows, columns, direction and weight of the pixels where an edge is strongest across."""
    strength = np.hypot(edges.dx, edges.dy)
    flat = np.abs(edges.dx) >= np.abs(edges.dy)
    beside = np.where(
        flat,
        np.maximum(np.roll(strength, 1, 1), np.roll(strength, -1, 1)),
        np.maximum(np.roll(strength, 1, 0), np.roll(strength, -1, 0)),
    )
    inside = np.zeros(strength.shape, bool)
    inside[2:-2, 2:-2] = True
    rows, cols = np.nonzero((strength >= beside) & (strength > LEAST_WEIGHT) & inside)
    weight = np.minimum(strength[rows, cols], 1.0).astype(np.float64)
    return rows, cols, np.arctan2(edges.dy[rows, cols], edges.dx[rows, cols]).astype(np.float64), weight


def _peaks(votes: Numbers, signed: Numbers, reach: int) -> Numbers:
    """Return the lines with most votes of either kind; in a pattern, those of light and dark edges cancel out."""
    peaks = [peak for count, most in ((votes, MOST_LINES), (signed, MOST_SIGNED)) for peak in _tops(count, most)]
    distinct: list[tuple[int, int]] = []
    steps = len(votes)
    for angle, place in peaks:
        for other, there in distinct:
            apart = abs(angle - other)
            mirrored = 2 * reach - there if apart > steps / 2 else there
            if min(apart, steps - apart) <= APART[0] and abs(place - mirrored) <= APART[1]:
                break
        else:
            distinct.append((angle, place))
    lines = [(np.radians(angle * STEP_DEG), (place - reach) * STEP_PX) for angle, place in distinct]
    return np.array(lines, np.float64).reshape(-1, 2)


def _tops(votes: Numbers, most: int) -> list[tuple[int, int]]:
    """Return the angle and the place of the highest peaks, the highest first."""
    turned = votes[:, ::-1]
    soft = cv2.GaussianBlur(np.vstack([turned[-TURN:], votes, turned[:TURN]]), (0, 0), 1.0)
    plain = soft - cv2.blur(soft, (BESIDE, 1))
    top = cv2.dilate(plain, np.ones((2 * APART[0] + 1, 2 * APART[1] + 1), np.uint8))
    isolated = ((plain >= top) & (plain > 0))[TURN:-TURN]
    at, place = np.nonzero(isolated)
    order = np.argsort(-plain[TURN:-TURN][at, place], kind="stable")[:most]
    return [(int(at[one]), int(place[one])) for one in order]
