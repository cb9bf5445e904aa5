"""Resampling along a straight map, in two passes of one direction each.

First every row is resampled along itself, then every column (E. Catmull, A. R. Smith, "3-D transformations of images
in scanline order", SIGGRAPH 1980): eight weights a pixel, not sixteen, of neighbours that lie side by side in memory.
The kernel is the cubic of R. Keys ("Cubic convolution interpolation", IEEE TASSP 29, 1981, a = -1/2).
"""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.picture import Pixels

MAX_SLANT = math.tan(math.radians(20))  # beyond this the first pass would compress the picture too much
NO_BLUR_SCALE = 0.75
MARGIN_PX = 4  # room beside a row for the kernel
STRIP_PX = 128  # so many columns are resampled at a time: about what the processor's cache holds


def resampled(
    pixels: Pixels, matrix: NDArray[np.float64], size_px: tuple[int, int], scale: float, outside: int
) -> Pixels:
    """Return a picture of `size_px` (height, width) cut out of another.

    Args:
        pixels: grey (h, w) or RGB (h, w, 3).
        matrix: (2, 3), carries `(x, y)` of the result to `pixels`; pixel centres at whole numbers.
        size_px: height and width of the result.
        scale: how large a pixel of `pixels` is in the result. Where it is less than 1, linear interpolation does, after
            a blur that takes out what would alias.
        outside: the level of what lies outside of `pixels`.
    """
    (across, lean, left), (slant, down, top) = matrix.tolist()
    if scale < 1 or down <= 0 or abs(slant) > MAX_SLANT * down or across <= 0:
        source = pixels if scale > NO_BLUR_SCALE else cv2.GaussianBlur(pixels, (0, 0), 0.35 / scale)
        flags = (cv2.INTER_LINEAR if scale < 1 else cv2.INTER_CUBIC) | cv2.WARP_INVERSE_MAP
        page = cv2.warpAffine(source, matrix, size_px[::-1], flags=flags, borderValue=(outside,) * 3)
        return np.asarray(page, np.uint8)
    height, width = size_px
    # Row y of the picture is met, in column x of the result, at its row (y - top - slant * x) / down.
    shift = lean / down
    layers = _layers_of(pixels)  # one name for both: the first is given back when the second stands
    layers = _resampled_rows(layers, width, across - shift * slant, shift, left - shift * top, outside)
    result = np.empty((height, width, *pixels.shape[2:]), np.uint8)
    for begin in range(0, width, STRIP_PX):
        part = slice(begin, begin + STRIP_PX)
        strip = _transposed(layers[:, :, part])
        strip = _transposed(_resampled_rows(strip, height, down, slant, top + slant * begin, outside))
        cv2.merge(list(strip), result[:, part])
    return result


def _layers_of(pixels: Pixels) -> Pixels:
    """Return the channels apart, (channels, h, w)."""
    if pixels.ndim == 2:
        return np.ascontiguousarray(pixels)[None]
    layers = np.empty((pixels.shape[2], *pixels.shape[:2]), np.uint8)
    cv2.split(pixels, list(layers))
    return layers


def _transposed(layers: Pixels) -> Pixels:
    result = np.empty((len(layers), layers.shape[2], layers.shape[1]), np.uint8)
    for layer, turned in zip(layers, result, strict=True):
        cv2.transpose(layer, turned)
    return result


def _resampled_rows(layers: Pixels, length: int, step: float, shift: float, left: float, outside: int) -> Pixels:
    """Return all rows of all layers, `length` long: pixel x of row y from `step * x + shift * y + left`."""
    result = np.empty((*layers.shape[:2], length), np.uint8)
    _along_rows(layers, step, shift, left, outside, result)
    return result


@compiled("void(f4[::1], f8, i4[::1], f4[:, ::1])", error_model="numpy")
def _weigh(steps: NDArray[np.float32], start: float, whole: NDArray[np.int32], weights: NDArray[np.float32]) -> None:
    """Split each place `steps + start` into its whole part and the weights of the four pixels around it."""
    one, half, three = np.float32(1.0), np.float32(0.5), np.float32(3.0)
    offset = np.float32(start)
    first, second, third, fourth = weights[0], weights[1], weights[2], weights[3]
    for at in range(len(steps)):
        place = steps[at] + offset
        below = np.floor(place)
        whole[at] = np.int32(below)
        t = place - below
        r = one - t
        bend = half * t * r
        first[at] = -bend * r
        second[at] = r + bend * (three * r - one)
        third[at] = t + bend * (three * t - one)
        fourth[at] = -bend * t


@compiled("i8(i4[::1], i8)")
def _end_of_run(whole: NDArray[np.int32], start: int) -> int:
    """Return where the values, which rise or fall all the way, are first another than at `start`."""
    low, reach = start, 1
    while low + reach < len(whole) and whole[low + reach] == whole[start]:
        low += reach
        reach *= 2
    high = min(low + reach, len(whole))
    while high - low > 1:
        middle = (low + high) // 2
        if whole[middle] == whole[start]:
            low = middle
        else:
            high = middle
    return high


@compiled("void(u1[:, :, ::1], f8, f8, f8, i8, u1[:, :, ::1])", error_model="numpy", fastmath={"contract"})
def _along_rows(
    source: NDArray[np.uint8], step: float, shift: float, left: float, outside: int, result: NDArray[np.uint8]
) -> None:
    """Fill `result` as `_resampled_rows` says."""
    width, length = source.shape[2], result.shape[2]
    steps = ((step - 1) * np.arange(length)).astype(np.float32)
    whole = np.empty(length, np.int32)
    weights = np.empty((4, length), np.float32)
    row = np.full(width + 2 * MARGIN_PX, outside, np.float32)
    for y in range(source.shape[1]):
        start = shift * y + left
        begin = np.int64(np.floor(start))
        _weigh(steps, start - begin, whole, weights)
        for layer in range(len(source)):
            row[MARGIN_PX : MARGIN_PX + width] = source[layer, y]
            line = result[layer, y]
            at = 0
            while at < length:
                end = _end_of_run(whole, at)
                apart = begin + whole[at]  # pixel n comes from n + apart and its neighbours
                low = min(max(at, -2 - apart), end)
                high = max(min(end, width + 1 - apart), low)
                line[at:low] = outside
                line[high:end] = outside
                first, to = np.uint64(low + apart - 1 + MARGIN_PX), np.uint64(low)
                for n in range(np.uint64(high - low)):  # not signed: an index that may be negative is not vectorised
                    value = (
                        weights[0, to + n] * row[first + n]
                        + weights[1, to + n] * row[first + n + np.uint64(1)]
                        + weights[2, to + n] * row[first + n + np.uint64(2)]
                        + weights[3, to + n] * row[first + n + np.uint64(3)]
                        + np.float32(0.5)
                    )
                    line[to + n] = np.uint8(min(max(np.int32(value), np.int32(0)), np.int32(255)))
                at = end
