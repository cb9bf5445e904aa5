"""JPEG (ITU-T T.81) by way of libjpeg."""

import cv2
import numpy as np

from papiermappe.core.picture import Pixels

PAGE_QUALITY = 85
THUMBNAIL_QUALITY = 80


def encode_jpeg(pixels: Pixels, quality: int = PAGE_QUALITY) -> bytes:
    """Encode grey (h, w) or RGB (h, w, 3) as a baseline JPEG."""
    ordered = pixels if pixels.ndim == 2 else cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR)
    done, data = cv2.imencode(".jpg", ordered, [cv2.IMWRITE_JPEG_QUALITY, quality])
    if not done:
        raise ValueError(f"a picture of shape {pixels.shape} cannot be a JPEG")
    return np.asarray(data).tobytes()
