"""What lies along lines: whether an edge does, and which colours are to both sides of it."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.photo.lines import EdgeMap, Numbers, directions
from papiermappe.core.picture import Pixels

STRIP_PX = (5.0, 13.0)  # what lies beside a side is looked at between these distances
BAND_PX = 3  # an edge this far from its line is on it: paper bows
ALONG = 0.9  # cosine: an edge on a line runs along it
PLAIN = 0.3  # the weight of an edge that is there


class Tracks(NamedTuple):
    """What lies along each line, summed up from its one end: a sum between two places is a difference of two numbers.

    Axis 0 are the lines, axis 1 the places along them, a px apart.
    """

    lines: Numbers
    reach: int
    """The place that is nearest to the middle of the picture."""
    seen: Numbers
    """How many places are on the picture."""
    edge: Numbers
    """In how many of them an edge runs along the line."""
    rising: Numbers
    """In how many of them it gets brighter along the normal."""
    beside: Numbers
    """The colour before and behind the line, (lines, places, 2, channels)."""
    squared: Numbers
    """The brightness before and behind the line, squared, (lines, places, 2)."""


def tracks_of(look: Pixels, edges: EdgeMap, lines: Numbers) -> Tracks:
    """Look along lines."""
    height, width = look.shape[:2]
    reach = int(np.hypot(width, height) / 2) + 2
    way = np.arange(-reach, reach + 1, dtype=np.float64)
    normal, along = directions(lines)
    feet = normal * lines[:, 1:2] + [(width - 1) / 2, (height - 1) / 2]
    places = feet[:, None] + way[None, :, None] * along[:, None]
    seen = ((places >= 2) & (places < np.array([width - 2, height - 2]))).all(axis=2)
    offsets = np.arange(-BAND_PX, BAND_PX + 1)
    banded = places[:, :, None] + offsets[None, None, :, None] * normal[:, None, None]
    dx, dy = (_sampled(channel, banded) for channel in (edges.dx, edges.dy))
    across = dx * normal[:, None, None, 0] + dy * normal[:, None, None, 1]
    plain = np.where(np.abs(across) >= ALONG * np.hypot(dx, dy), across, 0.0)
    at = np.abs(plain).argmax(axis=2)
    strongest = np.take_along_axis(plain, at[..., None], axis=2)[..., 0] * seen
    beside = []
    picture = cv2.GaussianBlur(look, (0, 0), 2.0).astype(np.float32).reshape(height, width, -1)
    for side in (-1, 1):
        strip = [_sampled(picture, places + side * off * normal[:, None]) for off in np.linspace(*STRIP_PX, 3)]
        beside.append(np.median(strip, axis=0) * seen[..., None])
    colours = np.stack(beside, axis=2)
    return Tracks(
        lines,
        reach,
        _summed(seen),
        _summed(np.abs(strongest) >= PLAIN),
        _summed(strongest >= PLAIN),
        _summed(colours),
        _summed(colours.mean(axis=3) ** 2),
    )


def joined(tracks: Tracks, more: Tracks) -> Tracks:
    """Return what lies along the lines of both, which were looked at on the same picture."""
    lines, seen, edge, rising, beside, squared = (
        np.concatenate([getattr(tracks, name), getattr(more, name)])
        for name in ("lines", "seen", "edge", "rising", "beside", "squared")
    )
    return Tracks(lines, tracks.reach, seen, edge, rising, beside, squared)


def _sampled(picture: NDArray[np.float32], places: Numbers) -> NDArray[np.float32]:
    shape = places.shape[:-1]
    flat = places.reshape(shape[0], -1, 2).astype(np.float32)
    found = cv2.remap(picture, flat[..., 0], flat[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(found, np.float32).reshape(*shape, *picture.shape[2:])


def _summed(values: NDArray[np.generic]) -> Numbers:
    sums = np.cumsum(values, axis=1, dtype=np.float64)
    return np.concatenate([np.zeros_like(sums[:, :1]), sums], axis=1)
