"""Lossless pictures, for the programs we call and for picture files."""

from typing import NamedTuple

import cv2
import numpy as np

from papiermappe.core.picture import Pixels, to_grey
from papiermappe.core.reading.page_text import RecognitionMode

READING_DPI = {RecognitionMode.FAST: 150.0, RecognitionMode.ACCURATE: 300.0}
"""Finer pages are read no better, but more slowly."""

SMALL, QUICK = 6, 1
"""How hard deflate tries."""


def encode_png(pixels: Pixels, effort: int = SMALL) -> bytes:
    """Encode grey (h, w) or RGB (h, w, 3) as PNG."""
    ordered = pixels if pixels.ndim == 2 else cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR)
    return np.asarray(cv2.imencode(".png", ordered, [cv2.IMWRITE_PNG_COMPRESSION, effort])[1]).tobytes()


def encode_pgm(pixels: Pixels) -> bytes:
    """Encode a grey picture as PGM, which costs next to nothing; for a recogniser."""
    return np.asarray(cv2.imencode(".pgm", to_grey(pixels))[1]).tobytes()


class Readable(NamedTuple):
    """A page for a recogniser."""

    picture: bytes
    """Grey, PGM."""
    dpi: float

    def pixels(self) -> Pixels:
        """Return the page as grey (h, w)."""
        return np.asarray(cv2.imdecode(np.frombuffer(self.picture, np.uint8), cv2.IMREAD_GRAYSCALE), np.uint8)


def readable(page: Pixels, dpi: float, mode: RecognitionMode) -> Readable:
    """Return a page in grey, no finer than the mode of reading needs."""
    return no_finer(to_grey(page), dpi, READING_DPI[mode])


def no_finer(grey: Pixels, dpi: float, max_dpi: float) -> Readable:
    """Return a picture as grey (h, w), reduced to the finest resolution wanted if it is finer."""
    scale = max_dpi / dpi
    if scale >= 1:
        return Readable(encode_pgm(grey), dpi)
    width, height = (max(1, round(side * scale)) for side in grey.shape[::-1])
    smaller = cv2.resize(grey, (width, height), interpolation=cv2.INTER_AREA)
    return Readable(encode_pgm(np.asarray(smaller, np.uint8)), max_dpi)
