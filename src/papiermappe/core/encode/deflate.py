"""Pictures without loss: rows with PNG filters, deflated (ISO/IEC 15948, clauses 9 and 10), as PDF takes them up."""

import struct
import zlib

import cv2
import numpy as np

from papiermappe.core.encode.plain import encode_png
from papiermappe.core.picture import Pixels

SIGNATURE = b"\x89PNG\r\n\x1a\n"
HEAD_BYTES = len(SIGNATURE)
SAMPLED_ROWS = 64
MAX_OF_SAMPLE = 1.2  # a picture is given up if a sample of its rows exceeds its share of the limit by this factor


def encoded_within(page: Pixels, max_bytes: int) -> bytes | None:
    """Encode grey (h, w) or RGB (h, w, 3) without loss; None where that takes more than `max_bytes`."""
    height = page.shape[0]
    if height > 4 * SAMPLED_ROWS:
        starts = np.linspace(0, height - SAMPLED_ROWS // 4, 4).astype(int)
        sample = np.concatenate([page[start : start + SAMPLED_ROWS // 4] for start in starts])
        if len(_data(sample)) > MAX_OF_SAMPLE * max_bytes * len(sample) / height:
            return None
    data = _data(page)
    return data if len(data) <= max_bytes else None


def decoded(data: bytes, height_px: int, width_px: int, is_colour: bool) -> Pixels:
    """Return the picture that was encoded, (h, w) or RGB (h, w, 3)."""
    head = struct.pack(">IIBBBBB", width_px, height_px, 8, 2 if is_colour else 0, 0, 0, 0)
    png = SIGNATURE + b"".join(_chunk(kind, held) for kind, held in ((b"IHDR", head), (b"IDAT", data), (b"IEND", b"")))
    how = cv2.IMREAD_COLOR_RGB if is_colour else cv2.IMREAD_GRAYSCALE
    return np.asarray(cv2.imdecode(np.frombuffer(png, np.uint8), how), np.uint8)


def _chunk(kind: bytes, held: bytes) -> bytes:
    return struct.pack(">I", len(held)) + kind + held + struct.pack(">I", zlib.crc32(kind + held))


def _data(page: Pixels) -> bytes:
    """Return what the IDAT chunks of a PNG hold."""
    whole = encode_png(page)
    chunks, at = [], HEAD_BYTES
    while at < len(whole):
        size, kind = struct.unpack_from(">I4s", whole, at)
        if kind == b"IDAT":
            chunks.append(whole[at + 8 : at + 8 + size])
        at += 12 + size
    return b"".join(chunks)
