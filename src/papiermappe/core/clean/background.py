"""The paper itself: how bright, and of which colour, it is everywhere on a page, print left out."""

import math
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, checked, light_and_tint, lightest_channel, shrunk, to_grey

CELL_MM = 1.0
PRINT_MM = 9  # anything narrower than this, print above all, is not paper
PAPER_SHARE = 0.8  # paper has at least this share of the brightness of the page's brightest part...
PAPER_TINT_LEVELS = 14  # ...and is this close to its most frequent tint
ISLAND_CELLS = 600  # a smaller bright area, enclosed by a picture, is not paper
FILL_MM = 8.0
FAR_WEIGHT = np.float32(1e-3)
SMOOTH_MM = 2.0


class PaperCells(NamedTuple):
    """Bare paper and what covers it, in cells of about 1 mm."""

    colour: Pixels
    """(h, w) or (h, w, 3): the colour that bare paper has."""
    covered: NDArray[np.bool_]
    """(h, w): where something covers it for more than 9 mm: a picture, a dark area."""

    @property
    def grey(self) -> "PaperCells":
        """The same in grey."""
        return self._replace(colour=to_grey(self.colour))

    def sized(self, width: int, height: int) -> Pixels:
        """Return the colour of bare paper in a picture of the page of that size."""
        return np.asarray(cv2.resize(self.colour, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8)


def even_paper(level: int, channels: tuple[int, ...] = ()) -> PaperCells:
    """Return paper of one level all over, as one cell; `channels` is `(3,)` in colour.

    >>> even_paper(255, (3,)).sized(2, 1).tolist()
    [[[255, 255, 255], [255, 255, 255]]]
    """
    return PaperCells(np.full((1, 1, *channels), level, np.uint8), np.zeros((1, 1), np.bool_))


def paper_of(page: Pixels, dpi: float) -> Pixels:
    """Return the colour that bare paper has at each pixel, of the page's own shape.

    Where something covers the paper for more than 9 mm (a picture, a dark area), it is carried on from around it.

    Raises:
        PictureRefused: not a grey (h, w) or RGB (h, w, 3) uint8 picture.
    """
    return paper_cells(page, dpi).sized(*page.shape[1::-1])


def paper_cells(page: Pixels, dpi: float) -> PaperCells:
    """Return the colour of bare paper, and where it is covered, in cells of about 1 mm. Raises PictureRefused."""
    height, width = checked(page, dpi).shape[:2]
    cells = shrunk(page, max(1, min(round(mm_to_px(CELL_MM, dpi)), min(height, width))))
    closed = cv2.morphologyEx(cells, cv2.MORPH_CLOSE, np.ones((PRINT_MM, PRINT_MM), np.uint8))
    light = lightest_channel(np.asarray(closed, np.uint8))
    bright = light >= PAPER_SHARE * np.percentile(light, 90)
    is_paper = _without_islands(bright & _of_one_tint(np.asarray(closed, np.uint8), bright))
    carried = _carried(np.asarray(closed, np.uint8), is_paper)
    return PaperCells(cv2.GaussianBlur(carried, (0, 0), SMOOTH_MM).clip(0, 255).astype(np.uint8), ~is_paper)


def _of_one_tint(cells: Pixels, bright: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return where cells have the tint that most of the bright ones have: the stroke of a marker has not."""
    if cells.ndim == 2:
        return np.ones(cells.shape, np.bool_)
    _, away = light_and_tint(np.asarray(cv2.subtract(cells, _usual(cells, bright), dtype=cv2.CV_32F), np.float32))
    return np.asarray(away <= PAPER_TINT_LEVELS, np.bool_)


def _usual(cells: Pixels, some: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Return the median of each channel of some cells, four numbers as OpenCV takes them; every fourth cell will do."""
    chosen = cells.reshape(some.size, -1)[np.flatnonzero(some)[::4]]
    medians = np.zeros(4)
    for channel in range(chosen.shape[1]):
        up_to = np.bincount(chosen[:, channel], minlength=256).cumsum()  # quicker than sorting: there are 256 levels
        middles = np.searchsorted(up_to, ((len(chosen) - 1) // 2, len(chosen) // 2), side="right")
        medians[channel] = middles.mean()
    return medians


def _without_islands(is_paper: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return where paper is, small bright parts of a picture left out."""
    if is_paper.all():
        return is_paper
    count, labels, stats, _ = cv2.connectedComponentsWithStats(is_paper.astype(np.uint8), connectivity=4)
    if count <= 2:
        return is_paper
    large = stats[:, cv2.CC_STAT_AREA] >= min(ISLAND_CELLS, int(stats[1:, cv2.CC_STAT_AREA].max()))
    large[0] = False
    return np.asarray(large[labels], np.bool_)


def _carried(levels: Pixels, is_paper: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return the cells, those that are not paper filled with the mean of the paper around them, or of all of it."""
    cells = levels.astype(np.float32)
    if is_paper.all() or not is_paper.any():
        return cells
    everywhere = _usual(levels, is_paper)[: math.prod(cells.shape[2:])].astype(np.float32)
    own = is_paper.astype(np.float32)
    near = cv2.GaussianBlur(own, (0, 0), FILL_MM) + FAR_WEIGHT
    if cells.ndim == 3:
        own, near = own[..., None], near[..., None]
    filled = (cv2.GaussianBlur(cells * own, (0, 0), FILL_MM).reshape(cells.shape) + FAR_WEIGHT * everywhere) / near
    return np.where(own > 0, cells, filled)
