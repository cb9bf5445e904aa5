"""Codes printed on pages: bar codes and two-dimensional ones."""

from enum import StrEnum
from typing import Annotated

import cv2
import numpy as np
import zxingcpp
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.picture import Pixels

MAX_TEXT = 300
MAX_CODES = 12
READ_DPI = 150
"""Finer pictures are reduced to it: codes that are meant for scanners are readable then, and much faster."""


class CodeFormat(StrEnum):
    """The kinds of codes that are looked for."""

    QR = "qr"
    """ISO/IEC 18004."""
    DATA_MATRIX = "data_matrix"
    """ISO/IEC 16022."""
    CODE_128 = "code_128"
    """ISO/IEC 15417."""
    CODE_39 = "code_39"
    """ISO/IEC 16388."""
    EAN_13 = "ean_13"
    """ISO/IEC 15420."""


_FORMATS = {
    CodeFormat.QR: zxingcpp.QRCode,
    CodeFormat.DATA_MATRIX: zxingcpp.DataMatrix,
    CodeFormat.CODE_128: zxingcpp.Code128,
    CodeFormat.CODE_39: zxingcpp.Code39,
    CodeFormat.EAN_13: zxingcpp.EAN13,
}
_ALL = zxingcpp.BarcodeFormats(list(_FORMATS.values()))
_NAMES = {str(of_library): ours for ours, of_library in _FORMATS.items()}


class PageCode(BaseModel):
    """A code that was read on a page. Its text comes from outside: it may say anything."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: CodeFormat
    text: Annotated[str, Field(min_length=1, max_length=MAX_TEXT)]


def qr_squares(text: str) -> NDArray[np.bool_]:
    """Return the squares of a QR code with the most error correction: (N, N) bool, True = ink, without a rim."""
    code = zxingcpp.create_barcode(text, zxingcpp.QRCode, ec_level="H")
    picture: Pixels = np.asarray(zxingcpp.write_barcode_to_image(code, scale=1, add_quiet_zones=False), np.uint8)
    return ~picture.astype(np.bool_)


def read_codes(grey: Pixels, dpi: float) -> list[PageCode]:
    """Return the codes on a page, each text once, from its top.

    Args:
        grey: (H, W) uint8, the page in any position.
        dpi: of it. Below 100 dpi small codes are not read.
    """
    if dpi > READ_DPI * 1.5:
        scale = READ_DPI / dpi
        grey = np.asarray(cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.uint8)
    found = _read(grey)
    distinct = {(_NAMES[str(code.format)], text): None for code in found if (text := _clean(code.text))}
    return [PageCode(format=kind, text=text) for kind, text in list(distinct)[:MAX_CODES]]


def _read(grey: Pixels) -> list[zxingcpp.Barcode]:
    found = zxingcpp.read_barcodes(
        grey, formats=_ALL, try_downscale=False, try_invert=False, text_mode=zxingcpp.TextMode.Plain
    )
    return sorted(found, key=lambda code: (code.position.top_left.y, code.position.top_left.x))


def _clean(text: str) -> str:
    """Return a code's text without control characters, on one line."""
    return " ".join("".join(letter if letter.isprintable() else " " for letter in text).split())[:MAX_TEXT]
