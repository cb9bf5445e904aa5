"""Imprints of pages: made when a page is examined, kept as long as there is room, made again at any time."""

import structlog

from papiermappe.compute import Compute
from papiermappe.core.order.imprint import Imprint
from papiermappe.core.pages import as_compared, capture_imprint
from papiermappe.core.treatment import Treatment
from papiermappe.errors import PapiermappeError
from papiermappe.services.pages import analysis_of
from papiermappe.services.pictures import captured_picture
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Page

log = structlog.get_logger()


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
        kept = store.blobs.cached(key)
        if kept is None:
            kept = compute(capture_imprint, captured_picture(store, page.capture, max_px), analysis.treatment)
            store.blobs.cache(key, kept)
        return Imprint.from_bytes(kept)
    except PapiermappeError as exc:
        log.warning("a page is compared without its picture", action="page.compare", page_id=page.id, cause=repr(exc))
        return None
