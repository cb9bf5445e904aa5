"""Means of squares of pixels, of some of the pixels only, and what lies where there are none."""

from typing import NamedTuple

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from papiermappe.core.picture import Pixels

LEAST_WEIGHT = np.float32(1 / 1024)
KNOWN_SHARE = np.float32(0.5)  # of a square: where so much is seen, what is around it is not asked


class Squares(NamedTuple):
    """Squares of pixels, each with the mean of those that count."""

    mean: NDArray[np.float32]
    """(h, w) or (h, w, 3); nothing where no pixel counts."""
    weight: NDArray[np.float32]
    """(h, w), 0 to 1: the share that counts."""

    def resized(self, by: float) -> "Squares":
        """Return squares that are `by` times as large."""
        width, height = (max(1, round(side / by)) for side in self.weight.shape[::-1])
        return self._scaled(width, height)

    def _scaled(self, width: int, height: int) -> "Squares":
        sums, weight = (
            np.asarray(cv2.resize(one, (width, height), interpolation=cv2.INTER_AREA), np.float32)
            for one in (self.mean * like(self.weight, self.mean), self.weight)
        )
        return Squares(np.divide(sums, np.maximum(like(weight, sums), LEAST_WEIGHT), dtype=np.float32), weight)

    def filled(self) -> NDArray[np.float32]:
        """Return the means; where nothing counts, what is around: each level asks one half as large.

        After S. Gortler et al., "The lumigraph", SIGGRAPH 1996, section 3.4.
        """
        height, width = self.weight.shape
        if min(height, width) <= 2 or self.weight.min() >= KNOWN_SHARE:
            return self.mean
        half = self._scaled((width + 1) // 2, (height + 1) // 2)
        coarse = half._replace(weight=np.minimum(4 * half.weight, 1)).filled()
        around = np.asarray(cv2.resize(coarse, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
        return around + (self.mean - around) * like(np.minimum(self.weight / KNOWN_SHARE, 1), self.mean)


def like(weight: NDArray[np.float32], picture: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return weights (h, w) in the shape that goes with a picture."""
    return weight if picture.ndim == 2 else weight[..., None]


def squares_of(page: Pixels, kinds: NDArray[np.uint8], by: int, every: int = 1) -> tuple[Squares, Squares]:
    """Return squares of `by` x `by` pixels of two kinds; the last of a row or column may reach beyond the page.

    Args:
        page: grey (h, w) or RGB (h, w, 3).
        kinds: (h, w): 1 for the first kind, 2 for the second, 0 for neither.
        by: px.
        every: of so many rows and columns one is looked at.
    """
    channels = np.ascontiguousarray(page).reshape(*page.shape[:2], -1)
    summed = _summed_colours if channels.shape[2] == 3 else _summed_greys
    sums = summed(channels, np.ascontiguousarray(kinds), by, every).astype(np.float32)
    one, other = (_squares(kind, page.shape[2:], max(1, by // every) ** 2) for kind in sums)
    return one, other


def _squares(sums: NDArray[np.float32], channels: tuple[int, ...], most: int) -> Squares:
    """Return squares from the sums of their channels and, last, how many pixels they are."""
    counts = sums[..., -1]
    mean = sums[..., :-1] / np.maximum(counts, np.float32(1))[..., None]
    weight = np.minimum(counts / np.float32(most), np.float32(1))
    return Squares(np.asarray(mean, np.float32).reshape(*counts.shape, *channels), np.asarray(weight, np.float32))


@njit("i4[:, :, :, ::1](u1[:, :, ::1], u1[:, ::1], i8, i8)", cache=True)
def _summed_colours(page: NDArray[np.uint8], kinds: NDArray[np.uint8], by: int, every: int) -> NDArray[np.int32]:
    """Return for each kind the sums of the channels, and last how many pixels they are, (2, h, w, 4)."""
    height, width, _ = page.shape
    sums = np.zeros((2, (height + by - 1) // by, (width + by - 1) // by, 4), np.int32)
    for row in range(0, height, every):
        down = row // by
        for across in range(sums.shape[2]):
            red, green, blue, count = np.int32(0), np.int32(0), np.int32(0), np.int32(0)
            for col in range(across * by, min(across * by + by, width), every):
                kind = kinds[row, col]
                if kind == 2:
                    red += page[row, col, 0]
                    green += page[row, col, 1]
                    blue += page[row, col, 2]
                    count += np.int32(1)
                elif kind == 1:
                    for channel in range(3):
                        sums[0, down, across, channel] += page[row, col, channel]
                    sums[0, down, across, 3] += 1
            sums[1, down, across, 0] += red
            sums[1, down, across, 1] += green
            sums[1, down, across, 2] += blue
            sums[1, down, across, 3] += count
    return sums


@njit("i4[:, :, :, ::1](u1[:, :, ::1], u1[:, ::1], i8, i8)", cache=True)
def _summed_greys(page: NDArray[np.uint8], kinds: NDArray[np.uint8], by: int, every: int) -> NDArray[np.int32]:
    """Return for each kind the sum, and how many pixels it is, (2, h, w, 2)."""
    height, width, _ = page.shape
    sums = np.zeros((2, (height + by - 1) // by, (width + by - 1) // by, 2), np.int32)
    for row in range(0, height, every):
        for col in range(0, width, every):
            kind = kinds[row, col]
            if kind:
                sums[kind - 1, row // by, col // by, 0] += page[row, col, 0]
                sums[kind - 1, row // by, col // by, 1] += 1
    return sums
