"""What lies on a scanner's glass, as a quick look at it shows."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from papiermappe.core.clean import find_originals, stray_light
from papiermappe.core.clean.stray_light import is_of_light
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.pages import page_jpeg
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import Treatment
from papiermappe.core.zones import Zone

SHOWN_PX = 900
WHOLE_SHARE = 0.97
"""A find that takes so much of the glass is the glass itself."""


class GlassSeen(NamedTuple):
    """What lies on the glass."""

    jpeg: bytes
    """As it is shown: smaller than the device sent it."""
    originals: list[Zone]
    """The boxes round the originals, in mm from the corner of the glass, in reading order; none where nothing stands
    out."""
    light_gets_in: bool
    """Whether the lid does not lie flat."""


def see_glass(picture: CapturedPicture, size_mm: tuple[float, float]) -> GlassSeen:
    """Return what lies on a glass of a width and height.

    Raises:
        PictureRefused: the picture cannot be decoded.
    """
    shown = page_jpeg(picture, Treatment(), SHOWN_PX, THUMBNAIL_QUALITY)
    originals = _originals_on(picture, size_mm)
    light_gets_in = stray_light(picture.pixels(), picture.dpi, [original.corners() for original in originals])
    if light_gets_in:
        originals = [original for original in originals if not is_of_light(original.corners(), size_mm)]
    return GlassSeen(shown, originals, light_gets_in)


def _originals_on(picture: CapturedPicture, size_mm: tuple[float, float]) -> list[Zone]:
    boxes = [_on_glass(corners, size_mm) for corners in find_originals(picture.pixels(), picture.dpi)]
    whole_mm2 = size_mm[0] * size_mm[1]
    return [box for box in boxes if box.width_mm * box.height_mm < WHOLE_SHARE * whole_mm2]


def _on_glass(corners: Sequence[tuple[float, float]], size_mm: tuple[float, float]) -> Zone:
    """Return a box as far as it lies on the glass."""
    places = np.clip(np.array(corners), 0.0, size_mm)
    (left, top), (right, bottom) = places.min(axis=0), places.max(axis=0)
    return Zone(
        x_mm=round(float(left), 1),
        y_mm=round(float(top), 1),
        width_mm=round(max(1.0, float(right - left)), 1),
        height_mm=round(max(1.0, float(bottom - top)), 1),
    )
