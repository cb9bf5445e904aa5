"""JPEG (ITU-T T.81) by way of libjpeg."""

import cv2
import numpy as np

from papiermappe.core.picture import Pixels

PAGE_QUALITY = 85
THUMBNAIL_QUALITY = 80


def encode_jpeg(pixels: Pixels, quality: int = PAGE_QUALITY, small: bool = False, full_colour: bool = False) -> bytes:
    """Encode grey (h, w) or RGB (h, w, 3) as a baseline JPEG.

    Args:
        pixels: uint8.
        quality: 1 to 100.
        small: with tables made for this picture: smaller, but slower.
        full_colour: with colour at full resolution, not at half of it.
    """
    ordered = pixels if pixels.ndim == 2 else cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR)
    options = [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_OPTIMIZE, int(small)]
    if full_colour:
        options += [cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]
    done, data = cv2.imencode(".jpg", ordered, options)
    if not done:
        raise ValueError(f"a picture of shape {pixels.shape} cannot be a JPEG")
    return np.asarray(data).tobytes()
