"""What on one page might be a hole, a staple or a fold. Alone it is a guess; what recurs on other pages tells."""

from enum import StrEnum
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.folds import folds
from papiermappe.core.clean.view import View
from papiermappe.core.compiled import compiled
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels

EDGE_MM = 24.0  # holes and staples lie no farther from an edge
HOLE_RADII_MM = (2.25, 2.5, 2.75, 3.0, 3.25, 3.5, 4.0)
LEAST_STEP = 0.8  # grey levels a pixel: the lid seen through a hole is nearly as white as the paper
EDGE_NOISE = 2.5  # times the usual gradient
LEAST_VOTES = 0.4  # of the pixels of a circle
OUTERMOST = 0.55  # of the votes for the best radius, that one farther out has at least
DIRECTIONS = 24
ROUND = 0.6  # of the directions
FACING = 0.9
MAX_HOLES = 60
STAPLE_MM = (5.0, 17.0)
STAPLE_WIDE_MM = 2.4
STAPLE_SLIM = 3.0  # it is at least so many times longer than wide
STAPLE_LEVELS = 16
JOIN_MM = 0.9  # a bright wire has two dark sides
ALONE_MM = 2.2
CORNER_MM = 32.0


class MarkKind(StrEnum):
    """What a mark might be."""

    HOLE = "hole"
    STAPLE = "staple"
    FOLD = "fold"


class Mark(NamedTuple):
    """Something on a page, in mm from its top left."""

    kind: MarkKind
    x_mm: float
    y_mm: float
    """Its middle."""
    width_mm: float
    height_mm: float
    """Of the upright box round it."""
    angle_deg: float = 0.0
    """Of a staple, counter-clockwise, -90 to 90."""


def marks_of(grey: Pixels, darker: Pixels, dpi: float) -> list[Mark]:
    """Return what might be a hole, a staple or a fold.

    Args:
        grey: a page, (h, w), at about 100 dpi.
        darker: how much darker than its paper each pixel is.
        dpi: its resolution.
    """
    return [*_holes(grey, dpi), *_staples(darker, dpi), *_folds(grey, dpi)]


# ---- holes: circles of one size near an edge


class _Edges(NamedTuple):
    """Pixels at which something begins or ends, row by row, and the unit vectors in which it becomes lighter."""

    rows: NDArray[np.float32]
    cols: NDArray[np.float32]
    down: NDArray[np.float32]
    across: NDArray[np.float32]

    def within(self, block: "_Block") -> "_Edges":
        """Return those that lie in a block."""
        is_near = (self.rows >= block.top) & (self.rows < block.bottom)
        is_near &= (self.cols >= block.left) & (self.cols < block.right)
        return _Edges(*(values[is_near] for values in self))


class _Peak(NamedTuple):
    """A place for whose being the middle of a circle most edges vote around."""

    votes: float
    row: int
    col: int
    radius_mm: float


def _holes(grey: Pixels, dpi: float) -> list[Mark]:
    """Find circles by the votes of their edges for their middles.

    Each edge pixel votes along its gradient at the distance of each radius (Kimme, Ballard, Sklansky, Finding Circles
    by an Array of Accumulators, CACM 18, 1975), both ways: a hole may be darker or lighter than the paper.
    """
    edges = _edges_near_rim(grey, dpi)
    if not len(edges.rows):
        return []
    peaks = [peak for block in _along_rim(grey.shape, dpi) for peak in _peaks_in(block, edges, grey.shape, dpi)]
    return [
        Mark(MarkKind.HOLE, px_to_mm(col + 0.5, dpi), px_to_mm(row + 0.5, dpi), 2 * radius_mm, 2 * radius_mm)
        for _, row, col, radius_mm in sorted(peaks, reverse=True)[:MAX_HOLES]
        if _roundness(edges, row, col, mm_to_px(radius_mm, dpi)) >= ROUND
    ]


class _Block(NamedTuple):
    """A part of a page, in px."""

    top: int
    bottom: int
    left: int
    right: int

    def wider(self, by: int, shape: tuple[int, ...]) -> "_Block":
        height, width = shape
        top, left = max(0, self.top - by), max(0, self.left - by)
        return _Block(top, min(height, self.bottom + by), left, min(width, self.right + by))


def _along_rim(shape: tuple[int, ...], dpi: float) -> list[_Block]:
    """Return four parts that hold the middles of all circles whose edges lie near the rim; one where it is all rim."""
    height, width = shape
    reach = round(mm_to_px(EDGE_MM + max(HOLE_RADII_MM), dpi)) + 1
    if min(height, width) <= 2 * reach:
        return [_Block(0, height, 0, width)]
    inner = reach, height - reach
    return [
        _Block(0, reach, 0, width),
        _Block(height - reach, height, 0, width),
        _Block(*inner, 0, reach),
        _Block(*inner, width - reach, width),
    ]


def _peaks_in(block: _Block, edges: _Edges, shape: tuple[int, ...], dpi: float) -> list[_Peak]:
    """Return where in a block most of a circle votes for its middle."""
    reach = round(mm_to_px(min(HOLE_RADII_MM), dpi))
    seen = block.wider(reach + 1, shape)  # what votes for places around, and these themselves, must be known
    near = edges.within(seen.wider(round(mm_to_px(max(HOLE_RADII_MM), dpi)) + 1, shape))
    covered = np.empty((len(HOLE_RADII_MM), seen.bottom - seen.top, seen.right - seen.left), np.float32)
    for of_radius, radius_mm in zip(covered, HOLE_RADII_MM, strict=True):
        radius = mm_to_px(radius_mm, dpi)
        votes = cv2.max(*(_votes(near, way * radius, seen) for way in (1, -1)))
        np.divide(votes, np.float32(2 * np.pi * radius), out=of_radius)
    best, size = np.empty(covered.shape[1:], np.float32), np.empty(covered.shape[1:], np.float32)
    _best_of(covered, np.array(HOLE_RADII_MM, np.float32), OUTERMOST, best, size)
    highest = cv2.dilate(best, np.ones((2 * reach + 1, 2 * reach + 1), np.uint8))
    rows, cols = np.nonzero((best >= LEAST_VOTES) & (best == highest))
    found = zip(best[rows, cols], rows + seen.top, cols + seen.left, size[rows, cols], strict=True)
    return [
        _Peak(float(votes), int(row), int(col), float(radius_mm))
        for votes, row, col, radius_mm in found
        if block.top <= row < block.bottom and block.left <= col < block.right
    ]


def _edges_near_rim(grey: Pixels, dpi: float) -> _Edges:
    soft = cv2.GaussianBlur(grey, (0, 0), max(0.6, mm_to_px(0.22, dpi))).astype(np.float32)
    across, down = (cv2.Sobel(soft, cv2.CV_32F, *order, scale=1 / 8) for order in ((1, 0), (0, 1)))
    strength = cv2.magnitude(across, down)
    rim = np.ones(grey.shape, np.bool_)
    reach = round(mm_to_px(EDGE_MM, dpi))
    rim[reach:-reach, reach:-reach] = False
    edge = 2  # the outermost pixels are those of the paper's own edge
    rim[:edge] = rim[-edge:] = rim[:, :edge] = rim[:, -edge:] = False
    usual = float(np.median(strength[rim])) if rim.any() else 0.0
    rows, cols = np.nonzero(rim & (strength >= max(LEAST_STEP, EDGE_NOISE * usual)))
    length = strength[rows, cols]
    unit = (down[rows, cols] / length).astype(np.float32), (across[rows, cols] / length).astype(np.float32)
    return _Edges(rows.astype(np.float32), cols.astype(np.float32), *unit)


def _votes(edges: _Edges, at: float, seen: _Block) -> NDArray[np.float32]:
    """Return how many votes fall to each place and its neighbours; each edge votes at a distance along its gradient."""
    votes = np.zeros((seen.bottom - seen.top, seen.right - seen.left), np.float32)
    _vote(edges.rows, edges.cols, edges.down, edges.across, at, seen.top, seen.left, votes)
    return np.asarray(cv2.boxFilter(votes, -1, (3, 3), normalize=False), np.float32)


@compiled("void(f4[::1], f4[::1], f4[::1], f4[::1], f8, i8, i8, f4[:, ::1])")
def _vote(
    rows: NDArray[np.float32],
    cols: NDArray[np.float32],
    down: NDArray[np.float32],
    across: NDArray[np.float32],
    at: float,
    top: int,
    left: int,
    votes: NDArray[np.float32],
) -> None:
    """Add a vote of each edge at the place that lies `at` px along its gradient, where that is seen."""
    height, width = votes.shape
    for edge in range(len(rows)):
        row = int(np.rint(rows[edge] + at * down[edge])) - top
        col = int(np.rint(cols[edge] + at * across[edge])) - left
        if 0 <= row < height and 0 <= col < width:
            votes[row, col] += 1


@compiled("void(f4[:, :, ::1], f4[::1], f8, f4[:, ::1], f4[:, ::1])")
def _best_of(
    covered: NDArray[np.float32],
    radii_mm: NDArray[np.float32],
    outermost: float,
    best: NDArray[np.float32],
    size: NDArray[np.float32],
) -> None:
    """Set the most votes of each place, and the largest radius that has nearly as many: the outer rim is meant."""
    count, height, width = covered.shape
    for row in range(height):
        for col in range(width):
            most = np.float32(0.0)
            for at in range(count):
                most = max(most, covered[at, row, col])
            best[row, col] = most
            size[row, col] = radii_mm[0]
            for at in range(count):
                if covered[at, row, col] >= outermost * most:
                    size[row, col] = radii_mm[at]


def _roundness(edges: _Edges, row: int, col: int, radius: float) -> float:
    """Return which share of a circle's directions have an edge there that faces its middle or away from it."""
    reach = radius + max(1.5, 0.14 * radius)
    part = slice(*np.searchsorted(edges.rows, [row - reach, row + reach + 1]))  # they are ordered by their rows
    down, across = edges.rows[part] - row, edges.cols[part] - col
    away = np.hypot(down, across)
    near = np.abs(away - radius) <= reach - radius
    facing = np.abs(down * edges.down[part] + across * edges.across[part]) >= FACING * away
    angles = np.arctan2(down[near & facing], across[near & facing])
    directions = np.unique(((angles + np.pi) / (2 * np.pi) * DIRECTIONS).astype(int) % DIRECTIONS)
    return len(directions) / DIRECTIONS


# ---- staples: short straight pieces that stand alone in a corner


def _staples(darker: Pixels, dpi: float) -> list[Mark]:
    corner = round(mm_to_px(CORNER_MM, dpi))
    height, width = darker.shape
    found = []
    for top in {0, max(0, height - corner)}:
        for left in {0, max(0, width - corner)}:
            part = darker[top : top + corner, left : left + corner]
            found += [
                mark._replace(x_mm=mark.x_mm + px_to_mm(left, dpi), y_mm=mark.y_mm + px_to_mm(top, dpi))
                for mark in _straight_pieces(part, dpi)
            ]
    return found


def _straight_pieces(part: Pixels, dpi: float) -> list[Mark]:
    dark = cv2.threshold(part, STAPLE_LEVELS, 1, cv2.THRESH_BINARY)[1]
    join = 2 * max(1, round(mm_to_px(JOIN_MM / 2, dpi))) + 1
    whole = cv2.morphologyEx(dark, cv2.MORPH_CLOSE, np.ones((join, join), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(whole, connectivity=8)
    low, high = (mm_to_px(mm, dpi) for mm in STAPLE_MM)
    alone = 2 * round(mm_to_px(ALONE_MM, dpi)) + 1
    found = []
    for number in range(1, count):
        width, height = int(stats[number][cv2.CC_STAT_WIDTH]), int(stats[number][cv2.CC_STAT_HEIGHT])
        if not low * 0.6 <= max(width, height) <= high:
            continue
        rows, cols = np.nonzero(labels == number)
        (x, y), sides, turn = cv2.minAreaRect(np.column_stack([cols, rows]).astype(np.float32))
        long, short = max(sides) + 1, min(sides) + 1
        if not low <= long <= high or short > mm_to_px(STAPLE_WIDE_MM, dpi) or long < STAPLE_SLIM * short:
            continue
        around = cv2.dilate((labels == number).astype(np.uint8), np.ones((alone, alone), np.uint8)) > 0
        if (around & (labels != number) & (labels != 0)).sum() > mm_to_px(1, dpi) ** 2 * 0.3:
            continue
        angle = -turn if sides[0] >= sides[1] else 90 - turn
        found.append(
            Mark(
                MarkKind.STAPLE,
                px_to_mm(x + 0.5, dpi),
                px_to_mm(y + 0.5, dpi),
                px_to_mm(width, dpi),
                px_to_mm(height, dpi),
                (angle + 90) % 180 - 90,
            )
        )
    return found


def _folds(grey: Pixels, dpi: float) -> list[Mark]:
    return [
        Mark(
            MarkKind.FOLD,
            finding.zone.x_mm + finding.zone.width_mm / 2,
            finding.zone.y_mm + finding.zone.height_mm / 2,
            finding.zone.width_mm,
            finding.zone.height_mm,
        )
        for finding in folds(View(grey, dpi))
        if finding.zone is not None
    ]
