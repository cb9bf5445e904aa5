"""Pictures without loss, for programs beside us and for files of their own."""

import cv2
import numpy as np

from papiermappe.core.picture import Pixels, to_grey

SMALL, QUICK = 6, 1
"""How hard deflate tries."""


def encode_png(pixels: Pixels, effort: int = SMALL) -> bytes:
    """Encode grey (h, w) or RGB (h, w, 3) as PNG."""
    ordered = pixels if pixels.ndim == 2 else cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR)
    return np.asarray(cv2.imencode(".png", ordered, [cv2.IMWRITE_PNG_COMPRESSION, effort])[1]).tobytes()


def encode_pgm(pixels: Pixels) -> bytes:
    """Encode a picture in grey as PGM: next to no work, for a recogniser."""
    return np.asarray(cv2.imencode(".pgm", to_grey(pixels))[1]).tobytes()
