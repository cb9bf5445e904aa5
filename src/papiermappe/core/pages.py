"""Whole steps of work on one page, for a process of its own: bytes and values in, bytes and values out."""

from papiermappe.core.clean.arrival import Look, look_at
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.jpeg import PAGE_QUALITY, encode_jpeg
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import PreparedPage, prepared
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import Tone, Treatment, render


def page_jpeg(
    capture: CapturedPicture, treatment: Treatment, width_px: int | None = None, quality: int = PAGE_QUALITY
) -> bytes:
    """Return the page picture as a JPEG. Raises PictureRefused."""
    return encode_jpeg(render(capture, treatment, width_px), quality)


def prepared_page(capture: CapturedPicture, treatment: Treatment, level: Level) -> PreparedPage:
    """Return the page picture, prepared for a document. Raises PictureRefused."""
    return prepared(render(capture, treatment), capture.dpi, level, bilevel=treatment.tone is Tone.BILEVEL)


def looked_at(
    capture: CapturedPicture,
    width_px: int,
    quality: int,
    upright: TurnEstimate | None = None,
    usual_height_mm: float | None = None,
) -> tuple[Look, bytes]:
    """Return what is found on a capture, and a small picture of the page that follows. Raises PictureRefused."""
    look = look_at(capture, upright, usual_height_mm)
    return look, page_jpeg(capture, look.treatment, width_px, quality)
