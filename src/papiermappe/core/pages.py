"""Whole steps of work on one page, for a process of its own: bytes and values in, bytes and values out."""

from collections.abc import Sequence

import numpy as np

from papiermappe.core.clean.arrival import Look, look_at
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.formats import Format, ReadyPage, ready_page
from papiermappe.core.encode.jpeg import PAGE_QUALITY, encode_jpeg
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import finished, prepared
from papiermappe.core.encode.plain import Readable, encode_png, readable
from papiermappe.core.encode.shown import shown
from papiermappe.core.page_text import Care
from papiermappe.core.picture import CapturedPicture, DecodedOnce, Pixels
from papiermappe.core.spot import telling_spot
from papiermappe.core.treatment import Tone, Treatment, render

SPOT_MM = 44.0, 25.0


def page_jpeg(
    capture: CapturedPicture, treatment: Treatment, width_px: int | None = None, quality: int = PAGE_QUALITY
) -> bytes:
    """Return the page picture as a JPEG. Raises PictureRefused."""
    return encode_jpeg(render(capture, treatment, width_px), quality)


def page_for_file(
    capture: CapturedPicture, treatment: Treatment, kind: Format, level: Level, care: Care | None
) -> tuple[ReadyPage, Readable | None]:
    """Return the page picture, ready for a file, and, where it is to be read with some care, for that.

    Raises:
        PictureRefused: the capture cannot be decoded.
    """
    page = render(capture, treatment)
    ready = ready_page(page, capture.dpi, kind, level, bilevel=treatment.tone is Tone.BILEVEL)
    return ready, readable(page, capture.dpi, care) if care else None


def readable_page(capture: CapturedPicture, treatment: Treatment, care: Care) -> Readable:
    """Return the page picture for a recogniser. Raises PictureRefused."""
    in_grey = {Tone.AS_SCANNED: Tone.GREY}
    toned = treatment.model_copy(update={"tone": in_grey.get(treatment.tone, treatment.tone)})
    return readable(render(capture, toned), capture.dpi, care)


def bytes_a_page(pages: Sequence[tuple[CapturedPicture, Treatment]]) -> dict[Level, float]:
    """Return what some pages of a document weigh at each level, on average. Raises PictureRefused."""
    rendered = [(render(capture, treatment), capture.dpi, treatment) for capture, treatment in pages]
    return {level: _weight(rendered, level) / len(pages) for level in Level}


def _weight(pages: Sequence[tuple[Pixels, float, Treatment]], level: Level) -> int:
    done = finished([prepared(page, dpi, level, treatment.tone is Tone.BILEVEL) for page, dpi, treatment in pages])
    shared = {picture.shared for page in done for picture in page.pictures()}
    return sum(page.byte_size for page in done) + sum(map(len, shared))


def spots(capture: CapturedPicture, treatment: Treatment) -> dict[Level, bytes]:
    """Return the spot of a page that tells most, as it looks at each level, PNG. Raises PictureRefused."""
    page = render(capture, treatment)
    spot = telling_spot(page, capture.dpi, *SPOT_MM)
    looks = {
        level: shown(prepared(page, capture.dpi, level, treatment.tone is Tone.BILEVEL), *page.shape[:2])
        for level in Level
    }
    return {level: encode_png(np.ascontiguousarray(look[spot])) for level, look in looks.items()}


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
