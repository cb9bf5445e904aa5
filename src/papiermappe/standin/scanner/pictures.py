"""From an exposure to the bytes a scanner sends, with what was made before kept at hand."""

import io
from collections import OrderedDict
from concurrent.futures import Future, ThreadPoolExecutor
from datetime import UTC, datetime

import cv2
import numpy as np
from PIL import Image

from papiermappe.core.encode.encoded import from_jpeg
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.options import About
from papiermappe.core.encode.pdf import PdfPage, write_pdf
from papiermappe.core.order.places import Side
from papiermappe.core.picture import Pixels, to_grey
from papiermappe.standin.paper.physics import scan, to_bilevel
from papiermappe.standin.scanner.device import LIGHT, Colour, Exposure

KEPT_PICTURES = 420  # both sides of a long run
JPEG = "image/jpeg"
PNG = "image/png"
PDF = "application/pdf"


def develop(exposure: Exposure) -> Pixels:
    """Return the picture in the colour asked for: RGB or grey; bilevel as grey of 0 and 255."""
    seen = exposure.laid.side(exposure.side)
    behind = exposure.laid.side(Side.BACK if exposure.side is Side.FRONT else Side.FRONT)
    request = exposure.request
    others = [(laid.side(Side.FRONT), lay) for laid, lay in exposure.beside]
    picture = scan(seen, behind, exposure.lay, exposure.optics, exposure.region, request.dpi, exposure.seed, others)
    picture = lit(picture, request.brightness / LIGHT.normal - 1, request.contrast / LIGHT.normal - 1)
    if request.colour is Colour.COLOUR:
        return picture
    if request.colour is Colour.GREY:
        return to_grey(picture)
    return (~to_bilevel(picture)).astype("uint8") * 255


def lit(picture: Pixels, brightness: float, contrast: float) -> Pixels:
    """Return a picture with more or less brightness and contrast, -1 to 1 each; it is left as it is with 0 and 0."""
    if brightness == contrast == 0:
        return picture
    levels = np.arange(256.0)
    table = (levels - 128) * (1 + 0.8 * contrast) + 128 + 90 * brightness
    return np.asarray(cv2.LUT(picture, table.clip(0, 255).astype(np.uint8)), np.uint8)


def encode(pixels: Pixels, exposure: Exposure) -> bytes:
    """Encode as JPEG or, where asked for, PNG, the resolution in the head. Bilevel PNGs have one bit a pixel."""
    request = exposure.request
    out = io.BytesIO()
    dpi = (request.dpi, request.dpi)
    if request.document_format == PNG:
        picture = Image.fromarray(pixels)
        if request.colour is Colour.BILEVEL:
            picture = picture.convert("1", dither=Image.Dither.NONE)
        picture.save(out, "PNG", dpi=dpi, compress_level=3)
        return out.getvalue()
    quality = 95 - round(0.4 * request.compression)
    return _with_density(encode_jpeg(pixels, quality), request.dpi)


def _with_density(jpeg: bytes, dpi: int) -> bytes:
    """Write the resolution into the JFIF head (JFIF 1.02: units at byte 13, densities at 14 to 17)."""
    return jpeg[:13] + b"\x01" + dpi.to_bytes(2, "big") * 2 + jpeg[18:]


def as_pdf(pages: list[tuple[bytes, Exposure]]) -> bytes:
    """Return one PDF of JPEG pages, at the size of the scanned area."""
    out = io.BytesIO()
    sized = (PdfPage(from_jpeg(jpeg), exposure.region.width_mm, exposure.region.height_mm) for jpeg, exposure in pages)
    write_pdf(sized, out, About("Scan", datetime(2026, 1, 1, tzinfo=UTC)))
    return out.getvalue()


class PictureShelf:
    """Encoded pictures by exposure, drawn two at a time; the least used go first when there are too many."""

    def __init__(self) -> None:
        self._ordered: OrderedDict[str, Future[bytes]] = OrderedDict()
        self._draughtsmen = ThreadPoolExecutor(2, "draw")

    def order(self, exposure: Exposure) -> "Future[bytes]":
        """Return the encoded picture to come, drawn once however often it is ordered. Call from one thread only."""
        key = repr(exposure)
        if key not in self._ordered:
            self._ordered[key] = self._draughtsmen.submit(_draw, exposure)
        self._ordered.move_to_end(key)
        while len(self._ordered) > KEPT_PICTURES:
            self._ordered.popitem(last=False)
        return self._ordered[key]


def _draw(exposure: Exposure) -> bytes:
    return encode(develop(exposure), exposure)
