"""Candidates for the sheet: quadrilaterals of lines that edges run along, and what each of them shows."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.photo.lines import Numbers, directions
from papiermappe.core.photo.tracks import Tracks

OPPOSITE_DEG = 45.0  # opposite sides of a sheet that is seen slanting lean towards each other by less
CROSSING_DEG = 35.0  # sides that meet make an angle of at least this
BEYOND_SHARE = 0.35  # of the picture's sides: a corner lies no farther outside
LEAST_SHARE = 0.05  # of the picture, that a sheet covers
LEAST_SEEN = 0.12  # of a side, on the picture
LEAST_EDGE = 0.22  # of a side, along which an edge runs
AFTER_SHARE = 0.12  # of a side: so far beyond its ends it is asked whether the edge goes on
CORNER_SHARE = 0.125  # of a side, before its ends
UNSEEN = 0.7  # an edge that is not on the picture speaks for nothing: about what sheets show
UNSEEN_PX = 8  # a side of which no more is on the picture counts as one that is not
MOST_QUADS = 8000

Index = NDArray[np.intp]


class Quads(NamedTuple):
    """Candidates: axis 0 are the quadrilaterals, axis 1 their sides or corners, clockwise."""

    lines: Index
    """(n, 4): the line of each side; a side ends where the next one begins."""
    corners: Numbers
    """(n, 4, 2): where the side before and the side meet, in px of the picture that was looked at."""
    start: Numbers
    end: Numbers
    """(n, 4): where on its line a side begins and ends, as places of `Tracks`."""


def find_quads(tracks: Tracks, width: int, height: int) -> Quads:
    """Return the quadrilaterals that have edges along all sides, as many as are worth a closer look."""
    crossings, places = line_crossings(tracks.lines, width, height)
    sides = _opposite(tracks.lines)
    one, other = _two_pairs(sides, tracks.lines)
    lines = np.column_stack([one[:, 0], other[:, 0], one[:, 1], other[:, 1]])
    quads = _clockwise(lines, crossings, places)
    quads = picked(quads, _is_possible(quads, width, height))
    shares = edge_shares(tracks, quads)
    second_least_seen = np.sort(seen_shares(tracks, quads), axis=1)[:, 1]  # one side may be beyond the picture
    quads = picked(quads, (shares.min(axis=1) >= LEAST_EDGE) & (second_least_seen >= LEAST_SEEN))
    rough = edge_shares(tracks, quads).sum(axis=1) - 0.5 * after_shares(tracks, quads).sum(axis=1)
    return picked(quads, np.argsort(-(rough + np.sqrt(areas(quads.corners) / (width * height))))[:MOST_QUADS])


def quads_along(outlines: Sequence[Numbers], width: int, height: int) -> tuple[Numbers, Quads]:
    """Return quadrilaterals that are known as such, and the lines that their sides lie on, (4 n, 2), as `find_lines`.

    Args:
        outlines: (4, 2) each, clockwise, in px of the picture that is looked at; at least one.
        width: of the picture, in px.
        height: of it.
    """
    corners = np.array(outlines, np.float64)
    after = np.roll(corners, -1, axis=1)
    along = after - corners
    angle = np.arctan2(along[..., 0], -along[..., 1]) % np.pi
    normal = np.stack([np.cos(angle), np.sin(angle)], axis=-1)
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    distance = ((corners - middle) * normal).sum(axis=-1)
    way = np.stack([-normal[..., 1], normal[..., 0]], axis=-1)
    start, end = (((ends - middle) * way).sum(axis=-1) for ends in (corners, after))
    lines = np.column_stack([angle.ravel(), distance.ravel()])
    return lines, Quads(np.arange(len(lines), dtype=np.intp).reshape(-1, 4), corners, start, end)


def edge_shares(tracks: Tracks, quads: Quads) -> Numbers:
    """Return along how much of each side, as far as it is on the picture, an edge runs, (n, 4)."""
    edge, seen = (_between(sums, tracks, quads, quads.start, quads.end) for sums in (tracks.edge, tracks.seen))
    return np.where(seen > UNSEEN_PX, edge / np.maximum(seen, 1), UNSEEN)


def seen_shares(tracks: Tracks, quads: Quads) -> Numbers:
    """Return how much of each side is on the picture, (n, 4)."""
    return _between(tracks.seen, tracks, quads, quads.start, quads.end) / np.maximum(np.abs(quads.end - quads.start), 1)


def after_shares(tracks: Tracks, quads: Quads) -> Numbers:
    """Return along how much of what lies just beyond the ends of each side the edge goes on, (n, 4)."""
    gap = np.sign(quads.end - quads.start) * 4
    far = AFTER_SHARE * (quads.end - quads.start) + gap
    shares = []
    for near_end, far_end in ((quads.start - far, quads.start - gap), (quads.end + gap, quads.end + far)):
        edge, seen = (_between(sums, tracks, quads, near_end, far_end) for sums in (tracks.edge, tracks.seen))
        shares.append(edge / np.maximum(seen, 1))
    return np.asarray((shares[0] + shares[1]) / 2)


def corner_shares(tracks: Tracks, quads: Quads) -> Numbers:
    """Return along how much of the last eighth before each end of each side an edge runs, (n, 8)."""
    part = CORNER_SHARE * (quads.end - quads.start)
    shares = []
    for one, other in ((quads.start, quads.start + part), (quads.end - part, quads.end)):
        edge, seen = (_between(sums, tracks, quads, one, other) for sums in (tracks.edge, tracks.seen))
        shares.append(np.where(seen > 0, edge / np.maximum(seen, 1), UNSEEN))
    return np.hstack(shares)


def rising_shares(tracks: Tracks, quads: Quads) -> Numbers:
    """Return along how much of the edges of each side it gets brighter towards the inside, (n, 4)."""
    edge, rising = (_between(sums, tracks, quads, quads.start, quads.end) for sums in (tracks.edge, tracks.rising))
    share = rising / np.maximum(edge, 1)
    return np.where(_inside_is_behind(quads), share, 1 - share)


def colours_beside(tracks: Tracks, quads: Quads) -> tuple[Numbers, Numbers]:
    """Return the mean colour inside and outside of each side, (n, 4, channels) each."""
    sums = _between(tracks.beside, tracks, quads, quads.start, quads.end)
    means = sums / np.maximum(_between(tracks.seen, tracks, quads, quads.start, quads.end), 1)[..., None, None]
    behind = _inside_is_behind(quads)[..., None]
    return np.where(behind, means[:, :, 1], means[:, :, 0]), np.where(behind, means[:, :, 0], means[:, :, 1])


def unevenness(tracks: Tracks, quads: Quads) -> tuple[Numbers, Numbers]:
    """Return the standard deviation of the brightness along the inside and the outside of each side, (n, 4) each."""
    count = np.maximum(_between(tracks.seen, tracks, quads, quads.start, quads.end), 1)[..., None]
    squares = _between(tracks.squared, tracks, quads, quads.start, quads.end) / count
    means = (_between(tracks.beside, tracks, quads, quads.start, quads.end) / count[..., None]).mean(axis=3)
    spread = np.sqrt(np.maximum(squares - means**2, 0))
    behind = _inside_is_behind(quads)
    return np.where(behind, spread[..., 1], spread[..., 0]), np.where(behind, spread[..., 0], spread[..., 1])


def _inside_is_behind(quads: Quads) -> NDArray[np.bool_]:
    """Return for each side whether its normal points into the quadrilateral.

    A line's places run to the left of its normal, seen on the picture (y down: along = (-normal_y, normal_x)), and the
    inside of a clockwise outline lies to the right of its sides: the normal points inside where a side runs backwards.
    """
    return quads.end < quads.start


def _between(sums: Numbers, tracks: Tracks, quads: Quads, start: Numbers, end: Numbers) -> Numbers:
    most = sums.shape[1] - 1
    low, high = np.minimum(start, end), np.maximum(start, end)
    low, high = (np.clip(np.rint(place + tracks.reach), 0, most).astype(np.intp) for place in (low, high))
    return np.asarray(sums[quads.lines, high] - sums[quads.lines, low])


def line_crossings(lines: Numbers, width: int, height: int) -> tuple[Numbers, Numbers]:
    """Return where each two lines cross, (n, n, 2), and at which place of the first that is, (n, n)."""
    normal, _ = directions(lines)
    across = normal[:, None, 0] * normal[None, :, 1] - normal[:, None, 1] * normal[None, :, 0]
    safe = np.where(np.abs(across) < 1e-6, np.nan, across)
    distance = lines[:, 1]
    x = (distance[:, None] * normal[None, :, 1] - distance[None] * normal[:, None, 1]) / safe
    y = (distance[None] * normal[:, None, 0] - distance[:, None] * normal[None, :, 0]) / safe
    places = -normal[:, None, 1] * x + normal[:, None, 0] * y
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    return np.stack([x, y], axis=2) + middle, places


def _opposite(lines: Numbers) -> Index:
    """Return pairs of lines that can be opposite sides, (m, 2)."""
    first, second = np.triu_indices(len(lines), 1)
    return np.asarray(np.column_stack([first, second])[apart_deg(lines[first, 0], lines[second, 0]) <= OPPOSITE_DEG])


def _two_pairs(sides: Index, lines: Numbers) -> tuple[Index, Index]:
    """Return which two pairs of sides (m, 2) can be those of one quadrilateral, (k, 2) each.

    There are more than two million to choose from where there are most lines, so that they are told by bits.
    """
    crosses = apart_deg(lines[:, None, 0], lines[None, :, 0]) >= CROSSING_DEG
    can_meet = np.logical_and(*(crosses[np.ix_(ends, ends)] for ends in sides.T))
    first, second = np.nonzero(np.triu(can_meet, 1))
    return sides[first], sides[second]


def apart_deg(one: Numbers, other: Numbers) -> Numbers:
    """Return by how much lines are turned against others, given the angles of their normals in radians: 0 to 90."""
    apart = np.abs(np.degrees(one - other)) % 180
    return np.asarray(np.minimum(apart, 180 - apart))


def _clockwise(lines: Index, crossings: Numbers, places: Numbers) -> Quads:
    """Return quadrilaterals with their sides clockwise as seen, those that cross themselves too."""
    corners = np.stack([crossings[lines[:, at - 1], lines[:, at]] for at in range(4)], axis=1)
    backwards = _signed_areas(corners) < 0
    ordered = np.where(backwards[:, None], lines[:, ::-1], lines)
    corners = np.stack([crossings[ordered[:, at - 1], ordered[:, at]] for at in range(4)], axis=1)
    start = np.stack([places[ordered[:, at], ordered[:, at - 1]] for at in range(4)], axis=1)
    end = np.stack([places[ordered[:, at], ordered[:, (at + 1) % 4]] for at in range(4)], axis=1)
    return Quads(ordered, corners, start, end)


def _is_possible(quads: Quads, width: int, height: int) -> NDArray[np.bool_]:
    size = np.array([width, height])
    with np.errstate(invalid="ignore"):
        near = ((quads.corners > -BEYOND_SHARE * size) & (quads.corners < (1 + BEYOND_SHARE) * size)).all(axis=(1, 2))
        sides = np.roll(quads.corners, -1, axis=1) - quads.corners
        after = np.roll(sides, -1, axis=1)
        turns = sides[..., 0] * after[..., 1] - sides[..., 1] * after[..., 0]
        large = areas(quads.corners) >= LEAST_SHARE * width * height
        return np.asarray(near & (turns > 0).all(axis=1) & large)


def _signed_areas(corners: Numbers) -> Numbers:
    after = np.roll(corners, -1, axis=1)
    return np.asarray((corners[..., 0] * after[..., 1] - corners[..., 1] * after[..., 0]).sum(axis=1) / 2)


def areas(corners: Numbers) -> Numbers:
    """Return the areas of quadrilaterals, (n, 4, 2), in px."""
    return np.abs(_signed_areas(corners))


def picked(quads: Quads, which: NDArray[np.generic]) -> Quads:
    """Return some of them, as an index or a mask says."""
    return Quads(*(values[which] for values in quads))
