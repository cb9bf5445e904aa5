"""TIFF (revision 6.0) with one page or many, by way of libtiff."""

from collections.abc import Iterable
from itertools import chain
from typing import BinaryIO, NamedTuple

import numpy as np
from PIL import Image

from papiermappe.core.encode.level import Level
from papiermappe.core.picture import Pixels

BLACK_BELOW = 128
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
        The number of pages written.

    Raises:
        ValueError: there are no pages.
    """
    count = 0

    def frames() -> Iterable[Image.Image]:
        nonlocal count
        for page in pages:
            count += 1
            yield _frame(page, level)

    rest = iter(frames())
    first = next(rest, None)
    if first is None:
        raise ValueError("a TIFF needs at least one page")
    first.save(out, "TIFF", save_all=True, append_images=chain(rest), **first.encoderinfo)
    return count


def _frame(page: TiffPage, level: Level) -> Image.Image:
    """Return a page with how it is to be encoded."""
    if page.bilevel:
        frame = Image.fromarray(np.greater_equal(page.pixels, BLACK_BELOW))
        how: dict[str, object] = {"compression": "group4"}
    else:
        frame = Image.fromarray(page.pixels)
        quality = JPEG_QUALITY.get(level)
        how = {"compression": "tiff_adobe_deflate"} if quality is None else {"compression": "jpeg", "quality": quality}
    frame.encoderinfo = {**how, "dpi": (page.dpi, page.dpi)}
    return frame
