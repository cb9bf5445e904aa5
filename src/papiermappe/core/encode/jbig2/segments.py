"""The segments of which JBIG2 files and streams are made (ITU-T T.88, clause 7 and annex D)."""

import struct
from collections.abc import Sequence
from itertools import chain
from typing import NamedTuple

from papiermappe.core.encode.jbig2.generic import GenericRegion

SYMBOL_DICTIONARY, LOSSLESS_TEXT, LOSSLESS_GENERIC, PAGE, END_OF_PAGE, END_OF_FILE = 0, 7, 39, 48, 49, 51  # 7.3
FILE_ID = b"\x97JB2\r\n\x1a\n"
LAST_NUMBER = 255
SEQUENTIAL_KNOWN_PAGES = 1  # flags of the file header (D.4.2)
NOMINAL_AT_1 = struct.pack(">2b", 3, -1)  # adaptive pixels at their usual places: template 1 (6.2.5.4)...
NOMINAL_REFINEMENT_AT = struct.pack(">4b", -1, -1, -1, -1)  # ...and refinement template 0 (6.3.5.3)
TYPICAL_PREDICTION = 1 << 3  # 7.4.6.2
TEMPLATE_1 = 1 << 10  # 7.4.2.1.1
REFINED = 1 << 1  # 7.4.2.1.1 and 7.4.3.1.1


class Area(NamedTuple):
    """A part of a page."""

    width_px: int
    height_px: int
    left_px: int = 0
    top_px: int = 0


def segment(number: int, kind: int, page: int, data: bytes, refers_to: Sequence[int] = ()) -> bytes:
    """Return a segment with its header (7.2).

    Args:
        number: below 256.
        kind: as in 7.3.
        page: 0 where it belongs to none.
        data: what it holds.
        refers_to: up to four segments before it.
    """
    return struct.pack(">IBB", number, kind, len(refers_to) << 5) + bytes([*refers_to, page]) + _sized(data)


def _sized(data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + data


def page_information(width_px: int, height_px: int) -> bytes:
    """Return what is said of a page: no resolution, no loss, not in stripes (7.4.8)."""
    return struct.pack(">IIIIBH", width_px, height_px, 0, 0, 1, 0)


def generic_data(area: Area, region: GenericRegion) -> bytes:
    """Return a generic region: template 0, typical prediction (7.4.6)."""
    flags = bytes([TYPICAL_PREDICTION])
    return _on(area) + flags + struct.pack(">8b", *chain(*region.adaptive)) + region.coded


def dictionary_data(symbols: int, coded: bytes) -> bytes:
    """Return a dictionary of symbols as they are, all for use (7.4.2)."""
    return struct.pack(">H", TEMPLATE_1) + NOMINAL_AT_1 + struct.pack(">II", symbols, symbols) + coded


def refined_dictionary_data(symbols: int, coded: bytes) -> bytes:
    """Return a dictionary of symbols that are refined from others, all for use (7.4.2)."""
    flags = struct.pack(">H", REFINED | TEMPLATE_1)
    return flags + NOMINAL_AT_1 + NOMINAL_REFINEMENT_AT + struct.pack(">II", symbols, symbols) + coded


def text_data(area: Area, places: int, coded: bytes) -> bytes:
    """Return a text region: strips of one row, bottom left corners, what is there already stays (7.4.3)."""
    flags = struct.pack(">H", REFINED)
    return _on(area) + flags + NOMINAL_REFINEMENT_AT + struct.pack(">I", places) + coded


def _on(area: Area) -> bytes:
    return struct.pack(">IIIIB", *area, 0)  # 7.4.1: OR


def file_of(page: bytes, shared: bytes = b"") -> bytes:
    """Return a file of a page as PDF embeds it, and of what it shares with others (annex D.1)."""
    header = FILE_ID + bytes([SEQUENTIAL_KNOWN_PAGES]) + struct.pack(">I", 1)
    ends = segment(LAST_NUMBER - 1, END_OF_PAGE, 1, b"") + segment(LAST_NUMBER, END_OF_FILE, 0, b"")
    return header + shared + page + ends
