"""Bilevel pages without loss (JBIG2, ITU-T T.88): what several pages have in common is kept once.

On a page, shapes that come in the dictionary are named and placed, shapes like them are refined from them to the last
pixel, and what is left is coded as it lies. A shape is never put in the place of another.
"""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.encode.ink import Ink, PackedInk
from papiermappe.core.encode.jbig2 import segments
from papiermappe.core.encode.jbig2.alike import grouped, nearest, voted
from papiermappe.core.encode.jbig2.boxes import boxed
from papiermappe.core.encode.jbig2.dictionary import LIKE, dictionary, dictionary_order, refined_dictionary
from papiermappe.core.encode.jbig2.generic import NOMINAL, WIDE, Adaptive, generic_region
from papiermappe.core.encode.jbig2.segments import Area
from papiermappe.core.encode.jbig2.shapes import Shapes, erase, hashes, joined, shapes_of
from papiermappe.core.encode.jbig2.symbols import Places, Symbols
from papiermappe.core.encode.jbig2.text import text_region

MAX_SIDE_PX = 65_535
SAME_KIND = 0.08  # shapes of a kind differ in at most this share of their ink
NEAR = 0.4  # a shape differs from the symbol it refines in at most this share of its ink
OWN_FROM = 4  # a shape that occurs this often becomes a symbol of its own
DICTIONARY_NUMBER, REFINED_NUMBER = 0, 1
PAGE_NUMBER, TEXT_NUMBER, GENERIC_NUMBER = 2, 3, 4


class SharedPages(NamedTuple):
    """Pages, as PDF embeds them (ISO 32000-1, 7.4.7): without file headers and end segments."""

    shared: bytes
    """What they have in common, to be read before each; empty where that is nothing."""
    pages: tuple[bytes, ...]


def page_stream(ink: Ink, quickly: bool = False) -> bytes:
    """Encode a page by itself.

    Args:
        ink: (h, w), True = black; each side 1 to 65,535.
        quickly: in half the time, up to a twentieth larger; readers are quicker then as well.

    Raises:
        ValueError: not such a picture.
    """
    return _page_start(_checked(ink)) + _as_it_lies(ink, (NOMINAL,) if quickly else (NOMINAL, WIDE))


def page_streams(pages: Sequence[PackedInk]) -> SharedPages:
    """Encode pages together, each in the smaller of two ways: with symbols, or as it lies.

    Args:
        pages: each as for `page_stream`; the more, the better they share. One is unpacked at a time.

    Raises:
        ValueError: not such pictures.
    """
    shared, with_symbols = _with_symbols(pages)
    if not shared:
        return _as_they_lie(pages)
    plain_sizes = [len(page_stream(page.unpacked(), quickly=True)) for page in pages]
    sizes = [min(len(stream), size) for stream, size in zip(with_symbols, plain_sizes, strict=True)]
    if len(shared) + sum(sizes) >= sum(plain_sizes):
        return _as_they_lie(pages)
    return SharedPages(
        shared,
        tuple(
            stream if len(stream) == size else page_stream(page.unpacked())
            for page, stream, size in zip(pages, with_symbols, sizes, strict=True)
        ),
    )


def _as_they_lie(pages: Sequence[PackedInk]) -> SharedPages:
    return SharedPages(b"", tuple(page_stream(page.unpacked()) for page in pages))


def _checked(ink: Ink) -> Ink:
    if ink.ndim != 2 or ink.dtype != np.bool_ or not all(1 <= side <= MAX_SIDE_PX for side in ink.shape):
        raise ValueError(
            f"a bool picture (h, w) of 1 to {MAX_SIDE_PX} px a side is needed, not {ink.dtype} {ink.shape}"
        )
    return ink


def _page_start(ink: Ink) -> bytes:
    height, width = ink.shape
    return segments.segment(PAGE_NUMBER, segments.PAGE, 1, segments.page_information(width, height))


def _as_it_lies(ink: Ink, among: Sequence[Adaptive]) -> bytes:
    """Return the segment of the part of a page that has ink; nothing where there is none."""
    left, top, width, height = cv2.boundingRect(ink.view(np.uint8))
    if not width:
        return b""
    region = generic_region(ink[top : top + height, left : left + width], among)
    data = segments.generic_data(Area(width, height, left, top), region)
    return segments.segment(GENERIC_NUMBER, segments.LOSSLESS_GENERIC, 1, data)


def _with_symbols(pages: Sequence[PackedInk]) -> tuple[bytes, list[bytes]]:
    """Return the dictionaries of pages, and the pages that refer to them; nothing where no shape is worth keeping."""
    found = [shapes_of(page.unpacked()) for page in pages]
    if not any(shapes.number for shapes in found):
        return b"", []
    kinds = _kinds(joined(found))
    if kinds.number == 0:
        return b"", []
    places = [_places(shapes, kinds) for shapes in found]
    boxes = boxed(kinds, places)
    models, others = _parted(boxes)
    order = np.concatenate([models, others])
    symbols, name = boxes.select(order), np.argsort(order)
    shared = _dictionaries(boxes.select(models), boxes.select(others))
    coded = [
        _page_with(symbols, len(shared), page.unpacked(), where._replace(symbol=name[where.symbol]))
        for page, where in zip(pages, places, strict=True)
    ]
    return b"".join(shared), coded


def _parted(symbols: Symbols) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return which symbols are kept as they are, and which are like one of those, each in the order of a dictionary."""
    first = grouped(symbols.shapes, LIKE).model == np.arange(symbols.number)
    ordered = dictionary_order(symbols)
    return ordered[first[ordered]], ordered[~first[ordered]]


def _dictionaries(models: Symbols, others: Symbols) -> list[bytes]:
    """Return the segments in which symbols are kept: as they are, and, where some are like them, refined from them."""
    plain = segments.dictionary_data(models.number, dictionary(models))
    kept = [segments.segment(DICTIONARY_NUMBER, segments.SYMBOL_DICTIONARY, 0, plain)]
    if others.number:
        refined = segments.refined_dictionary_data(others.number, refined_dictionary(others, models))
        kept.append(segments.segment(REFINED_NUMBER, segments.SYMBOL_DICTIONARY, 0, refined, [DICTIONARY_NUMBER]))
    return kept


def _kinds(shapes: Shapes) -> Shapes:
    """Return what is worth keeping: shapes that come often, and what shapes of a kind have in common."""
    _, first, counts = np.unique(hashes(shapes), return_index=True, return_counts=True)
    order = np.argsort(first)
    distinct, counts = shapes.select(first[order]), counts[order].astype(np.int64)
    kinds = grouped(distinct, SAME_KIND)
    comes = np.bincount(kinds.model, weights=counts, minlength=distinct.number)
    members = np.bincount(kinds.model, minlength=distinct.number)
    own = np.flatnonzero((counts >= OWN_FROM) | ((members == 1) & (counts > 1)))
    common = np.flatnonzero((comes > 1) & (members > 1))
    return _without_twins(joined([distinct.select(own), voted(distinct, kinds, counts, common)]))


def _without_twins(shapes: Shapes) -> Shapes:
    _, first = np.unique(hashes(shapes), return_index=True)
    return shapes.select(np.sort(first))


def _page_with(symbols: Symbols, dictionaries: int, ink: Ink, places: Places) -> bytes:
    """Encode a page by symbols, and what is left of it as it lies; it is used up."""
    coming = places.select(_on_page(places, symbols, ink.shape))
    stream = _page_start(ink)
    erase(ink, coming.shapes)
    if len(coming.symbol):
        data = segments.text_data(Area(*ink.shape[::-1]), len(coming.symbol), text_region(coming, symbols))
        stream += segments.segment(TEXT_NUMBER, segments.LOSSLESS_TEXT, 1, data, range(dictionaries))
    return stream + _as_it_lies(ink, (NOMINAL,))


def _places(shapes: Shapes, kinds: Shapes) -> Places:
    """Return where symbols occur: wherever a shape is near one."""
    matches = nearest(shapes, kinds, NEAR)
    at = np.flatnonzero(matches.model >= 0)
    near, which = shapes.select(at), matches.model[at]
    across, down = matches.across_px[at], matches.down_px[at]
    left, bottom = near.left - across, near.top - down + kinds.height[which] - 1
    return Places(which, left, bottom, matches.apart[at] > 0, near, across, down)


def _on_page(places: Places, symbols: Symbols, page: tuple[int, ...]) -> NDArray[np.int64]:
    """Return which places have their whole box on a page (h, w)."""
    which = places.symbol
    left, end = places.left - symbols.left[which], places.bottom + symbols.below[which] + 1
    right, top = left + symbols.width[which], end - symbols.height[which]
    return np.flatnonzero((left >= 0) & (top >= 0) & (right <= page[1]) & (end <= page[0]))
