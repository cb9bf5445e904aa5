"""What each level makes of a Mappe: weighed on some of its pages, shown on a spot of one."""

import hashlib
from collections.abc import Mapping, Sequence

from pydantic import BaseModel, TypeAdapter
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.encode.level import Level
from papiermappe.core.pages import bytes_a_page, spots
from papiermappe.services.errors import NotFound
from papiermappe.services.journal import pages_of, treatment_of
from papiermappe.services.pictures import captured_picture
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Page
from papiermappe.store.queue import Work, hand_in

PAGES_WEIGHED = 6
WEIGHTS = "weights.json"
_WEIGHTS = TypeAdapter(dict[Level, float])


class Trial(BaseModel):
    """What is known of what the levels make of a Mappe."""

    bytes_a_page: Mapping[Level, float]
    """Empty where they have not been weighed yet."""
    spot: str
    """Names the page, as it is treated, whose spot is shown; empty where it has not been made yet."""


def trial(store: Store, mappe_id: int, page_id: int) -> Trial:
    """Return what is known of what the levels make of a Mappe, with the spot of a page. Raises NotFound."""
    with store.begin() as session:
        weighed = _name_of(_weighed(session, mappe_id))
        spot = _picture_of(_page(session, mappe_id, page_id))
    weights = Blobs.trial_key(weighed, WEIGHTS)
    return Trial(
        bytes_a_page=_WEIGHTS.validate_json(store.blobs.get(weights)) if store.blobs.has(weights) else {},
        spot=spot if _is_made(store, spot) else "",
    )


def order_trial(store: Store, mappe_id: int, page_id: int) -> None:
    """Have the levels tried. Raises NotFound."""
    with store.begin() as session:
        _page(session, mappe_id, page_id)
        hand_in(session, Work.TRY_LEVELS, mappe_id=mappe_id, page_id=page_id)


def try_levels(store: Store, mappe_id: int, page_id: int, compute: Compute, most_px: int) -> None:
    """Make the spot of a page and weigh the levels, as far as that has not been done."""
    try:
        with store.begin() as session:
            shown, weighed = _page(session, mappe_id, page_id), _weighed(session, mappe_id)
    except NotFound:
        return
    spot, weights = _picture_of(shown), Blobs.trial_key(_name_of(weighed), WEIGHTS)
    if not _is_made(store, spot):
        made = compute(spots, captured_picture(store, shown.capture, most_px), treatment_of(shown))
        for level, picture in made.items():
            store.blobs.cache(_spot_key(spot, level), picture)
    if not store.blobs.has(weights):
        pages = [(captured_picture(store, page.capture, most_px), treatment_of(page)) for page in weighed]
        store.blobs.cache(weights, _WEIGHTS.dump_json(compute(bytes_a_page, pages)))


def spot(store: Store, picture: str, level: Level) -> bytes:
    """Return the spot of a page, PNG, at a level. Raises BlobMissing."""
    return store.blobs.get(_spot_key(picture, level))


def _spot_key(picture: str, level: Level) -> str:
    return Blobs.trial_key(picture, f"{level}.png")


def _is_made(store: Store, picture: str) -> bool:
    return all(store.blobs.has(_spot_key(picture, level)) for level in Level)


def _page(session: Session, mappe_id: int, page_id: int) -> Page:
    page = session.get(Page, page_id)
    if page is None or page.mappe_id != mappe_id or page.put_away:
        raise NotFound("This page is not in the Mappe any more.")
    return page


def _weighed(session: Session, mappe_id: int) -> list[Page]:
    """Return some pages that stand for all: by how much their scans weigh, from the middle of each of some parts."""
    pages = [page for page in pages_of(session, mappe_id) if not page.put_away]
    by_weight = sorted(pages, key=lambda page: (page.capture.byte_size, page.id))
    parts = min(PAGES_WEIGHED, len(by_weight))
    return [by_weight[(2 * part + 1) * len(by_weight) // (2 * parts)] for part in range(parts)]


def _picture_of(page: Page) -> str:
    return treatment_of(page).picture_key(page.capture.sha256)


def _name_of(pages: Sequence[Page]) -> str:
    return hashlib.sha256(" ".join(map(_picture_of, pages)).encode()).hexdigest()[:32]
