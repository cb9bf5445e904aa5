"""Lines for the side of a sheet that shows no line of its own, since the photo ends there, or paper lies on paper.

Three sides tell where it must be: it begins where one of the two beside it ends, and runs in perspective along the
third.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.photo.lines import Numbers, directions
from papiermappe.core.photo.quads import CROSSING_DEG, OPPOSITE_DEG, Index, apart_deg, line_crossings
from papiermappe.core.photo.tracks import Tracks

WINDOW_PX = 24  # an edge ends where along the next so much...
GOES_ON = 0.35  # ...less than this share of it is seen
LEAST_SIDE = 0.15  # of the picture's longer side
PROPORTIONS = (0.4, 2.5)  # of the fourth side to that across from it: no camera looks more aslant
FOCAL = 0.9  # of the picture's longer side: what most cameras have is near
WITHIN_PX = 12.0  # from the rim: a corner that lies farther within the picture would have been seen
NEAR_SHARE = 0.06  # of the fourth side: it passes the end of the other side that is seen no farther off
BEYOND_WEIGHT = 0.5  # of edges that go on beyond corners, against those between them
MOST_KNOWN = 32  # of the plainest lines: sides that are less plain complete nothing
MOST_COMPARED, MOST = 400, 6
SAME_DEG, SAME_PX = 2.0, 5.0  # lines that differ by less are one


class _Three(NamedTuple):
    """Three sides each of sheets: a base, and those to both ends of it, as numbers of lines, (n,)."""

    base: Index
    left: Index
    right: Index

    def picked(self, which: NDArray[np.bool_]) -> "_Three":
        """Return some of them."""
        return _Three(*(side[which] for side in self))


class _Run(NamedTuple):
    """Edges that run along lines, (n,): they begin and end at these places of `Tracks`."""

    line: Index
    start: Index
    end: Index

    def picked(self, which: NDArray[np.bool_]) -> "_Run":
        """Return some of them."""
        return _Run(*(values[which] for values in self))

    @property
    def length_px(self) -> Numbers:
        """How long each is."""
        return np.asarray(np.abs(self.end - self.start), np.float64)

    @property
    def before(self) -> "_Run":
        """What lies on the same lines before they begin."""
        return _Run(self.line, self.start, self.start - np.sign(self.end - self.start) * WINDOW_PX)

    @property
    def turned(self) -> "_Run":
        """The same, from their ends."""
        return _Run(self.line, self.end, self.start)


def completing_lines(tracks: Tracks, width: int, height: int) -> Numbers:
    """Return lines on which the fourth side of a sheet may lie of which three sides were found.

    Args:
        tracks: of the lines that were found, the plainest first.
        width: of the picture, in px.
        height: of it.

    Returns:
        (n, 2), as `find_lines`, the best first, at most `MOST`.
    """
    plainest = tracks.lines[:MOST_KNOWN]
    corners, places = line_crossings(plainest, width, height)
    three = _threes(plainest)
    is_on_picture = _depth_px(corners, width, height) >= 0
    three = three.picked(is_on_picture[three.base, three.left] & is_on_picture[three.base, three.right])
    across = _apart_px(corners[three.base, three.left], corners[three.base, three.right])
    three = three.picked(across >= LEAST_SIDE * max(width, height))
    starts = np.rint(np.nan_to_num(places) + tracks.reach).astype(np.intp)
    ends = _ends(tracks)
    found = [_fourth_sides(tracks, starts, ends, three, towards, (width, height)) for towards in (1, -1)]
    lines, plain = (np.concatenate(values) for values in zip(*found, strict=True))
    return _best_apart(lines, plain)


def _threes(lines: Numbers) -> _Three:
    """Return all that may be three sides of one sheet, each with its left and its right side, and the other way."""
    apart = apart_deg(lines[:, None, 0], lines[None, :, 0])
    left, right = np.nonzero((apart <= OPPOSITE_DEG) & ~np.eye(len(lines), dtype=bool))
    crosses = apart >= CROSSING_DEG
    pair, base = np.nonzero(crosses[left] & crosses[right])
    return _Three(base, left[pair], right[pair])


def _fourth_sides(
    tracks: Tracks, starts: Index, ends: tuple[Index, Index], three: _Three, towards: int, size: tuple[int, int]
) -> tuple[Numbers, Numbers]:
    """Return fourth sides of sheets, (n, 2), that begin where the right ones end, and how plain the three are, (n,).

    Args:
        tracks: of the lines.
        starts: (lines, lines): the place on each line where another one crosses it.
        ends: as `_ends` says.
        three: sides of the sheets.
        towards: 1 or -1: to which side of its base a sheet lies, along the normal or against it.
        size: of the picture, width and height in px.
    """
    left, right = (_runs(tracks, starts, ends, three.base, side, towards) for side in (three.left, three.right))
    long = np.minimum(left.length_px, right.length_px) >= LEAST_SIDE * max(size)
    three, left, right = three.picked(long), left.picked(long), right.picked(long)
    left_end, right_end = (_places(tracks, run.line, run.end) for run in (left, right))
    fourth = _in_perspective(tracks.lines, three, right_end, FOCAL * max(size))
    corner = _meeting(fourth, _homogeneous(tracks.lines)[three.left])
    length = _apart_px(corner, right_end)
    base = _Run(three.base, starts[three.base, three.left], starts[three.base, three.right])
    proportion = length / np.maximum(base.length_px, 1)
    middle = (np.array(size) - 1) / 2
    is_beyond, runs_out = (_depth_px(places + middle, *size) < WITHIN_PX for places in (corner, left_end))
    ends_there = _apart_px(corner, left_end) < NEAR_SHARE * length
    fits = ((is_beyond & runs_out) | ends_there) & (proportion > PROPORTIONS[0]) & (proportion < PROPORTIONS[1])
    sides = (base, left, right)
    beyond = (base.before, base.turned.before, left.before, right.before)
    plain = sum(_shares(tracks, side) for side in sides) - BEYOND_WEIGHT * sum(_shares(tracks, run) for run in beyond)
    plain = plain + np.sqrt(base.length_px * right.length_px) / max(size)
    return _as_lines(fourth[fits]), plain[fits]


def _runs(tracks: Tracks, starts: Index, ends: tuple[Index, Index], base: Index, side: Index, towards: int) -> _Run:
    """Return the edges that run from bases along sides, to one side of the bases."""
    normal, along = directions(tracks.lines)
    is_onward = (along[side] * normal[base]).sum(axis=1) * towards > 0
    start = np.clip(starts[side, base], 0, ends[0].shape[1] - 1)
    return _Run(side, start, np.where(is_onward, ends[0][side, start], ends[1][side, start]))


def _ends(tracks: Tracks) -> tuple[Index, Index]:
    """Return where the edge along each line ends, from each place of it: onward, and back; (lines, places) each."""
    edge, seen = (np.diff(sums, axis=1) for sums in (tracks.edge, tracks.seen))
    back = _onward_ends(edge[:, ::-1], seen[:, ::-1])
    return _onward_ends(edge, seen), np.asarray(edge.shape[1] - 1 - back[:, ::-1])


def _onward_ends(edge: Numbers, seen: Numbers) -> Index:
    count = edge.shape[1]
    at = np.arange(count)
    ahead = np.minimum(at + WINDOW_PX, count)
    edges, seens = (np.pad(np.cumsum(values, axis=1), ((0, 0), (1, 0))) for values in (edge, seen))
    on_picture = seens[:, ahead] - seens[:, at]
    has_ended = (edges[:, ahead] - edges[:, at] < GOES_ON * on_picture) | (on_picture < 1)
    ended_at = np.where(has_ended, at, count - 1)
    return np.asarray(np.minimum.accumulate(ended_at[:, ::-1], axis=1)[:, ::-1])


def _in_perspective(lines: Numbers, three: _Three, begin: Numbers, focal_px: float) -> Numbers:
    """Return the lines through places that run on the table as the bases do, at right angles to the two other sides.

    Their directions are vanishing points: v1' W v2 = 0 with W = diag(1, 1, focal length squared) (R. Hartley,
    A. Zisserman, "Multiple View Geometry in Computer Vision", 2004, 8.6).

    Args:
        lines: that were found.
        three: the sides.
        begin: (n, 2): the places, in px from the middle of the picture.
        focal_px: the focal length of the camera.

    Returns:
        (n, 3): homogeneous, with normals of length 1.
    """
    sides = _homogeneous(lines)
    vanishing = np.cross(sides[three.left], sides[three.right])
    of_base = np.cross(sides[three.base], vanishing * [1, 1, focal_px**2])
    through = np.cross(np.column_stack([begin, np.ones(len(begin))]), of_base)
    return np.asarray(through / np.maximum(np.linalg.norm(through[:, :2], axis=1, keepdims=True), 1e-9))


def _homogeneous(lines: Numbers) -> Numbers:
    normal, _ = directions(lines)
    return np.column_stack([normal, -lines[:, 1]])


def _as_lines(homogeneous: Numbers) -> Numbers:
    """Return lines (n, 3) as an angle of the normal, 0 to pi, and a distance along it, (n, 2)."""
    a, b, c = np.where(homogeneous[:, 1:2] < 0, -homogeneous, homogeneous).T
    return np.column_stack([np.arctan2(b, a), -c])


def _meeting(one: Numbers, other: Numbers) -> Numbers:
    """Return where lines (n, 3) meet, (n, 2), in px from the middle of the picture; far off where nowhere."""
    x, y, scale = np.cross(one, other).T
    scale = np.where(np.abs(scale) < 1e-9, 1e-9, scale)
    return np.column_stack([x / scale, y / scale])


def _places(tracks: Tracks, line: Index, at: Index) -> Numbers:
    """Return places of lines, (n, 2), in px from the middle of the picture."""
    normal, along = directions(tracks.lines[line])
    return np.asarray(normal * tracks.lines[line, 1:2] + (at - tracks.reach)[:, None] * along)


def _shares(tracks: Tracks, run: _Run) -> Numbers:
    """Return along how much of each run there is an edge, (n,)."""
    most = tracks.edge.shape[1] - 1
    start, end = (np.clip(place, 0, most) for place in (run.start, run.end))
    edge, seen = (np.abs(sums[run.line, end] - sums[run.line, start]) for sums in (tracks.edge, tracks.seen))
    return np.asarray(edge / np.maximum(seen, 1))


def _depth_px(places: Numbers, width: int, height: int) -> Numbers:
    """Return how far within the picture places (..., 2) are; less than 0 outside of it."""
    return np.asarray(np.minimum(places, np.array([width - 1, height - 1]) - places).min(axis=-1))


def _apart_px(one: Numbers, other: Numbers) -> Numbers:
    return np.asarray(np.linalg.norm(one - other, axis=-1))


def _best_apart(lines: Numbers, plain: Numbers) -> Numbers:
    """Return the lines whose other three sides are plainest, each once."""
    found: list[Numbers] = []
    for line in lines[np.argsort(-plain, kind="stable")[:MOST_COMPARED]]:
        if len(found) < MOST and not any(_is_same(line, other) for other in found):
            found.append(line)
    return np.array(found).reshape(-1, 2)


def _is_same(line: Numbers, other: Numbers) -> bool:
    is_mirrored = abs(line[0] - other[0]) > np.pi / 2
    off_px = abs(line[1] + other[1] if is_mirrored else line[1] - other[1])
    return bool(apart_deg(line[0], other[0]) < SAME_DEG and off_px < SAME_PX)
