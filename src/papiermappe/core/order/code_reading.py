"""Codes on pages: found and read; and drawn, for dividers."""

from collections.abc import Iterator

import cv2
import numpy as np
import zxingcpp
from numpy.typing import NDArray

from papiermappe.core.naming.names import one_line
from papiermappe.core.order.codes import MAX_TEXT, CodeFormat, PageCode
from papiermappe.core.picture import Pixels

MAX_CODES = 12
READ_DPI = 150
"""Finer pictures are reduced to it: codes that are meant for scanners are readable then, and much faster."""

CELL_PX, WINDOW_CELLS = 7, 7  # at READ_DPI: a window of the least side of a square code
PAD_PX = 70  # what is taken around what looks like a code
INK_SHARES = 0.28, 0.74  # of a square code, and hardly ever of print
EDGES_SHARE = 0.045  # changes from ink to paper, across and down, a pixel
MOST_PATCHES, MOST_PATCH_PX = 6, 420
LOOKED_AT_CLOSELY = 2
SHARPENED_BY, SHARPENED_PX = (2, 1), 4

_FORMATS = {
    CodeFormat.QR: zxingcpp.QRCode,
    CodeFormat.DATA_MATRIX: zxingcpp.DataMatrix,
    CodeFormat.CODE_128: zxingcpp.Code128,
    CodeFormat.CODE_39: zxingcpp.Code39,
    CodeFormat.EAN_13: zxingcpp.EAN13,
}
_ALL = zxingcpp.BarcodeFormats(list(_FORMATS.values()))
_SQUARE = zxingcpp.BarcodeFormats([zxingcpp.QRCode, zxingcpp.DataMatrix])
_NAMES = {str(of_library): ours for ours, of_library in _FORMATS.items()}


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
    scale = READ_DPI / dpi if dpi > READ_DPI * 1.5 else 1.0
    if scale * min(grey.shape) < CELL_PX:
        return []  # no code is as small
    if scale < 1:
        grey = np.asarray(cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.uint8)
    found = _in_order(_read(grey, _ALL)) or _read_stained(grey)
    distinct = {(_NAMES[str(code.format)], text): None for code in found if (text := one_line(code.text)[:MAX_TEXT])}
    return [PageCode(format=kind, text=text) for kind, text in list(distinct)[:MAX_CODES]]


def _read(grey: Pixels, formats: zxingcpp.BarcodeFormats) -> list[zxingcpp.Barcode]:
    return zxingcpp.read_barcodes(
        grey, formats=formats, try_downscale=False, try_invert=False, text_mode=zxingcpp.TextMode.Plain
    )


def _in_order(found: list[zxingcpp.Barcode]) -> list[zxingcpp.Barcode]:
    return sorted(found, key=lambda code: (code.position.top_left.y, code.position.top_left.x))


def _read_stained(grey: Pixels) -> list[zxingcpp.Barcode]:
    """Return square codes that are read only where their stains are taken out, and some only at another size."""
    patches = list(_patches(grey))
    found = [code for patch in patches for code in _read(_enlarged(patch, 2), _SQUARE)]
    if found:
        return found
    for patch in patches[:LOOKED_AT_CLOSELY]:
        for closer in _closer(patch):
            if found := _read(closer, _SQUARE):
                return found
    return []


def _closer(patch: Pixels) -> Iterator[Pixels]:
    twice = _enlarged(patch, 2)
    for by in SHARPENED_BY:
        yield _sharpened(twice, by)
    yield _enlarged(patch, 3)


def _enlarged(patch: Pixels, times: int) -> Pixels:
    return np.asarray(cv2.resize(patch, None, fx=times, fy=times, interpolation=cv2.INTER_CUBIC), np.uint8)


def _sharpened(patch: Pixels, by: int) -> Pixels:
    soft = cv2.GaussianBlur(patch, (0, 0), SHARPENED_PX)
    return np.asarray(cv2.addWeighted(patch, 1 + by, soft, -by, 0), np.uint8)


def _patches(grey: Pixels) -> Iterator[Pixels]:
    """Yield what looks like a square code, with its stains taken out, the largest first."""
    even = _evened(grey)
    ink = np.asarray(cv2.threshold(even, 150, 255, cv2.THRESH_BINARY_INV)[1], np.uint8)
    here = ink[1:, 1:]
    dense, changes_across, changes_down = map(_share_about, (here, here ^ ink[1:, :-1], here ^ ink[:-1, 1:]))
    code_like = (dense > INK_SHARES[0]) & (dense < INK_SHARES[1])
    code_like &= (changes_across > EDGES_SHARE) & (changes_down > EDGES_SHARE)
    count, _, boxes, _ = cv2.connectedComponentsWithStats(code_like.astype(np.uint8))
    largest = sorted(range(1, count), key=lambda at: -int(boxes[at, cv2.CC_STAT_AREA]))[:MOST_PATCHES]
    for left, top, width, height in (boxes[at, :4] * CELL_PX for at in largest):
        if max(width, height) > MOST_PATCH_PX:
            continue  # a picture
        yield even[max(0, top - PAD_PX) : top + height + PAD_PX, max(0, left - PAD_PX) : left + width + PAD_PX]


def _share_about(levels: Pixels) -> NDArray[np.float32]:
    """Return the share of set pixels about each cell of a page, a square of CELL_PX each way."""
    cells = cv2.resize(levels, None, fx=1 / CELL_PX, fy=1 / CELL_PX, interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.blur(cells.astype(np.float32) / 255, (WINDOW_CELLS, WINDOW_CELLS)), np.float32)


def _evened(grey: Pixels) -> Pixels:
    """Return a page with its paper, stained or shaded, at one level."""
    small = cv2.resize(grey, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    closed = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((13, 13), np.uint8))
    paper = np.asarray(cv2.resize(cv2.blur(closed, (9, 9)), grey.shape[::-1]), np.uint8)
    return np.asarray(cv2.divide(grey, np.maximum(paper, 1), scale=235), np.uint8)
