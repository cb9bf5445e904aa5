"""Means of squares of pixels that count only some of the pixels, and a filling for squares that have none."""

from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.picture import Pixels

Whole = int | np.integer[Any]

LEAST_WEIGHT = np.float32(1 / 1024)
KNOWN_SHARE = np.float32(0.5)  # a square that is known to this share does not ask its neighbours


class Squares(NamedTuple):
    """Squares of pixels, each with the mean of the pixels that count."""

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
            np.asarray(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA), np.float32)
            for picture in (self.mean * like(self.weight, self.mean), self.weight)
        )
        return Squares(np.divide(sums, np.maximum(like(weight, sums), LEAST_WEIGHT), dtype=np.float32), weight)

    def filled(self) -> NDArray[np.float32]:
        """Return the means; squares without any are filled from around them, each level from one half as large.

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
    """Return weights (h, w) in the shape of a picture of that size."""
    return weight if picture.ndim == 2 else np.asarray(cv2.merge([weight] * picture.shape[2]), np.float32)


def squares_of(page: Pixels, kinds: NDArray[np.uint8], by: int, every: int = 1) -> tuple[Squares, Squares]:
    """Return squares of `by` x `by` pixels of two kinds; the last of a row or column may reach beyond the page.

    Args:
        page: grey (h, w) or RGB (h, w, 3).
        kinds: (h, w): 1 for the first kind, 2 for the second, 0 for neither.
        by: px.
        every: only every n-th row and column is sampled.
    """
    channels = np.ascontiguousarray(page).reshape(*page.shape[:2], -1)
    means, weights = _means(channels, np.ascontiguousarray(kinds), by, every)
    first, second = (
        Squares(mean if page.ndim == 3 else np.ascontiguousarray(mean[..., 0]), weight)
        for mean, weight in zip(means, weights, strict=True)
    )
    return first, second


@compiled("void(f4[:, :, ::1], f4[:, ::1], u8, u8, i4, i4, i4, i4, f4)")
def _put(
    means: NDArray[np.float32],
    weights: NDArray[np.float32],
    down: Whole,
    across: Whole,
    red: Whole,
    green: Whole,
    blue: Whole,
    count: Whole,
    share: np.float32,
) -> None:
    """Store the mean of the summed pixels, and the share of the square that they are."""
    if count:
        each = np.float32(1) / np.float32(count)
        means[down, across, 0], means[down, across, 1], means[down, across, 2] = red * each, green * each, blue * each
        weights[down, across] = min(np.float32(count) * share, np.float32(1))


@compiled("Tuple((f4[:, :, :, ::1], f4[:, :, ::1]))(u1[:, :, ::1], u1[:, ::1], u8, u8)")
def _means(
    page: NDArray[np.uint8], kinds: NDArray[np.uint8], by: Whole, every: Whole
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Return for each kind the means of the channels, (2, h, w, 3), and the share that counts, (2, h, w).

    A grey page has its one channel in the place of each. Indices are unsigned: numba asks others whether they count
    from the end, which takes half as long again; so does a range in steps, whose length is found by a division.
    """
    height, width, step = np.uint64(page.shape[0]), np.uint64(page.shape[1]), np.uint64(page.shape[2] // 3)
    down_count, across_count = (height + by - np.uint64(1)) // by, (width + by - np.uint64(1)) // by
    means = np.zeros((2, down_count, across_count, 3), np.float32)
    weights = np.zeros((2, down_count, across_count), np.float32)
    share = np.float32(1) / np.float32(max(by // every, np.uint64(1)) ** np.uint64(2))
    for down in range(down_count):
        bottom = min(down * by + by, height)
        for across in range(across_count):
            red, green, blue, count = np.int32(0), np.int32(0), np.int32(0), np.int32(0)
            red_1, green_1, blue_1, count_1 = np.int32(0), np.int32(0), np.int32(0), np.int32(0)
            right = min(across * by + by, width)
            row = down * by
            while row < bottom:
                col = across * by
                while col < right:
                    kind = kinds[row, col]
                    if kind == 2:
                        red += page[row, col, 0]
                        green += page[row, col, step]
                        blue += page[row, col, step + step]
                        count += np.int32(1)
                    elif kind == 1:
                        red_1 += page[row, col, 0]
                        green_1 += page[row, col, step]
                        blue_1 += page[row, col, step + step]
                        count_1 += np.int32(1)
                    col += every
                row += every
            _put(means[1], weights[1], down, across, red, green, blue, count, share)
            _put(means[0], weights[0], down, across, red_1, green_1, blue_1, count_1, share)
    return means, weights
