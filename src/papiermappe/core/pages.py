"""Whole steps of work on one page, for a process of its own: bytes and values in, bytes and values out."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from papiermappe.core.clean.arrival import Look, look_at
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.jpeg import PAGE_QUALITY, encode_jpeg
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import PreparedPage, finished, prepared
from papiermappe.core.encode.plain import Readable, encode_png, readable
from papiermappe.core.encode.shown import shown
from papiermappe.core.page_text import Care
from papiermappe.core.picture import CapturedPicture, DecodedOnce
from papiermappe.core.spot import telling_spot
from papiermappe.core.treatment import Tone, Treatment, render

SPOT_MM = 44.0, 25.0


def page_jpeg(
    capture: CapturedPicture, treatment: Treatment, width_px: int | None = None, quality: int = PAGE_QUALITY
) -> bytes:
    """Return the page picture as a JPEG. Raises PictureRefused."""
    return encode_jpeg(render(capture, treatment, width_px), quality)


def prepared_page(
    capture: CapturedPicture, treatment: Treatment, level: Level, care: Care | None
) -> tuple[PreparedPage, Readable | None]:
    """Return the page picture, prepared for a document, and, where it is to be read with some care, for that.

    Raises:
        PictureRefused: the capture cannot be decoded.
    """
    page = render(capture, treatment)
    ready = prepared(page, capture.dpi, level, bilevel=treatment.tone is Tone.BILEVEL)
    return ready, readable(page, capture.dpi, care) if care else None


def readable_page(capture: CapturedPicture, treatment: Treatment, care: Care) -> Readable:
    """Return the page picture for a recogniser. Raises PictureRefused."""
    in_grey = {Tone.AS_SCANNED: Tone.GREY}
    toned = treatment.model_copy(update={"tone": in_grey.get(treatment.tone, treatment.tone)})
    return readable(render(capture, toned), capture.dpi, care)


class TriedLevel(NamedTuple):
    """What a level makes of some pages."""

    level: Level
    bytes_a_page: float
    spot: bytes
    """PNG: the same spot of the first page at every level."""


def tried_levels(pages: Sequence[tuple[CapturedPicture, Treatment]]) -> list[TriedLevel]:
    """Return what each level makes of some pages of a document. Raises PictureRefused."""
    rendered = [render(capture, treatment) for capture, treatment in pages]
    first, dpi = rendered[0], pages[0][0].dpi
    spot = telling_spot(first, dpi, *SPOT_MM)
    tried = []
    for level in Level:
        ready = [
            prepared(page, capture.dpi, level, bilevel=treatment.tone is Tone.BILEVEL)
            for page, (capture, treatment) in zip(rendered, pages, strict=True)
        ]
        done = finished(ready)
        shared = {picture.shared for page in done for picture in page.pictures()}
        weight = sum(page.byte_size for page in done) + sum(map(len, shared))
        look = shown(ready[0], *first.shape[:2])[spot]
        tried.append(TriedLevel(level, weight / len(pages), encode_png(np.ascontiguousarray(look))))
    return tried


def looked_at(
    capture: CapturedPicture,
    width_px: int,
    quality: int,
    upright: TurnEstimate | None = None,
    usual_height_mm: float | None = None,
) -> tuple[Look, bytes]:
    """Return what is found on a capture, and a small picture of the page that follows. Raises PictureRefused."""
    once = DecodedOnce(capture.data, capture.dpi, capture.limit_px)
    look = look_at(once, upright, usual_height_mm)
    return look, page_jpeg(once, look.treatment, width_px, quality)
