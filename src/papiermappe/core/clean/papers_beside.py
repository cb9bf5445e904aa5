"""Which paper lies beside an area that is cleared: one, or two that meet in a straight edge which runs through it."""

from functools import reduce
from typing import NamedTuple, Self

import cv2
import numpy as np
from numpy.typing import NDArray

RIM_CELLS = 6  # so far around an area it is looked what the paper beside it looks like
LEAST_CELLS = 12
USUAL_PERCENT = 60
TINT_LEVELS, DARKER_LEVELS, LIGHTER_LEVELS = 6, 24, 14
MIXED_CELLS = 7  # so many cells in a row may show both papers, or the shade where they meet, or lie beside such
LEAST_CROSSINGS = 6
OFF_CELLS = 0.8  # a crossing of the edge may lie so far from the line through all of them
LEAST_ON_LINE = 0.8
LEAST_ON_SIDE = 0.97

Mask = NDArray[np.bool_]
Cells = NDArray[np.float32]


class PaperEdge(NamedTuple):
    """A straight edge: places lie `down * row + across * col - offset` beyond it, in cells, told of their middles."""

    down: float
    across: float
    offset: float

    def beyond(self, rows: NDArray[np.float64], cols: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return how far places lie beyond the edge, in cells; negative is on this side.

        >>> PaperEdge(1.0, 0.0, 4.0).beyond(np.array([3.0, 6.0]), np.array([0.0, 0.0])).tolist()
        [-1.0, 2.0]
        """
        return np.asarray(rows * self.down + cols * self.across - self.offset, np.float64)


class PapersBeside(NamedTuple):
    """The cells from which the paper in an area is known."""

    near: Mask
    """(h, w): the paper that most of the rim shows; on this side of the edge where there is one."""
    edge: PaperEdge | None = None
    far: Mask | None = None
    """(h, w): the paper beyond the edge."""


class _Tone(NamedTuple):
    """How light a paper is, in levels, and how far each of its channels is from that."""

    light: float
    tint: tuple[float, ...]

    @classmethod
    def of(cls, look: "_Look", sample: Mask, light_percent: float) -> Self:
        tint = tuple(float(np.median(channel[sample])) for channel in look.tints)
        return cls(float(np.percentile(look.light[sample], light_percent)), tint)

    def unlike(self, look: "_Look") -> Mask:
        """Return the cells that are too dark, too light, or of another tint."""
        lighter = look.light - self.light
        unlike = (lighter < -DARKER_LEVELS) | (lighter > LIGHTER_LEVELS)
        for channel, own in zip(look.tints, self.tint, strict=True):
            unlike |= np.abs(channel - own) > TINT_LEVELS
        return np.asarray(unlike, np.bool_)


class _Look(NamedTuple):
    light: Cells
    tints: list[Cells]

    @classmethod
    def of(cls, cells: Cells) -> Self:
        channels = cv2.split(cells)
        light = np.asarray(reduce(cv2.add, channels), np.float32) / np.float32(len(channels))
        return cls(light, [np.asarray(one - light, np.float32) for one in channels] if len(channels) > 1 else [])


def papers_beside(cells: Cells, known: Mask, touched: Mask) -> PapersBeside:
    """Return from which cells the paper in an area is known.

    A picture, or a band of another tint, may lie near the area without lying in it, and is left out then. Where two
    papers meet in a straight edge that can be followed beside the area, both are told.

    Args:
        cells: (h, w, channels), levels.
        known: (h, w), those of them that show bare paper.
        touched: (h, w), those in the area, or so close to it that what is cleared may shade them.

    Returns:
        Masks (h, w) of known cells; all of them where hardly any is known beside the area.

    >>> cells = np.full((20, 30, 1), 240, np.float32)
    >>> cells[:, 15:] = 200
    >>> touched = np.zeros((20, 30), np.bool_)
    >>> touched[8:12, 12:18] = True
    >>> papers = papers_beside(cells, ~touched, touched)
    >>> papers.edge is not None and round(abs(papers.edge.offset), 1)
    14.5
    """
    beside = known & _grown(touched, RIM_CELLS)
    if np.count_nonzero(beside) < LEAST_CELLS:
        return PapersBeside(known)
    look = _Look.of(cells)
    other = _Tone.of(look, _larger_group(cells, look, beside), USUAL_PERCENT).unlike(look) & known
    like = known & ~_grown(other, 1)  # its neighbours are of both
    if not like.any():
        return PapersBeside(known)
    if np.count_nonzero(other & beside) < LEAST_CELLS:
        return PapersBeside(like)
    far = known & ~_grown(_Tone.of(look, other & beside, 50).unlike(look) & known, 1)
    rim = ~touched & _grown(touched, RIM_CELLS)
    edge = _edge_between(cells, like & rim, far & rim, touched)
    return PapersBeside(like) if edge is None else PapersBeside(like, edge, far)


def _larger_group(cells: Cells, look: _Look, beside: Mask) -> Mask:
    """Return (h, w): the larger of two groups of colours beside an area; all that is beside it where they are alike."""
    colours = cells[beside]
    from_mean = colours - colours.mean(axis=0)
    along = from_mean @ np.linalg.eigh(from_mean.T @ from_mean)[1][:, -1]
    scaled = 255 * (along - along.min()) / max(float(np.ptp(along)), 1e-6)
    upper = cv2.threshold(scaled.astype(np.uint8), 0, 1, cv2.THRESH_BINARY | cv2.THRESH_OTSU)[1].ravel() > 0
    larger, smaller = beside.copy(), beside.copy()
    is_larger = upper if 2 * np.count_nonzero(upper) >= len(upper) else ~upper
    larger[beside], smaller[beside] = is_larger, ~is_larger
    if not smaller.any():
        return beside
    apart = _Tone.of(look, larger, USUAL_PERCENT).unlike(look)[smaller]
    return larger if apart.mean() > 0.5 else beside


def _grown(mask: Mask, by: int) -> Mask:
    side = 2 * by + 1
    return np.asarray(cv2.dilate(mask.astype(np.uint8), np.ones((side, side), np.uint8)), np.bool_)


def _edge_between(cells: Cells, near: Mask, far: Mask, touched: Mask) -> PaperEdge | None:
    """Return the straight edge between cells of two papers; None where there is none that tells them apart."""
    if near.sum() < LEAST_CELLS or far.sum() < LEAST_CELLS:
        return None
    share = _share_of_far(cells, near, far)
    label = far.astype(np.int8) - near.astype(np.int8)
    across = _crossings(label, share, touched)
    down = _crossings(label.T, share.T, touched.T)[:, ::-1]
    line = _line_through(np.concatenate([across, down]))
    if line is None:
        return None
    near_beyond, far_beyond = (line.beyond(*np.argwhere(mask).T.astype(np.float64)) for mask in (near, far))
    if np.median(far_beyond) < np.median(near_beyond):
        line = PaperEdge(-line.down, -line.across, -line.offset)
        near_beyond, far_beyond = -near_beyond, -far_beyond
    if min(float((near_beyond < 0).mean()), float((far_beyond > 0).mean())) < LEAST_ON_SIDE:
        return None
    return line


def _share_of_far(cells: Cells, near: Mask, far: Mask) -> NDArray[np.float64]:
    """Return (h, w): how much of each cell the far paper covers, as its colour lies between those of both."""
    near_level, far_level = cells[near].mean(axis=0), cells[far].mean(axis=0)
    way = far_level - near_level
    return np.asarray(((cells - near_level) @ way / max(float(way @ way), 1e-6)).clip(0, 1), np.float64)


def _crossings(label: NDArray[np.int8], share: NDArray[np.float64], touched: Mask) -> NDArray[np.float64]:
    """Return (n, 2): where columns pass from one paper to the other, `(row, col)`.

    Args:
        label: (h, w), 1 is the far paper, -1 the near one, 0 neither.
        share: (h, w), how much of a cell the far paper covers.
        touched: (h, w), cells that tell nothing.
    """
    found = []
    for between in range(MIXED_CELLS + 1):
        step = between + 1
        upper, lower = label[:-step], label[step:]
        meet = upper * lower == -1
        covered = np.zeros(upper.shape)
        for one in range(1, step):
            inside = slice(one, label.shape[0] - step + one)
            meet &= (label[inside] == 0) & ~touched[inside]
            covered += share[inside]
        rows, cols = np.nonzero(meet)
        far_above = upper[rows, cols] > 0
        within = np.where(far_above, covered[rows, cols], between - covered[rows, cols])
        found.append(np.stack([rows + 0.5 + within, cols], axis=1))
    return np.concatenate(found).astype(np.float64)


def _line_through(points: NDArray[np.float64]) -> PaperEdge | None:
    """Return the line through points (n, 2) by total least squares; None where they do not lie on one."""
    kept = points
    for _ in range(3):
        if len(kept) < LEAST_CROSSINGS:
            return None
        middle = np.median(kept, axis=0) if kept is points else kept.mean(axis=0)
        normal = np.linalg.svd(kept - middle, full_matrices=False)[2][-1]
        line = PaperEdge(float(normal[0]), float(normal[1]), float(normal @ middle))
        kept = points[np.abs(line.beyond(points[:, 0], points[:, 1])) <= OFF_CELLS]
    return line if len(kept) >= max(LEAST_CROSSINGS, LEAST_ON_LINE * len(points)) else None
