"""Encoded pictures of pages, as files take them up."""

from enum import StrEnum
from typing import NamedTuple

import numpy as np

from papiermappe.core.encode import jbig2
from papiermappe.core.encode.jpeg import PAGE_QUALITY, encode_jpeg
from papiermappe.core.picture import Pixels, read_head

BLACK_BELOW = 128


class Codec(StrEnum):
    """How a picture is encoded."""

    JPEG = "jpeg"
    JBIG2 = "jbig2"


class EncodedPicture(NamedTuple):
    """A picture as it lies in a file."""

    codec: Codec
    data: bytes
    width_px: int
    height_px: int
    is_colour: bool


def from_jpeg(data: bytes) -> EncodedPicture:
    """Take a JPEG as it is. Raises PictureRefused."""
    head = read_head(data)
    return EncodedPicture(Codec.JPEG, data, head.width_px, head.height_px, head.is_colour)


def encoded(page: Pixels, bilevel: bool, quality: int = PAGE_QUALITY) -> EncodedPicture:
    """Encode a page: ink and paper only without loss, grey (h, w) and RGB (h, w, 3) as JPEG.

    Args:
        page: uint8.
        bilevel: whether it is ink and paper only.
        quality: of the JPEG.
    """
    height, width = page.shape[:2]
    if bilevel:
        return EncodedPicture(Codec.JBIG2, jbig2.page_stream(np.less(page, BLACK_BELOW)), width, height, False)
    return EncodedPicture(Codec.JPEG, encode_jpeg(page, quality), width, height, page.ndim == 3)
