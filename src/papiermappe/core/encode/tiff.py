"""TIFF (revision 6.0) with one page or many, by way of libtiff."""

from collections.abc import Iterable
from typing import Any, BinaryIO, NamedTuple

import numpy as np
from PIL import Image
from PIL.TiffImagePlugin import AppendingTiffWriter

from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import BLACK_BELOW
from papiermappe.core.picture import Pixels

JPEG_QUALITY = {Level.BALANCED: 85, Level.LEAN: 60}


class TiffPage(NamedTuple):
    """One page."""

    pixels: Pixels
    """Grey (h, w) or RGB (h, w, 3)."""
    dpi: float
    bilevel: bool
    """Whether it is ink and paper only: it is coded by the fax code then (ITU-T T.6)."""


def write_tiff(pages: Iterable[TiffPage], out: BinaryIO, level: Level) -> int:
    """Write pages, taken one at a time: without loss where the level is faithful, as JPEG inside where it is not.

    Returns:
        The number of pages written. `out` has to be open for reading as well.

    Raises:
        ValueError: there are no pages.
    """
    count = 0
    with AppendingTiffWriter(out) as file:
        for page in pages:
            frame, how = _frame(page, level)
            frame.save(file, "TIFF", dpi=(page.dpi, page.dpi), **how)
            file.newFrame()
            count += 1
        if not count:
            raise ValueError("a TIFF needs at least one page")
    return count


def _frame(page: TiffPage, level: Level) -> tuple[Image.Image, dict[str, Any]]:
    """Return a page, and how it is to be encoded."""
    if page.bilevel:
        return Image.fromarray(np.greater_equal(page.pixels, BLACK_BELOW)), {"compression": "group4"}
    quality = JPEG_QUALITY.get(level)
    how = {"compression": "tiff_adobe_deflate"} if quality is None else {"compression": "jpeg", "quality": quality}
    return Image.fromarray(page.pixels), how
