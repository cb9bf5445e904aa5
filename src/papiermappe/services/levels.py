"""What each level makes of a Mappe: its size estimated from some of the pages, its look shown on a sample of one."""

import hashlib
from collections.abc import Mapping, Sequence

from pydantic import BaseModel, TypeAdapter
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.encode.level import Level
from papiermappe.core.pages import PageSource, bytes_a_page, level_samples
from papiermappe.services.caller import Caller, visible_mappe
from papiermappe.services.errors import NotFound
from papiermappe.services.pages import analysis_of, pages_of, picture_name, treatment_of
from papiermappe.services.pictures import captured_picture
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.errors import BlobMissing
from papiermappe.store.models import Page
from papiermappe.store.queue import JobKind, enqueue

PAGES_ESTIMATED = 6
SIZES = "sizes.json"
_SIZES = TypeAdapter(dict[Level, float])


class Estimate(BaseModel):
    """What is known so far about the levels of a Mappe."""

    bytes_a_page: Mapping[Level, float]
    """Empty where it has not been estimated yet."""
    sample: str
    """Names the page, as it is treated, of which a sample is shown; empty where it has not been made yet."""


def estimate(caller: Caller, store: Store, mappe_id: int, page_id: int) -> Estimate:
    """Return what is known so far about the levels of a Mappe, with the sample of a page. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        chosen = _name_of(_chosen(session, mappe_id))
        sample = picture_name(_page(session, mappe_id, page_id))
    sizes = store.blobs.cached(Blobs.estimate_key(chosen, SIZES))
    return Estimate(
        bytes_a_page=_SIZES.validate_json(sizes) if sizes else {},
        sample=sample if _is_made(store, sample) else "",
    )


@transaction
def request_estimate(caller: Caller, session: Session, mappe_id: int, page_id: int) -> None:
    """Have the levels estimated. Raises NotFound."""
    visible_mappe(caller, session, mappe_id)
    _page(session, mappe_id, page_id)
    enqueue(session, JobKind.ESTIMATE_LEVELS, mappe_id=mappe_id, page_id=page_id)


def estimate_levels(store: Store, mappe_id: int, page_id: int, compute: Compute, max_px: int) -> None:
    """Make the sample of a page and estimate the sizes, unless that has been done."""
    try:
        with store.begin() as session:
            shown, chosen = _page(session, mappe_id, page_id), _chosen(session, mappe_id)
    except NotFound:
        return
    sample, sizes = picture_name(shown), Blobs.estimate_key(_name_of(chosen), SIZES)
    if not _is_made(store, sample):
        made = compute(level_samples, _source(store, shown, max_px))
        for level, picture in made.items():
            store.blobs.cache(_sample_key(sample, level), picture)
    if store.blobs.cached(sizes) is None:
        sources = [_source(store, page, max_px) for page in chosen]
        store.blobs.cache(sizes, _SIZES.dump_json(compute(bytes_a_page, sources)))


def sample(store: Store, picture: str, level: Level) -> bytes:
    """Return the sample of a page, PNG, at a level. Raises BlobMissing."""
    kept = store.blobs.cached(_sample_key(picture, level))
    if kept is None:
        raise BlobMissing("picture_gone")
    return kept


def _source(store: Store, page: Page, max_px: int) -> PageSource:
    analysis = analysis_of(page)
    colour = analysis.colour if analysis else ColourKind.COLOUR
    return PageSource(captured_picture(store, page.capture, max_px), treatment_of(page), colour)


def _sample_key(picture: str, level: Level) -> str:
    return Blobs.estimate_key(picture, f"{level}.png")


def _is_made(store: Store, picture: str) -> bool:
    return all(store.blobs.cached(_sample_key(picture, level)) is not None for level in Level)


def _page(session: Session, mappe_id: int, page_id: int) -> Page:
    page = session.get(Page, page_id)
    if page is None or page.mappe_id != mappe_id or page.set_aside:
        raise NotFound("page_gone")
    return page


def _chosen(session: Session, mappe_id: int) -> list[Page]:
    """Return representative pages: sorted by the size of their scans and split into parts, the middle of each part."""
    pages = [page for page in pages_of(session, mappe_id) if not page.set_aside]
    by_size = sorted(pages, key=lambda page: (page.capture.byte_size, page.id))
    parts = min(PAGES_ESTIMATED, len(by_size))
    return [by_size[(2 * part + 1) * len(by_size) // (2 * parts)] for part in range(parts)]


def _name_of(pages: Sequence[Page]) -> str:
    return hashlib.sha256(" ".join(map(picture_name, pages)).encode()).hexdigest()[:32]
