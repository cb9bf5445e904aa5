"""Whether two looks at a sheet show the same side of it, wherever it lay and whichever way up."""

from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.picture import Pixels

SIZE = 400  # the longer side of a look in px
TILE = 28
SLACK = 7  # so many px the print may be off, as corners are not exact
FINE_PX, COARSE_PX = 2.0, 9.0  # what is compared is print, neither its edges, which are never the same, nor light
INKED, EMPTY = 3.0, 1.0  # levels: standard deviation of a tile with print on it, and of one without
ALIKE = 0.85
MOST_OTHER = 2  # so many tiles may differ, as under a glare
MOST_ASPECT_OFF = 1.12


def looked_at(flat: Pixels) -> Pixels:
    """Return what is kept of a sheet that was made flat, grey (h, w), to be compared with others."""
    grey = flat if flat.ndim == 2 else np.asarray(cv2.cvtColor(flat, cv2.COLOR_RGB2GRAY), np.uint8)
    scale = SIZE / max(grey.shape)
    size = max(TILE, round(grey.shape[1] * scale)), max(TILE, round(grey.shape[0] * scale))
    return np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), np.uint8)


def is_same_side(first: Pixels, second: Pixels) -> bool:
    """Return whether two looks show the same side of a sheet. Two blank ones are alike: nobody can tell them apart.

    Args:
        first: as `looked_at` returns it.
        second: another one.
    """
    return any(_alike(first, turned) for turned in _ways(second, first.shape))


def _ways(look: Pixels, shape: tuple[int, ...]) -> Iterator[Pixels]:
    """Yield a look in the ways that it can lie to have a shape, resized to it; none where it has other proportions."""
    for quarters in range(4):
        turned = np.rot90(look, quarters)
        off = (turned.shape[0] / turned.shape[1]) / (shape[0] / shape[1])
        if 1 / MOST_ASPECT_OFF < off < MOST_ASPECT_OFF:
            yield np.asarray(cv2.resize(turned, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR), np.uint8)


def _alike(first: Pixels, second: Pixels) -> bool:
    one, other = _print_of(first), _print_of(second)
    height, width = one.shape
    differ = 0
    for top in range(SLACK, height - TILE - SLACK + 1, TILE):
        for left in range(SLACK, width - TILE - SLACK + 1, TILE):
            tile = one[top : top + TILE, left : left + TILE]
            around = other[top - SLACK : top + TILE + SLACK, left - SLACK : left + TILE + SLACK]
            less, more = sorted((tile.std(), around[SLACK:-SLACK, SLACK:-SLACK].std()))
            if more >= INKED:
                is_like = less > EMPTY and cv2.matchTemplate(around, tile, cv2.TM_CCOEFF_NORMED).max() >= ALIKE
                differ += not is_like
    return differ <= MOST_OTHER


def _print_of(look: Pixels) -> NDArray[np.float32]:
    """Return how a look differs from the paper and the light on it."""
    levels = cv2.GaussianBlur(look.astype(np.float32), (0, 0), FINE_PX)
    return np.asarray(levels - cv2.GaussianBlur(levels, (0, 0), COARSE_PX), np.float32)
