"""What differs from a lid that is of one colour and lit unevenly, however little it differs.

White paper under a white lid is told by its tint, which light leaves alone, or by brightness, once the light has been
taken out: a lid is lit smoothly, a sheet ends at once.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.picture import Pixels

RIM_PX = 2
ALIKE_LEVELS = 10.0
ALIKE_SHARE = 0.6  # of the rim is of one colour, or it is not known what the lid looks like
SMOOTH_PX = 1.0  # averages a scanner's grain
TINT_LEVELS = 2.0  # what is within this of the lid's tint may be lid
LIGHT_LEVELS = 3.0  # what is within this of its brightness, lit as it is, is lid
FIRST_LIGHT_LEVELS = 8.0  # the same before the light is known
ROUNDS = 6
POWERS = 3  # of height and width: light falls off smoothly
SPARED = 4  # every fourth pixel of a row and of a column tells how the light falls
LEAST_PX = 50  # of lid, to tell how it is lit
NOISES = 4.0  # what differs by as many standard deviations is not lid
SPECK_PX = 3  # specks of grain are smaller
NEAR_LEVELS = 5.0  # what is within this of the smooth light tells how it falls in detail
TINT_SMOOTH_PX = 1.7  # tint is fainter than brightness, and needs its grain averaged more
LEAST_TINT, LEAST_LIGHT = 1.2, 2.5  # levels; what differs by less is lid, however little grain there is

_Levels = NDArray[np.float32]


class _Lid(NamedTuple):
    colours: _Levels
    """As it would look without paper, (h, w, channels)."""
    is_seen: NDArray[np.bool_]
    """Where nothing lies on it, (h, w)."""


def differs_from_lid(picture: Pixels, light_px: float) -> Pixels | None:
    """Return where something lies on a glass, (h, w), 0 or 255; None if its rim is not mostly lid.

    Args:
        picture: the whole glass, grey (h, w) or RGB (h, w, 3), at about 75 dpi.
        light_px: over how much the light is the same: less follows it closely, more leaves pale sheets alone.
    """
    levels = _smoothed(picture.astype(np.float32).reshape(*picture.shape[:2], -1), SMOOTH_PX)
    lid = _lid(levels, light_px)
    if lid is None:
        return None
    away = levels - lid.colours
    away -= np.median(away[lid.is_seen], axis=0)
    tint = _smoothed(away - np.roll(away, 1, axis=2), TINT_SMOOTH_PX)
    tint_limit = max(LEAST_TINT, NOISES * _noise(tint, lid.is_seen))
    light_limit = max(LEAST_LIGHT, NOISES * _noise(away, lid.is_seen))
    differs = (np.abs(tint).max(axis=2) > tint_limit) | (np.abs(away).max(axis=2) > light_limit)
    return np.asarray(cv2.medianBlur(np.where(differs, np.uint8(255), np.uint8(0)), SPECK_PX), np.uint8)


def _lid(levels: _Levels, light_px: float) -> _Lid | None:
    """Return what the lid looks like, by what the rim mostly shows."""
    sides = (levels[:RIM_PX], levels[-RIM_PX:], levels[:, :RIM_PX], levels[:, -RIM_PX:])
    rim = np.concatenate([side.reshape(-1, levels.shape[2]) for side in sides])
    colour = np.maximum(np.median(rim, axis=0), 1.0)
    alike = np.abs(rim - colour).max(axis=1) < ALIKE_LEVELS
    if alike.mean() < ALIKE_SHARE:
        return None
    colour = np.maximum(rim[alike].mean(axis=0), 1.0)
    mean = float(colour.mean())
    light = levels.mean(axis=2)
    may_be = np.abs(levels - light[..., None] * (colour / mean)).max(axis=2) < TINT_LEVELS
    lit = _smooth_light(light, may_be, mean)
    if lit is None:
        return None
    near = _eroded(may_be & (np.abs(light - lit) < NEAR_LEVELS))
    lit = lit + _spread(light - lit, near, light_px)
    is_seen = near & (np.abs(light - lit) < LIGHT_LEVELS)
    return _Lid(lit[..., None] * (colour / mean).astype(np.float32), is_seen) if is_seen.any() else None


def _smooth_light(light: _Levels, may_be: NDArray[np.bool_], mean: float) -> _Levels | None:
    """Return how bright the lid would be everywhere, as a smooth surface through what may be lid; None if it is little.

    Every few pixels are enough to tell; what does not fit is left out round after round.
    """
    terms = _smooth_terms(light.shape)
    few_terms, few = terms[::SPARED, ::SPARED], light[::SPARED, ::SPARED]
    may_be_few = may_be[::SPARED, ::SPARED]
    lit, limit = np.full(few.shape, mean, np.float32), FIRST_LIGHT_LEVELS
    for _ in range(ROUNDS):
        told = may_be_few & (np.abs(few - lit) < limit)
        if told.sum() < LEAST_PX:
            return None
        factors = np.linalg.lstsq(few_terms[told], few[told], rcond=None)[0].astype(np.float32)
        lit, limit = few_terms @ factors, max(LIGHT_LEVELS, 0.7 * limit)
    return np.asarray(terms @ factors, np.float32)


def _eroded(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    return np.asarray(cv2.erode(mask.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0)


def _spread(values: _Levels, where: NDArray[np.bool_], sigma_px: float) -> _Levels:
    """Return the mean of the values near each pixel, of those that count; 0 far from any (h, w)."""
    size = values.shape[1] // SPARED + 1, values.shape[0] // SPARED + 1
    weights = cv2.resize(where.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    sums = cv2.resize(np.where(where, values, 0).astype(np.float32), size, interpolation=cv2.INTER_AREA)
    weights, sums = (cv2.GaussianBlur(part, (0, 0), sigma_px / SPARED) for part in (weights, sums))
    means = np.asarray(sums / np.maximum(weights, 1e-2), np.float32)
    return np.asarray(cv2.resize(means, values.shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)


def _smoothed(levels: _Levels, sigma_px: float) -> _Levels:
    return np.asarray(cv2.GaussianBlur(levels, (0, 0), sigma_px), np.float32).reshape(levels.shape)


def _smooth_terms(shape: tuple[int, ...]) -> _Levels:
    """Return the products of powers of height and width, (h, w, terms), which together describe smooth light."""
    rows, columns = (np.linspace(-1, 1, side, dtype=np.float32) for side in shape)
    down, across = (np.stack([along**power for power in range(POWERS)], axis=-1) for along in (rows, columns))
    return np.asarray(np.einsum("hi,wj->hwij", down, across), np.float32).reshape(*shape, POWERS**2)


def _noise(away: _Levels, is_seen: NDArray[np.bool_]) -> float:
    """Return the standard deviation of the noisiest channel of the lid, outliers left out."""
    return 1.4826 * float(np.median(np.abs(away[is_seen]), axis=0).max())
