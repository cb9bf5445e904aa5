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


def squares_of(page: Pixels, kinds: NDArray[np.uint8], by: int) -> tuple[Squares, Squares]:
    """Return squares of `by` x `by` pixels of two kinds; the last of a row or column may reach beyond the page.

    Args:
        page: grey (h, w) or RGB (h, w, 3).
        kinds: (h, w): 1 for the first kind, 2 for the second, 0 for neither.
        by: px.
    """
    channels = np.ascontiguousarray(page).reshape(*page.shape[:2], -1)
    sums, counts = _summed(channels, np.ascontiguousarray(kinds), by)
    mean = sums / np.maximum(counts, 1)[..., None].astype(np.float32)
    shape = counts.shape[1:] + page.shape[2:]
    one, other = (
        Squares(mean[kind].reshape(shape), counts[kind].astype(np.float32) / np.float32(by * by)) for kind in (0, 1)
    )
    return one, other


@njit("Tuple((f4[:, :, :, ::1], i4[:, :, ::1]))(u1[:, :, ::1], u1[:, ::1], i8)", cache=True)
def _summed(
    page: NDArray[np.uint8], kinds: NDArray[np.uint8], by: int
) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """Return the sums of each kind, (2, h, w, channels), and how many pixels they are, (2, h, w)."""
    height, width, channels = page.shape
    tall, wide = (height + by - 1) // by, (width + by - 1) // by
    sums = np.zeros((2, tall, wide, channels), np.float32)
    counts = np.zeros((2, tall, wide), np.int32)
    for row in range(height):
        down = row // by
        for across in range(wide):
            for col in range(across * by, min(across * by + by, width)):
                kind = kinds[row, col]
                if kind:
                    counts[kind - 1, down, across] += 1
                    for channel in range(channels):
                        sums[kind - 1, down, across, channel] += page[row, col, channel]
    return sums, counts
