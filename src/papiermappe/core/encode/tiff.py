"""TIFF (revision 6.0) with one page or many, by way of libtiff."""

from collections.abc import Iterable
from typing import Any, BinaryIO, NamedTuple

import numpy as np
from anyascii import anyascii
from PIL import Image
from PIL.TiffImagePlugin import AppendingTiffWriter

from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import BLACK_BELOW
from papiermappe.core.encode.options import About, TiffCoding
from papiermappe.core.picture import Pixels

JPEG_QUALITY = {Level.BALANCED: 85, Level.LEAN: 60}
FAITHFUL_JPEG_QUALITY = 95
DOCUMENT_NAME, IMAGE_DESCRIPTION, ARTIST = 269, 270, 315  # tags


class TiffPage(NamedTuple):
    """One page."""

    pixels: Pixels
    """Grey (h, w) or RGB (h, w, 3)."""
    dpi: float
    bilevel: bool
    """Whether it is ink and paper only: it is coded by the fax code then (ITU-T T.6)."""


def write_tiff(
    pages: Iterable[TiffPage],
    out: BinaryIO,
    level: Level,
    coding: TiffCoding = TiffCoding.AS_LEVEL,
    about: About | None = None,
) -> int:
    """Write pages, taken one at a time.

    Args:
        pages: in their order.
        out: where they go; open for reading as well.
        level: how small they become.
        coding: how they are coded; for the fax code they must be bilevel.
        about: what the file says of itself, with its first page.

    Returns:
        The number of pages written.

    Raises:
        ValueError: there are no pages.
    """
    count = 0
    with AppendingTiffWriter(out) as file:
        for page in pages:
            frame, how = _frame(page, level, coding)
            told = _told(about) if about and not count else {}
            frame.save(file, "TIFF", dpi=(page.dpi, page.dpi), tiffinfo=told, **how)
            file.newFrame()
            count += 1
        if not count:
            raise ValueError("a TIFF needs at least one page")
    return count


def _frame(page: TiffPage, level: Level, coding: TiffCoding) -> tuple[Image.Image, dict[str, Any]]:
    """Return a page, and how it is to be encoded."""
    if page.bilevel and coding in {TiffCoding.AS_LEVEL, TiffCoding.FAX}:
        return Image.fromarray(np.greater_equal(page.pixels, BLACK_BELOW)), {"compression": "group4"}
    lossless = coding is TiffCoding.DEFLATE or (coding is TiffCoding.AS_LEVEL and level is Level.FAITHFUL)
    quality = JPEG_QUALITY.get(level, FAITHFUL_JPEG_QUALITY)
    how = {"compression": "tiff_adobe_deflate"} if lossless else {"compression": "jpeg", "quality": quality}
    return Image.fromarray(page.pixels), how


def _told(about: About) -> dict[int, str]:
    """Return what a file says of itself, in ASCII: TIFF knows no other letters."""
    told = {DOCUMENT_NAME: about.title, IMAGE_DESCRIPTION: about.subject, ARTIST: about.author}
    return {tag: anyascii(text) for tag, text in told.items() if text}
