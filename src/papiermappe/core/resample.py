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
LIFT = 64  # added to levels while they are mixed, which may go 32 below black
HALF = 18  # of 32: rounds a level that is the sum of four rounded down


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
    along = _resampled_rows(pixels, width, across - shift * slant, shift, left - shift * top, outside)
    result = np.empty((height, width, *pixels.shape[2:]), np.uint8)
    for begin in range(0, width, STRIP_PX):
        part = slice(begin, begin + STRIP_PX)
        strip = np.asarray(cv2.transpose(along[:, part]), np.uint8)
        cv2.transpose(_resampled_rows(strip, height, down, slant, top + slant * begin, outside), result[:, part])
    return result


def _resampled_rows(pixels: Pixels, length: int, step: float, shift: float, left: float, outside: int) -> Pixels:
    """Return a picture with all its rows `length` long: pixel x of row y from `step * x + shift * y + left`."""
    result = np.empty((len(pixels), length, *pixels.shape[2:]), np.uint8)
    flat = len(pixels), -1
    channels = math.prod(pixels.shape[2:])
    _along_rows(np.ascontiguousarray(pixels).reshape(flat), channels, step, shift, left, outside, result.reshape(flat))
    return result


@compiled("u2(i2, i2)", inline="always")
def _upper(left: np.int16, right: np.int16) -> np.uint16:
    """Return the upper half of a product: one instruction for many at once, where both are read from memory."""
    return np.uint16((np.int32(left) * np.int32(right)) >> np.int32(16))


@compiled("void(f4[::1], f8, i4[::1], i2[:, ::1])", error_model="numpy")
def _split(steps: NDArray[np.float32], start: float, whole: NDArray[np.int32], parts: NDArray[np.int16]) -> None:
    """Split each place `steps + start` into its whole part and `parts`: the rest t, r = 1 - t, and t r.

    Of t and r, 1 is 32768; of their product it is 16384. Each has a loop of its own: see `_upper`.
    """
    offset = np.float32(start)
    rest, lack, product = parts[0], parts[1], parts[2]
    for at in range(steps.size):
        place = steps[at] + offset
        below = np.floor(place)
        whole[at] = np.int32(below)
        rest[at] = np.int16(np.int32((place - below) * np.float32(32767)))
    for at in range(steps.size):
        lack[at] = np.int16(np.uint16(32767) - np.uint16(rest[at]))
    for at in range(steps.size):
        product[at] = np.int16(_upper(rest[at], lack[at]))


@compiled("void(i2[:, ::1], i2[:, ::1])", error_model="numpy")
def _weigh(parts: NDArray[np.int16], weights: NDArray[np.int16]) -> None:
    """Fill the weights of the four pixels around each place; of these 1 is 16384, and none is off by more than 5.

    With b = t r / 2 the cubic's are -b r, r + b (3 r - 1), t + b (3 t - 1) and -b t.
    """
    first, second, third, fourth = weights[0], weights[1], weights[2], weights[3]
    rests, lacks, products = parts[0], parts[1], parts[2]
    one, three = np.uint16(1), np.uint16(3)
    for at in range(rests.size):
        before = _upper(products[at], lacks[at])
        after = _upper(products[at], rests[at])
        bend = np.uint16(np.uint16(products[at]) >> one)
        first[at] = np.int16(-before)
        second[at] = np.int16(np.uint16(np.uint16(np.uint16(lacks[at]) >> one) + np.uint16(three * before)) - bend)
        third[at] = np.int16(np.uint16(np.uint16(np.uint16(rests[at]) >> one) + np.uint16(three * after)) - bend)
        fourth[at] = np.int16(-after)


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


@compiled("void(u1[::1], i2[:, ::1])")
def _widen(levels: NDArray[np.uint8], rows: NDArray[np.int16]) -> None:
    """Write levels of a row, times 128, between the margins of `rows`: one for each channel, 1 or 3."""
    bits, begin = np.uint16(7), np.uint64(MARGIN_PX)
    if len(rows) == 1:
        for x in range(np.uint64(levels.size)):
            rows[0, begin + x] = np.int16(np.uint16(levels[x]) << bits)
        return
    red, green, blue = rows[0], rows[1], rows[2]
    for x in range(np.uint64(levels.size // 3)):
        at = np.uint64(3) * x
        red[begin + x] = np.int16(np.uint16(levels[at]) << bits)
        green[begin + x] = np.int16(np.uint16(levels[at + np.uint64(1)]) << bits)
        blue[begin + x] = np.int16(np.uint16(levels[at + np.uint64(2)]) << bits)


@compiled("void(u1[:, ::1], u1[::1])")
def _join(lines: NDArray[np.uint8], levels: NDArray[np.uint8]) -> None:
    """Fill `levels` with those of the channels, 1 or 3, in turn."""
    if len(lines) == 1:
        for x in range(levels.size):
            levels[x] = lines[0, x]
        return
    red, green, blue = lines[0], lines[1], lines[2]
    for x in range(np.uint64(red.size)):
        at = np.uint64(3) * x
        levels[at] = red[x]
        levels[at + np.uint64(1)] = green[x]
        levels[at + np.uint64(2)] = blue[x]


@compiled("void(i2[:, ::1], i2[::1], u1[::1], i8, i8, i8)", error_model="numpy")
def _mix(
    weights: NDArray[np.int16], row: NDArray[np.int16], line: NDArray[np.uint8], low: int, high: int, apart: int
) -> None:
    """Fill pixels `low` to `high` of a line: pixel n from the four around n + apart + 1 of a widened row.

    A level times 128 and a weight of 16384 make the level times 32. All is in 16 bits, and nothing is negative where
    it is shifted, so that the compiler works on sixteen pixels at once.
    """
    first, to = np.uint64(low + apart - 1 + MARGIN_PX), np.uint64(low)
    for n in range(np.uint64(high - low)):  # not signed: an index that may be negative is not vectorised
        sum_before = np.uint16(
            _upper(weights[0, to + n], row[first + n]) + _upper(weights[1, to + n], row[first + n + np.uint64(1)])
        )
        sum_after = np.uint16(
            _upper(weights[2, to + n], row[first + n + np.uint64(2)])
            + _upper(weights[3, to + n], row[first + n + np.uint64(3)])
        )
        lifted = np.uint16(np.uint16(sum_before + sum_after) + np.uint16(LIFT * 32 + HALF))
        level = np.uint16(lifted >> np.uint16(5))
        line[to + n] = np.uint8(np.uint16(min(max(level, np.uint16(LIFT)), np.uint16(LIFT + 255))) - np.uint16(LIFT))


@compiled("void(u1[:, ::1], i8, f8, f8, f8, i8, u1[:, ::1])", error_model="numpy")
def _along_rows(
    source: NDArray[np.uint8],
    channels: int,
    step: float,
    shift: float,
    left: float,
    outside: int,
    result: NDArray[np.uint8],
) -> None:
    """Fill `result` as `_resampled_rows` says; a row holds its pixels' channels in turn."""
    width, length = source.shape[1] // channels, result.shape[1] // channels
    steps = ((step - 1) * np.arange(length)).astype(np.float32)
    whole = np.empty(length, np.int32)
    parts, weights = np.empty((3, length), np.int16), np.empty((4, length), np.int16)
    rows = np.full((channels, width + 2 * MARGIN_PX), outside << 7, np.int16)
    lines = np.full((channels, length), outside, np.uint8)
    for y in range(len(source)):
        start = shift * y + left
        begin = np.int64(np.floor(start))
        _split(steps, start - begin, whole, parts)
        _weigh(parts, weights)
        _widen(source[y], rows)
        at = 0
        while at < length:
            end = _end_of_run(whole, at)
            apart = begin + whole[at]  # pixel n comes from n + apart and its neighbours
            low = min(max(at, -2 - apart), end)
            high = max(min(end, width + 1 - apart), low)
            for channel in range(channels):
                lines[channel, at:low] = outside
                lines[channel, high:end] = outside
                _mix(weights, rows[channel], lines[channel], low, high, apart)
            at = end
        _join(lines, result[y])
