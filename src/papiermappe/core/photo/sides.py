"""Placing the sides of a sheet on a photo exactly. Paper bows and lenses bend: a side is a parabola, not a line."""

from collections.abc import Collection
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.edges import peak_shift
from papiermappe.core.curl import KNOTS
from papiermappe.core.photo.lines import Numbers
from papiermappe.core.picture import Pixels

ALONG = 96  # places looked at along a side
THINNED = 2  # where many curves are tried, every second place will do
ENDS = 0.03  # of a side: so much of both ends is left to its neighbours
ALONG_SIDE = ENDS + (1 - 2 * ENDS) * (np.arange(ALONG) + 0.5) / ALONG  # the places, 0 to 1 along the side
STEP_SHARE = 1 / 1400  # of the picture's longer side: the distance between two samples across a side
OFFSETS = 30  # samples to both sides
REACH = 16.0  # samples: a side is looked for this far beside where it should be...
FARTHEST = 0.35  # ...and counts by so much less there
TILTS = np.linspace(-REACH, REACH, 13)  # samples, from the middle of a side to its end
BOWS = np.linspace(-27, 27, 13)  # samples, from the ends to the middle
FINER = np.linspace(-1, 1, 5)  # of the steps between two tilts and two bows
FINER_TERMS = np.linspace(-4, 4, 17)  # samples
MOST_LEVELS = 30.0  # a step of more counts as no more: print may step more than the edge of the paper
PLAIN_SHARE = 0.35  # of the step of the whole side: a place shows it
LEAST_SEEN = 0.9  # of a side, to tell how it bows


class Placed(NamedTuple):
    """A sheet with its sides placed."""

    corners: Numbers
    """(4, 2), in px, clockwise."""
    seen: NDArray[np.bool_]
    """(4, ALONG): which places along each side are on the picture, as `ALONG_SIDE` has them; none where too few are."""
    shows: NDArray[np.bool_]
    """(4, ALONG): which of them show the same step as the side does."""
    quarters: Numbers
    """(4, 3, 2): a quarter, half and three quarters along each side, which need not be straight."""

    @property
    def shares(self) -> Numbers:
        """(4,): along how much of each side the same step is seen; 0 of one that is beyond the picture."""
        return np.asarray(self.shows.sum(axis=1) / np.maximum(self.seen.sum(axis=1), 1))

    @property
    def is_seen(self) -> NDArray[np.bool_]:
        """(4,): whether enough of each side is on the picture to be placed."""
        return np.asarray(self.seen.any(axis=1))


class _Curve(NamedTuple):
    start: Numbers
    along: Numbers
    """From the one end to the other."""
    inward: Numbers
    """Of length 1."""
    terms: Numbers
    """Distance inwards in px: `terms[0] + terms[1] * u + terms[2] * (u * u - 1 / 3)`, u from -1 to 1 along the side."""
    finer: Numbers
    """Two more terms, of degree three and four, that the curve has where it is not a parabola."""

    def at(self, t: float) -> Numbers:
        """Return the place at `t`, 0 to 1 along the side."""
        return self._at(t, float(_away(self.terms, np.array(2 * t - 1))))

    def exactly_at(self, t: float) -> Numbers:
        """Return the place at `t` of the curve that need not be a parabola."""
        u = np.array(2 * t - 1)
        return self._at(t, float(_away(self.terms, u) + self.finer @ _finer_shapes(u)))

    def _at(self, t: float, away: float) -> Numbers:
        return np.asarray(self.start + t * self.along + away * self.inward)

    def slope(self, t: float) -> Numbers:
        """Return the derivative by `t`."""
        u = 2 * t - 1
        return np.asarray(self.along + 2 * (self.terms[1] + 2 * self.terms[2] * u) * self.inward)


def place_sides(picture: Pixels, corners: Numbers, sides: Collection[int] = range(4)) -> Placed:
    """Place the sides of a sheet where the picture steps most along all of each.

    Args:
        picture: grey (h, w) or RGB (h, w, 3).
        corners: (4, 2), clockwise, about where they are, in px; they may lie outside of the picture.
        sides: that are placed, 0 between the first two corners; the others stay straight where they are.
    """
    ends = [(corners[at], corners[(at + 1) % 4]) for at in range(4)]
    found = [_placed(picture, *ends[at]) if at in sides else None for at in range(4)]
    curves = [_straight(*ends[at]) if one is None else one[0] for at, one in enumerate(found)]
    placed = np.array([_meeting(curves[at - 1], curves[at]) for at in range(4)])
    quarters = np.array([[curve.exactly_at(knot) for knot in KNOTS] for curve in curves])
    none = np.zeros(ALONG, np.bool_)
    seen, shows = (np.array([none if one is None else one[at] for one in found]) for at in (1, 2))
    return Placed(placed, seen, shows, quarters)


def _straight(start: Numbers, end: Numbers) -> _Curve:
    along = end - start
    inward = np.array([-along[1], along[0]]) / max(float(np.hypot(*along)), 1.0)
    return _Curve(start, along, inward, np.zeros(3), np.zeros(2))


def _placed(
    picture: Pixels, start: Numbers, end: Numbers
) -> tuple[_Curve, NDArray[np.bool_], NDArray[np.bool_]] | None:
    """Return where a side is, and which places are on the picture, and show its step, (ALONG,) each.

    None where too little of it is on the picture.
    """
    along, inward = (straight := _straight(start, end)).along, straight.inward
    height, width = picture.shape[:2]
    step_px = STEP_SHARE * max(height, width)
    feet = start + ALONG_SIDE[:, None] * along
    offsets = np.arange(-OFFSETS - 3, OFFSETS + 4) * step_px
    places = feet[:, None] + offsets[None, :, None] * inward
    seen: NDArray[np.bool_] = np.all((feet > 1) & (feet < (width - 2, height - 2)), axis=1)
    if seen.sum() < ALONG / 8:
        return None
    x, y = (np.ascontiguousarray(places[..., axis], np.float32) for axis in (0, 1))
    rows = cv2.remap(picture, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).astype(np.float32)
    steps = _steps(rows.reshape(ALONG, len(offsets), -1))
    strongest = np.take_along_axis(steps, np.abs(steps).argmax(axis=2)[..., None], axis=2)[..., 0]
    signed = np.asarray(strongest * seen[:, None], np.float32)
    u = 2 * ALONG_SIDE - 1
    usual = float(np.clip(np.quantile(np.abs(signed[seen]).max(axis=1), 0.5), 1.0, MOST_LEVELS))
    bows = BOWS if seen.mean() >= LEAST_SEEN else np.zeros(1)
    rough = _best(np.clip(signed, -usual, usual)[::THINNED], u[::THINNED], np.zeros(3), TILTS, bows, REACH)
    tilts = rough[1] + FINER * (TILTS[1] - TILTS[0])
    fine = _best(signed, u, rough, tilts, rough[2] + FINER * (BOWS[1] - BOWS[0]) if len(bows) > 1 else bows, 4.0)
    finer = _finer(signed[::THINNED], u[::THINNED], fine) if len(bows) > 1 else np.zeros(2)
    on_curve = np.rint(_away(fine, u) + finer @ _finer_shapes(u) + OFFSETS).astype(np.intp)
    near = np.stack([signed[np.arange(ALONG), np.clip(on_curve + off, 0, signed.shape[1] - 1)] for off in (-1, 0, 1)])
    way = float(np.sign(near[1][seen].mean())) or 1.0
    shows = (np.asarray(way * near).max(axis=0) >= PLAIN_SHARE * usual) & seen
    return straight._replace(terms=fine * step_px, finer=finer * step_px), seen, shows


def _finer(signed: NDArray[np.float32], u: Numbers, terms: Numbers) -> Numbers:
    """Return the terms of degree three and four with which the picture steps most along the curve, in samples."""
    third, fourth = (tried.reshape(-1, 1) for tried in np.meshgrid(FINER_TERMS, FINER_TERMS))
    shapes = _finer_shapes(u)
    shifts = _away(terms, u) + third * shapes[0] + fourth * shapes[1]
    scores = _sums_along(signed, shifts, np.arange(-1, 2)).max(axis=1)
    best = int(scores.argmax())
    return np.array([third[best, 0], fourth[best, 0]])


def _finer_shapes(u: Numbers) -> Numbers:
    """Return Legendre's polynomials of degree three and four, (2, ...)."""
    return np.stack([(5 * u**3 - 3 * u) / 2, (35 * u**4 - 30 * u**2 + 3) / 8])


def _away(terms: Numbers, u: Numbers) -> Numbers:
    return np.asarray(terms[0] + terms[1] * u + terms[2] * (u * u - 1 / 3))


def _best(
    signed: NDArray[np.float32], u: Numbers, near: Numbers, tilts: Numbers, bows: Numbers, reach: float
) -> Numbers:
    """Return the terms of the curve along which the picture steps most, in samples.

    Args:
        signed: the steps, (places along, places across).
        u: the places along, -1 to 1.
        near: terms; the first is looked for within `reach` of this one.
        tilts: that are tried.
        bows: that are tried.
        reach: samples.
    """
    shifts = (tilts[:, None, None] * u + bows[None, :, None] * (u * u - 1 / 3)).reshape(-1, len(u))
    tried = np.arange(int(np.ceil(near[0] - reach)), int(near[0] + reach) + 1)
    prior = 1 - FARTHEST * ((tried - near[0]) / reach) ** 2
    scores = _sums_along(signed, shifts, tried) * prior
    curve, at = (int(place) for place in np.unravel_index(int(scores.argmax()), scores.shape))
    tilt, bow = divmod(curve, len(bows))
    return np.array([tried[at] + peak_shift(scores[curve], at), tilts[tilt], bows[bow]])


def _steps(rows: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return by how much each place steps inward: the mean of three behind less that of three before, per channel."""
    count = rows.shape[1] - 6
    behind = rows[:, 4 : 4 + count] + rows[:, 5 : 5 + count] + rows[:, 6 : 6 + count]
    before = rows[:, :count] + rows[:, 1 : 1 + count] + rows[:, 2 : 2 + count]
    return np.asarray((behind - before) / 3, np.float32)


def _sums_along(signed: NDArray[np.float32], shifts: Numbers, tried: NDArray[np.intp]) -> Numbers:
    """Return for each curve and offset how much steps along it, (curves, offsets): of one sign, and of either.

    The offsets that are tried follow one another, so what each curve meets at a place are neighbours there. Not
    compiled: the web server judges frames of cameras, and is to do without the compiler.
    """
    count = len(tried)
    first = np.rint(shifts).astype(np.intp) + OFFSETS + int(tried[0])
    low, high = max(0, -int(first.min())), max(0, int(first.max()) + count - signed.shape[1])
    windows = np.lib.stride_tricks.sliding_window_view(np.pad(signed, ((0, 0), (low, high))), count, axis=1)
    of_one_sign, of_either = (np.zeros((len(shifts), count), np.float32) for _ in range(2))
    for place, places in enumerate(windows):
        along = places[first[:, place] + low]
        of_one_sign += along
        of_either += np.abs(along)
    return np.asarray(np.abs(of_one_sign) + 0.5 * of_either, np.float64)


def _meeting(before: _Curve, after: _Curve) -> Numbers:
    """Return where two sides meet: near the end of the one and the start of the other, by Newton's method."""
    end, start = 1.0, 0.0
    for _ in range(6):
        apart = before.at(end) - after.at(start)
        matrix = np.column_stack([before.slope(end), -after.slope(start)])
        if abs(np.linalg.det(matrix)) < 1e-6:
            break
        by = np.linalg.solve(matrix, -apart)
        end, start = (float(np.clip(value, -0.3, 1.3)) for value in (end + by[0], start + by[1]))
    return (before.at(end) + after.at(start)) / 2
