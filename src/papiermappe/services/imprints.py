"""Imprints of pages: made when a page is examined, kept as long as there is room, made again at any time."""

from collections.abc import Sequence
from contextlib import suppress
from typing import NamedTuple

import structlog

from papiermappe.compute import Compute
from papiermappe.core.order.imprint import Imprint
from papiermappe.core.order.twins import Sameness, compare_in_turn
from papiermappe.core.pages import as_compared, capture_imprint
from papiermappe.core.treatment import Treatment
from papiermappe.errors import PapiermappeError, PictureRefused
from papiermappe.services.pages import analysis_of
from papiermappe.services.pictures import captured_picture
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Page

log = structlog.get_logger()

BATCH = 40


def imprint_key(sha256: str, found: Treatment) -> str:
    """Return where the imprint of a capture lies, given what was found on it."""
    return Blobs.imprint_key(as_compared(found).picture_key(sha256))


def imprint_of_page(store: Store, page: Page, compute: Compute, max_px: int) -> Imprint | None:
    """Return the imprint of a page; None where the page has not been examined, or its capture cannot be used."""
    analysis = analysis_of(page)
    if analysis is None:
        return None
    key = imprint_key(page.capture.sha256, analysis.treatment)
    try:
        return _kept(store, key) or _made(store, key, page, analysis.treatment, compute, max_px)
    except PapiermappeError as exc:
        log.warning("a page is compared without its picture", action="page.compare", page_id=page.id, cause=repr(exc))
        return None


class Compared(NamedTuple):
    """A page, compared with the one before it."""

    imprint: Imprint | None
    """Without its print at 75 dpi, which is needed for this only and is most of it."""
    again: Sameness
    """Whether it is the page before it, taken again."""


def compared_in_turn(store: Store, pages: Sequence[Page], compute: Compute, max_px: int) -> list[Compared]:
    """Return the imprints of pages, each compared with the page before it, a batch at a time."""
    compared: list[Compared] = []
    before: list[Imprint | None] = []
    for start in range(0, len(pages), BATCH):
        imprints = [imprint_of_page(store, page, compute, max_px) for page in pages[start : start + BATCH]]
        found = compute(compare_in_turn, before + imprints)[len(before) :]
        compared += [
            Compared(page and page._replace(ink_png=b""), same) for page, same in zip(imprints, found, strict=True)
        ]
        before = imprints[-1:]
    return compared


def _kept(store: Store, key: str) -> Imprint | None:
    """Return an imprint that is kept; None where there is none, or it is torn or of an earlier version."""
    kept = store.blobs.cached(key)
    with suppress(PictureRefused):
        return Imprint.from_bytes(kept) if kept else None
    return None


def _made(store: Store, key: str, page: Page, found: Treatment, compute: Compute, max_px: int) -> Imprint:
    made = compute(capture_imprint, captured_picture(store, page.capture, max_px), found)
    store.blobs.cache(key, made)
    return Imprint.from_bytes(made)
