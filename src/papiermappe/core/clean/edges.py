"""Long straight edges: placing one side of a sheet.

A step that is too slight to be seen in one row is plain in the mean of hundreds of rows along it.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

STEP_MM = 25.4 / 150  # the distance between samples across a side
REACH = 16  # samples on each side of the line
ALONG = 384  # rows sampled along a side
SEGMENTS = 16
TILT_DEG = np.arange(-0.6, 0.601, 0.06)
LEAST_LEVELS = 0.8  # the smallest mean step of an edge
LEAST_CLARITY = 5.0  # the smallest ratio of an edge's step to the steps around it
STEADY_SHARE = 0.9  # where nothing is cut off, the edge shows along at least this share of a side
SLIGHT_LEVELS = 6.0  # a fainter step is placed less exactly, so it is moved out a little
CAUTION_MM = 0.3
LEAST_SEEN_SHARE = 0.25


class Line(NamedTuple):
    """A straight line in px: a point and its direction, of length 1."""

    x: float
    y: float
    dx: float
    dy: float

    @classmethod
    def through(cls, start: NDArray[np.float64], end: NDArray[np.float64]) -> "Line":
        """Return the line through two points `(x, y)`."""
        along = (end - start) / max(float(np.hypot(*(end - start))), 1e-9)
        return cls(float(start[0]), float(start[1]), float(along[0]), float(along[1]))

    def nearest(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return for each of the points (n, 2) the nearest point on the line."""
        return np.asarray(points - self.away(points)[:, None] * np.array([-self.dy, self.dx]))

    def scaled(self, by: float) -> "Line":
        """Return the same line in a picture that is `by` times as large."""
        return Line((self.x + 0.5) * by - 0.5, (self.y + 0.5) * by - 0.5, self.dx, self.dy)

    def away(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return how far points (..., 2) lie to the right of the line, seen along its direction, y down."""
        return np.asarray(self.dx * (points[..., 1] - self.y) - self.dy * (points[..., 0] - self.x))


class SideFit(NamedTuple):
    """One side of a sheet."""

    line: Line
    share: float
    """Of its length, how much shows the same step."""
    levels: float = 0.0
    """The step, in grey levels."""
    leans_most: bool = False
    """Whether it leans as much as was looked for, so that it may lean more."""

    @property
    def is_slight(self) -> bool:
        """Whether the step is too faint to be placed exactly."""
        return self.levels < SLIGHT_LEVELS


def crossing(one: Line, other: Line) -> NDArray[np.float64]:
    """Return where two lines cross; not finite if they are parallel."""
    matrix = np.array([[one.dx, -other.dx], [one.dy, -other.dy]])
    if abs(np.linalg.det(matrix)) < 1e-6:
        return np.full(2, np.inf)
    way, _ = np.linalg.solve(matrix, [other.x - one.x, other.y - one.y])
    return np.array([one.x + way * one.dx, one.y + way * one.dy])


def fit_side(picture: Pixels, dpi: float, start: NDArray[np.float64], end: NDArray[np.float64]) -> SideFit | None:
    """Place one side of a sheet where the brightness steps most along all of it.

    Args:
        picture: grey (h, w) or RGB (h, w, 3).
        dpi: its resolution.
        start: `(x, y)` in px, about where the side begins; the sheet lies to the right, looking from here to `end`.
        end: about where it ends; both within the picture.

    Returns:
        The line; None where no step is to be seen within 2.7 mm of the side.
    """
    steps, seen = _steps(picture, dpi, start, end)
    length = float(np.hypot(*(end - start)))
    step_px = mm_to_px(STEP_MM, dpi)
    places = (np.arange(SEGMENTS) + 0.5) / SEGMENTS - 0.5
    shifts = np.tan(np.radians(TILT_DEG))[:, None] * places[None] * 0.92 * length / step_px
    leant = _leant(steps * seen[..., None], shifts)
    weight = np.maximum(_leant(seen[..., None].astype(np.float64), shifts)[..., 0].mean(axis=1), 1e-3)
    mean = leant.mean(axis=1) / weight[..., None]
    strength = np.linalg.norm(mean, axis=2) * (weight > 0.25)
    peaks = _peaks_of(strength, leant, mean)
    if not peaks:
        return None
    steady = [peak for peak in peaks if peak.share >= STEADY_SHARE] or [peak for peak in peaks if peak.share >= 0.5][:1]
    tilt, at, strongest, share = max(steady or peaks, key=lambda peak: peak.strength)
    offset = at + 1.5 - REACH + peak_shift(strength[tilt], at)
    slope = np.tan(np.radians(TILT_DEG[tilt] + (TILT_DEG[1] - TILT_DEG[0]) * peak_shift(strength[:, at], tilt)))
    along = (end - start) / length
    inward = np.array([-along[1], along[0]])
    caution_px = mm_to_px(CAUTION_MM, dpi) if strongest < SLIGHT_LEVELS else 0.0
    middle = (start + end) / 2 + inward * (offset * step_px - caution_px)
    turned = along + inward * slope
    leans_most = tilt in (0, len(TILT_DEG) - 1)
    return SideFit(Line(*middle, *(turned / np.hypot(*turned))), share, strongest, leans_most)


class _Peak(NamedTuple):
    tilt: int
    at: int
    strength: float
    share: float


def _peaks_of(strength: NDArray[np.float64], leant: NDArray[np.float64], mean: NDArray[np.float64]) -> list[_Peak]:
    """Return where the mean step is greater than beside it and plain, the outermost first."""
    tilts = strength.argmax(axis=0)
    best = strength.max(axis=0)
    padded = np.pad(best, 1)
    least = max(LEAST_LEVELS, LEAST_CLARITY * float(np.quantile(strength, 0.2)))
    peaks = []
    for at in np.flatnonzero((best >= padded[:-2]) & (best > padded[2:]) & (best >= least)):
        tilt = int(tilts[at])
        way = mean[tilt, at] / best[at]
        near = leant[tilt, :, max(at - 1, 0) : at + 2] @ way
        peaks.append(_Peak(tilt, int(at), float(best[at]), float((near.max(axis=1) > 0.4 * best[at]).mean())))
    return peaks


class Strips(NamedTuple):
    """What lies beside a line, 2 to 6 mm away, (n, channels) each."""

    inside: NDArray[np.uint8]
    outside: NDArray[np.uint8]


def beside(picture: Pixels, dpi: float, start: NDArray[np.float64], end: NDArray[np.float64]) -> Strips | None:
    """Return what lies on both sides of a line; None where too little of it is on the picture."""
    along = (end - start) / max(float(np.hypot(*(end - start))), 1e-9)
    inward = np.array([-along[1], along[0]])
    feet = start + np.linspace(0.03, 0.97, ALONG)[:, None] * (end - start)
    height, width = picture.shape[:2]
    strips = []
    for way in (1, -1):
        away = way * mm_to_px(1.0, dpi) * np.linspace(2, 6, 9)
        places = np.rint(feet[:, None] + away[None, :, None] * inward).astype(np.intp).reshape(-1, 2)
        seen = (places >= 0).all(axis=1) & (places < (width, height)).all(axis=1)
        if seen.mean() < LEAST_SEEN_SHARE:
            return None
        strips.append(picture[places[seen, 1], places[seen, 0]].reshape(int(seen.sum()), -1))
    return Strips(*strips)


def _steps(
    picture: Pixels, dpi: float, start: NDArray[np.float64], end: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Return by how much the brightness steps inward, (segments, places, channels), and where that can be told."""
    along = (end - start) / max(float(np.hypot(*(end - start))), 1e-9)
    inward = np.array([-along[1], along[0]])
    offsets = np.arange(-REACH, REACH + 1) * mm_to_px(STEP_MM, dpi)
    feet = start + np.linspace(0.04, 0.96, ALONG)[:, None] * (end - start)
    x, y = np.moveaxis(feet[:, None] + offsets[None, :, None] * inward, 2, 0).astype(np.float32)
    rows = cv2.remap(picture, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    rows = np.asarray(rows, np.uint8).reshape(SEGMENTS, ALONG // SEGMENTS, len(offsets), -1)
    height, width = picture.shape[:2]
    inside = (x > 0) & (x < width - 1) & (y > 0) & (y < height - 1)
    inside = inside.reshape(SEGMENTS, ALONG // SEGMENTS, len(offsets)).mean(axis=1) > 0.5
    return _median_steps(rows), inside[:, 3:] & inside[:, :-3]


@compiled("f8[:, :, ::1](u1[:, :, :, ::1])")
def _median_steps(rows: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Return how much brighter two places are than the two before, (segments, places - 3, channels).

    That is the median of the rows of a segment: an edge steps in every row, the beginnings of lines of print only in
    some.

    Args:
        rows: levels, (segments, rows, places, channels).
    """
    segments, height, places, channels = rows.shape
    steps = np.empty((segments, places - 3, channels))
    twice = np.empty(height, np.int64)
    for segment in range(segments):
        for place in range(places - 3):
            for channel in range(channels):
                for row in range(height):
                    line = rows[segment, row]
                    after = np.int64(line[place + 2, channel]) + np.int64(line[place + 3, channel])
                    step = after - np.int64(line[place, channel]) - np.int64(line[place + 1, channel])
                    at = row
                    while at > 0 and twice[at - 1] > step:
                        twice[at] = twice[at - 1]
                        at -= 1
                    twice[at] = step
                steps[segment, place, channel] = (twice[(height - 1) // 2] + twice[height // 2]) / 4
    return steps


@compiled("f8[:, :, :, ::1](f8[:, :, ::1], f8[:, ::1])")
def _leant(values: NDArray[np.float64], shifts: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the values of each segment moved by each shift, (shifts, segments, places, channels)."""
    segments, places, channels = values.shape
    moved = np.empty((len(shifts), segments, places, channels))
    for shift in range(len(shifts)):
        for segment in range(segments):
            for place in range(places):
                at = min(max(place + shifts[shift, segment], 0.0), places - 1.001)
                low = int(at)
                part = at - low
                for channel in range(channels):
                    before, after = values[segment, low, channel], values[segment, low + 1, channel]
                    moved[shift, segment, place, channel] = before * (1 - part) + after * part
    return moved


def peak_shift(values: NDArray[np.float64], at: int) -> float:
    """Return by how much the true top lies beside the greatest value, -0.5 to 0.5, by a parabola."""
    if not 0 < at < len(values) - 1:
        return 0.0
    before, top, after = values[at - 1 : at + 2]
    bend = before - 2 * top + after
    return float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5)) if bend < -1e-9 else 0.0
