"""Clearing areas of a page, as if nothing had been there: they are filled with the colour of the paper around them."""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.papers_beside import PaperEdge, papers_beside
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, checked, written_to

CELL_MM = 0.5
AROUND_MM = 14.0  # how far around what is cleared the paper is looked at
SOFT_MM = 0.5  # what is cleared may shade the paper this far beyond it
PRINT_MM = 7.0  # whatever is narrower than this is not paper
LEAST_LEVELS = 3  # below the brightest nearby, from which on a cell counts as paper
NOISE_SHARE = 2.5  # the same, of how much the cells of a page differ from their neighbours
LITTLE = np.float32(0.03)  # weight of what is known from farther away
SUBPIXELS = 4  # bits of the coordinates' fraction
NARROW_MM = 1.7  # what is no wider is bridged: print that runs across it is carried on
BESIDE_MM = 0.2


Box = tuple[slice, slice]
"""Rows and columns, in px."""


class Areas(NamedTuple):
    """What is cleared on a page. Each area is a convex outline, (n, 2) `(x_mm, y_mm)` on the page as it is seen."""

    wiped: Sequence[NDArray[np.float64]] = ()
    kept: Sequence[NDArray[np.float64]] = ()
    """All outside of these is cleared; nothing is where there are none."""


def cleared(shape: tuple[int, ...], areas: Areas, dpi: float) -> NDArray[np.bool_]:
    """Return (h, w): what is cleared of a page of that shape. Pixels that are touched count as inside an area."""
    mask = np.zeros(shape[:2], np.uint8)
    if areas.kept:
        mask[:] = 1
        for corners in areas.kept:
            cv2.fillConvexPoly(mask, _outline(corners, dpi), (0,), shift=SUBPIXELS)
    for corners in areas.wiped:
        cv2.fillConvexPoly(mask, _outline(corners, dpi), (1,), shift=SUBPIXELS)
    return mask.view(np.bool_)


def _outline(corners: NDArray[np.float64], dpi: float) -> NDArray[np.int32]:
    limit = 2.0**24  # far outside of any page, and within what the filling counts
    px = np.clip(mm_to_px(1.0, dpi) * corners - 0.5, -limit, limit)
    return np.asarray(np.rint(px * 2**SUBPIXELS), np.int32)


def clear(page: Pixels, areas: Areas, dpi: float, out: Pixels | None = None) -> Pixels:
    """Return a page with areas filled with the colour that the paper around each has.

    A narrow strip, as a line of dust is, is bridged from side to side instead, so that print it crosses is carried on.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        areas: on it.
        dpi: its resolution.
        out: where the page is written, of the same shape; it may be `page` itself. None: a new picture.

    Returns:
        A picture of the same shape; the pixels outside the areas are the same. `page` itself where nothing is cleared.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(page, dpi)
    if not areas.wiped and not areas.kept:
        return page
    strips = [corners for corners in areas.wiped if _width_mm(corners) <= NARROW_MM]
    wide = Areas([corners for corners in areas.wiped if _width_mm(corners) > NARROW_MM], areas.kept)
    mask = cleared(whole.shape, wide, dpi)
    clean = written_to(whole, out)  # may be `whole`: what is cleared does not tell how the paper round it looks
    around = round(mm_to_px(AROUND_MM, dpi))
    for left, top, right, bottom in _boxes(mask, wide, dpi):
        part = slice(max(0, top - around), bottom + around), slice(max(0, left - around), right + around)
        box = slice(top - part[0].start, bottom - part[0].start), slice(left - part[1].start, right - part[1].start)
        paper = _paper_behind(whole[part], mask[part], dpi, box)
        cv2.copyTo(paper, mask[part][box].astype(np.uint8), clean[part][box])
    for corners in strips:
        _bridge(clean, corners, dpi)
    return clean


def _boxes(mask: NDArray[np.bool_], areas: Areas, dpi: float) -> list[tuple[int, int, int, int]]:
    """Return boxes that hold all that is cleared, in px: left, top, right, bottom; where possible small ones."""
    if areas.kept:
        _, _, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
        return [(left, top, left + width, top + height) for left, top, width, height, _ in stats[1:].tolist()]
    boxes = (_box_within(mask, _outline(corners, dpi) / 2**SUBPIXELS) for corners in areas.wiped)
    return [box for box in boxes if box is not None]


def _box_within(mask: NDArray[np.bool_], outline: NDArray[np.float64]) -> tuple[int, int, int, int] | None:
    """Return the box round what is cleared near an outline; None where nothing is."""
    size = mask.shape[::-1]
    left, top = np.floor(outline.min(axis=0)).clip(0, size).astype(int).tolist()
    right, bottom = (np.ceil(outline.max(axis=0)) + 1).clip(0, size).astype(int).tolist()
    part = mask[top:bottom, left:right]
    rows, cols = np.flatnonzero(part.any(axis=1)), np.flatnonzero(part.any(axis=0))
    if not len(rows):
        return None
    return left + int(cols[0]), top + int(rows[0]), left + int(cols[-1]) + 1, top + int(rows[-1]) + 1


def _across(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the unit vector that lies across the longer sides of a rectangle."""
    first, second = corners[1] - corners[0], corners[2] - corners[1]
    along = first if np.hypot(*first) >= np.hypot(*second) else second
    return np.array([-along[1], along[0]]) / max(float(np.hypot(*along)), 1e-9)


def _width_mm(corners: NDArray[np.float64]) -> float:
    """Return how far a rectangle reaches across its longer sides."""
    return float(np.ptp(corners @ _across(corners)))


def _bridge(page: Pixels, corners: NDArray[np.float64], dpi: float) -> None:
    """Fill a strip with what lies on both sides of it, the nearer side more."""
    mask = cleared(page.shape, Areas([corners]), dpi)
    rows, cols = np.nonzero(mask)
    if not len(rows):
        return
    normal = _across(corners)
    width = mm_to_px(_width_mm(corners), dpi)
    middle = corners.mean(axis=0) * mm_to_px(1.0, dpi) - 0.5
    off = (cols - middle[0]) * normal[0] + (rows - middle[1]) * normal[1]
    reach = width / 2 + max(1.0, mm_to_px(BESIDE_MM, dpi))
    beside = []
    for way in (-1, 1):
        step = way * reach - off
        beside.append(_between(page, rows + step * normal[1], cols + step * normal[0]))
    share = np.clip((off + reach) / (2 * reach), 0, 1)[:, None]
    filled = beside[0] * (1 - share) + beside[1] * share
    page[rows, cols] = np.rint(filled).clip(0, 255).astype(np.uint8).reshape(len(rows), *page.shape[2:])


def _between(page: Pixels, rows: NDArray[np.float64], cols: NDArray[np.float64]) -> NDArray[np.float32]:
    """Return the colour at places between pixels, (n, channels); beyond the page that of its edge.

    Not by OpenCV's remap, which takes no more than 32,767 places in a row and pixels on a side.
    """
    height, width = page.shape[:2]
    down, across = rows.clip(0, height - 1), cols.clip(0, width - 1)
    top, left = down.astype(np.intp), across.astype(np.intp)
    bottom, right = np.minimum(top + 1, height - 1), np.minimum(left + 1, width - 1)
    lower, farther = (down - top)[:, None], (across - left)[:, None]
    levels = page.reshape(height, width, -1)
    above = levels[top, left] * (1 - farther) + levels[top, right] * farther
    below = levels[bottom, left] * (1 - farther) + levels[bottom, right] * farther
    return np.asarray(above * (1 - lower) + below * lower, np.float32)


def _paper_behind(part: Pixels, inside: NDArray[np.bool_], dpi: float, box: Box) -> Pixels:
    """Return the colour of the paper in a box, as it is known from outside of what is cleared in a part of a page."""
    by = max(1, round(mm_to_px(CELL_MM, dpi)))
    size = -(-part.shape[1] // by), -(-part.shape[0] // by)
    whole = cv2.copyMakeBorder(
        part, 0, size[1] * by - part.shape[0], 0, size[0] * by - part.shape[1], cv2.BORDER_REPLICATE
    )
    cells = cv2.resize(whole, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1)
    reach = 2 * max(1, round(mm_to_px(SOFT_MM, dpi))) + 1
    soft = np.zeros(whole.shape[:2], np.uint8)
    soft[: part.shape[0], : part.shape[1]] = inside * np.uint8(255)
    soft = cv2.dilate(soft, np.ones((reach, reach), np.uint8))
    touched = cv2.resize(soft, size, interpolation=cv2.INTER_AREA) > 0
    known = _is_paper(np.asarray(cells, np.uint8), touched, max(3, round(PRINT_MM / CELL_MM)) | 1)
    levels = cells.astype(np.float32)
    papers = papers_beside(levels, known, touched)
    paper = _finer(_carried(levels, papers.near), by, box)
    if papers.edge and papers.far is not None:
        cv2.copyTo(_finer(_carried(levels, papers.far), by, box), _beyond(papers.edge, by, box), paper)
    return paper


def _finer(cells: NDArray[np.float32], by: int, box: Box) -> Pixels:
    """Return a box of cells, (h, w, channels), as pixels `by` times as fine; grey without channels."""
    near = [slice(max(0, side.start // by - 1), -(-side.stop // by) + 1) for side in box]  # a cell more on each side
    levels = np.ascontiguousarray(np.rint(cells[near[0], near[1]]).clip(0, 255).astype(np.uint8))
    fine = cv2.resize(levels, (levels.shape[1] * by, levels.shape[0] * by), interpolation=cv2.INTER_LINEAR)
    rows, cols = (slice(s.start - n.start * by, s.stop - n.start * by) for s, n in zip(box, near, strict=True))
    return np.ascontiguousarray(fine[rows, cols])


def _beyond(edge: PaperEdge, by: int, box: Box) -> Pixels:
    """Return (h, w), px: 1 where a box lies beyond the edge of a paper, which is told in cells of `by` px."""
    rows, cols = ((np.arange(side.start, side.stop) + 0.5) / by - 0.5 for side in box)
    return (edge.beyond(rows[:, None], cols[None, :]) > 0).astype(np.uint8)


def _is_paper(cells: Pixels, touched: NDArray[np.bool_], reach: int) -> NDArray[np.bool_]:
    """Return where cells, (h, w, channels), show bare paper that is not cleared."""
    if touched.all():
        light = cells.mean(axis=2)
        return np.asarray(light >= np.percentile(light, 60), np.bool_)
    box = np.ones((reach, reach), np.uint8)
    paper = ~touched
    for channel in cv2.split(cells):
        seen = np.where(touched, np.uint8(0), channel)
        brightest = cv2.dilate(seen, box)
        closed = cv2.erode(np.where(brightest == 0, np.uint8(255), brightest), box)
        below = cv2.subtract(closed, channel)
        usual = float(np.median(below[~touched]))
        paper &= below <= max(LEAST_LEVELS, NOISE_SHARE * usual)
    return paper if paper.any() else ~touched


def _carried(cells: NDArray[np.float32], known: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return cells, (h, w, channels), all of them filled from those that are known: near ones count for most.

    Sums and weights are halved in size until one cell is left, and brought back; what is known at a finer step goes
    before what is known from farther away (Gortler et al., The Lumigraph, SIGGRAPH 1996, section 3.4).
    """
    weights = [known.astype(np.float32)]
    sums = [cells * weights[0][..., None]]
    while max(weights[-1].shape) > 1:
        weights.append(np.asarray(cv2.pyrDown(weights[-1]), np.float32))
        sums.append(np.asarray(cv2.pyrDown(sums[-1]), np.float32).reshape(*weights[-1].shape, -1))
    filled = sums[-1] / np.maximum(weights[-1], 1e-6)[..., None]
    for total, weight in zip(sums[-2::-1], weights[-2::-1], strict=True):
        far = cv2.pyrUp(filled, dstsize=weight.shape[::-1]).reshape(*weight.shape, -1)
        filled = (total + LITTLE * far) / (weight + LITTLE)[..., None]
    return np.asarray(filled, np.float32)
