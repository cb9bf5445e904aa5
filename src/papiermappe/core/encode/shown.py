"""What a split page looks like, without a PDF reader in between."""

import cv2
import numpy as np

from papiermappe.core.encode.deflate import decoded
from papiermappe.core.encode.encoded import WHOLE_PAGE, Codec, EncodedPicture
from papiermappe.core.encode.ink import Ink
from papiermappe.core.encode.layers import Box, Rgb
from papiermappe.core.encode.levels import SplitPage
from papiermappe.core.picture import Pixels, decode


def shown(page: SplitPage, height_px: int, width_px: int) -> Pixels:
    """Return what a page looks like, RGB (h, w, 3), at the resolution of its ink, or the given one if it has none."""
    picture = np.full((height_px, width_px, 3), 255, np.uint8)
    for layer in page.layers:
        _paint(picture, layer.paint, layer.box, None)
    for ink in page.inks:
        _paint(picture, ink.paint or (0, 0, 0), WHOLE_PAGE, ink.ink.unpacked())
    return picture


def _paint(picture: Pixels, paint: EncodedPicture | Rgb, box: Box, where: Ink | None) -> None:
    height, width = picture.shape[:2]
    left, right = round(box.left * width), round(box.right * width)
    top, bottom = round(box.top * height), round(box.bottom * height)
    rows, cols = slice(top, min(bottom, height)), slice(left, min(right, width))
    part = picture[rows, cols]
    if isinstance(paint, EncodedPicture):
        colours = _decoded(paint)
        large = cv2.resize(
            colours if colours.ndim == 3 else np.dstack([colours] * 3),
            (right - left, bottom - top),
            interpolation=cv2.INTER_LINEAR,
        )
        seen = np.asarray(large[: part.shape[0], : part.shape[1]], np.uint8)
    else:
        seen = np.broadcast_to(np.array(paint, np.uint8), part.shape)
    if where is None:
        part[:] = seen
    else:
        np.copyto(part, seen, where=where[..., None])


def _decoded(picture: EncodedPicture) -> Pixels:
    if picture.codec is Codec.DEFLATE:
        return decoded(picture.data, picture.height_px, picture.width_px, picture.is_colour)
    return decode(picture.data)
