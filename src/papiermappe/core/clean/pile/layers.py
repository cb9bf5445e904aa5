"""The pile itself: leaves added up, its picture, and what each of its pages has of its own at a place."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.clearing import Areas, cleared
from papiermappe.core.clean.pile.leaf import PILE_DPI, Leaf, fitted, stretch
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels
from papiermappe.core.zones import Zone

DARKER_LEVELS = 14
INK_LEVELS = 40  # print is darker than shadows and folds
CELL_PX = 6
CELL_MM = CELL_PX / PILE_DPI * 25.4  # 2 mm
END_CELLS = 2  # at both ends of a fold, where what lies beyond the sheet may show
SHADOWS_DIFFER = 3.0
WITHOUT_SHARE = 0.3  # of the usual shade, below which a page has none of it
LEAST_INK_MM2 = 0.8
SHARED_LEFT = 1.35  # what a place has in common is taken off so many times


@dataclass
class Pile:
    """Pages over one another, all of one side.

    Args:
        size_mm: width and height of the pages; those of another size lie at its top left.
    """

    size_mm: tuple[float, float]
    count: int = 0
    _total: NDArray[np.float32] = field(init=False)
    _cells: list[NDArray[np.uint8]] = field(default_factory=list)

    def __post_init__(self) -> None:
        width, height = (max(1, round(mm_to_px(side, PILE_DPI))) for side in self.size_mm)
        self._total = np.zeros((height, width), np.float32)

    def add(self, leaf: Leaf, areas: Areas) -> None:
        """Lay a page on the pile, without what is cleared of it."""
        darker = fitted(leaf, self.size_mm)
        if areas.wiped or areas.kept:
            scaled = Areas(*([area * stretch(leaf, self.size_mm) for area in kind] for kind in areas))
            darker = np.where(cleared(darker.shape, scaled, PILE_DPI), np.uint8(0), darker)
        wide = cv2.dilate(darker, np.ones((3, 3), np.uint8))  # things may lie apart by half a millimetre
        self._total += np.clip(wide.astype(np.float32) / DARKER_LEVELS - 0.5, 0, 1)
        ink = np.clip(darker.astype(np.float32) / INK_LEVELS - 0.5, 0, 1)
        self._cells.append(_in_cells(np.asarray(ink, np.float32)))
        self.count += 1

    def join(self, other: "Pile") -> None:
        """Lay another pile of the same size under this one."""
        self._total += other._total
        self._cells += other._cells
        self.count += other.count

    @property
    def shares(self) -> NDArray[np.float32]:
        """The share of pages that are dark at each place, (h, w) at 75 dpi."""
        return np.asarray(self._total / np.float32(max(1, self.count)), np.float32)

    def picture(self) -> Pixels:
        """Return the pile as seen from above, grey (h, w) at 75 dpi: the darker, the more pages are dark there."""
        return np.rint(255 * (1 - self.shares)).astype(np.uint8)

    def cells(self) -> NDArray[np.uint8]:
        """Return how much of each 2 mm of each page is inked, of 255: (pages, h, w)."""
        if not self._cells:
            return np.zeros((0, 1, 1), np.uint8)
        return np.array(self._cells)


def _in_cells(ink: NDArray[np.float32]) -> NDArray[np.uint8]:
    height, width = (-(-side // CELL_PX) for side in ink.shape)
    whole = cv2.copyMakeBorder(
        ink, 0, height * CELL_PX - ink.shape[0], 0, width * CELL_PX - ink.shape[1], cv2.BORDER_CONSTANT, value=(0,)
    )
    cells = cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA)
    return np.asarray(np.rint(255 * cells), np.uint8)


def own_ink_mm2(cells: NDArray[np.uint8], zone: Zone) -> NDArray[np.float32]:
    """Return how much each page has printed in a zone that the others have not, in mm2, (pages,).

    Args:
        cells: of the pile.
        zone: in mm from the top left of its pages; cells that it touches count.
    """
    part = _cells_in(cells, zone)
    return _beyond_mm2(part, np.median(part, axis=0)) if part.size else np.zeros(len(cells), np.float32)


def ink_in_shadow_mm2(cells: NDArray[np.uint8], zone: Zone) -> NDArray[np.float32]:
    """Return how much each page has printed in a strip where most have a shadow, in mm2, (pages,).

    The shadow is deeper on some, and lies a little elsewhere. On a page without it all is print that it has there.
    """
    part = _cells_in(cells, zone)
    if not part.size:
        return np.zeros(len(cells), np.float32)
    common = np.median(part, axis=0).astype(np.float32)
    most = cv2.dilate(common, np.ones((3, 3), np.uint8)).reshape(common.shape) * np.float32(SHADOWS_DIFFER)
    shade = np.median(part.sum(axis=1 if part.shape[2] >= part.shape[1] else 2), axis=1)
    without_shadow = shade < WITHOUT_SHARE * np.median(shade)
    return np.where(without_shadow, crossing_ink_mm2(cells, zone), _beyond_mm2(part, most))


def _beyond_mm2(part: NDArray[np.float32], common: NDArray[np.float32]) -> NDArray[np.float32]:
    own = np.clip(part - common * SHARED_LEFT - 0.02, 0, 1)
    return np.asarray(own.sum(axis=(1, 2)) * CELL_MM**2, np.float32)


def crossing_ink_mm2(cells: NDArray[np.uint8], zone: Zone) -> NDArray[np.float32]:
    """Return how much each page has printed across a strip that looks the same all along, as a fold does, in mm2.

    What is seen at the barest fifth of its length is the fold; what is more elsewhere is print, but for its ends, at
    which the edges of the sheet lie.
    """
    part = _cells_in(cells, zone)
    along = part.sum(axis=1 if part.shape[2] >= part.shape[1] else 2)[:, END_CELLS:-END_CELLS]
    if not along.size:
        return np.zeros(len(cells), np.float32)
    fold = np.percentile(along, 20, axis=1, keepdims=True)
    return np.asarray(np.clip(along - SHARED_LEFT * fold - 0.05, 0, None).sum(axis=1) * CELL_MM**2, np.float32)


def _cells_in(cells: NDArray[np.uint8], zone: Zone) -> NDArray[np.float32]:
    rows = slice(max(0, int(zone.y_mm // CELL_MM)), max(0, -int(-(zone.y_mm + zone.height_mm) // CELL_MM)))
    cols = slice(max(0, int(zone.x_mm // CELL_MM)), max(0, -int(-(zone.x_mm + zone.width_mm) // CELL_MM)))
    return np.asarray(cells[:, rows, cols].astype(np.float32) / 255, np.float32)


def pages_with_print(cells: NDArray[np.uint8], zones: Sequence[Zone]) -> list[int]:
    """Return the pages, by their place in the pile, that have something of their own in any of the zones."""
    if not zones or not len(cells):
        return []
    own = sum(own_ink_mm2(cells, zone) for zone in zones)
    return [int(at) for at in np.flatnonzero(np.asarray(own) >= LEAST_INK_MM2)]
