"""What each level makes of a Mappe: tried on some of its pages, shown on a spot of one."""

import hashlib

from pydantic import BaseModel
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.encode.level import Level
from papiermappe.core.order.places import reading_order
from papiermappe.core.pages import tried_levels
from papiermappe.services.errors import NotFound
from papiermappe.services.journal import pages_of, place_of, treatment_of
from papiermappe.services.pictures import captured_picture
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Page
from papiermappe.store.queue import Work, hand_in

PAGES_TRIED = 6
SIZES = "sizes.json"


class LevelView(BaseModel):
    """What a level makes of a Mappe."""

    level: Level
    bytes_a_page: float


class Trial(BaseModel):
    """What the levels make of a Mappe."""

    pages: str
    """Names the pages that it was tried on, as they were treated."""
    levels: tuple[LevelView, ...] = ()
    """Empty where it has not been tried yet."""


def trial(store: Store, mappe_id: int, page_id: int) -> Trial:
    """Return what is known of what the levels make of a Mappe, with the spot of a page. Raises NotFound."""
    with store.begin() as session:
        pages = _name(_tried_on(session, mappe_id, page_id))
    key = Blobs.trial_key(pages, SIZES)
    return Trial.model_validate_json(store.blobs.get(key)) if store.blobs.has(key) else Trial(pages=pages)


def order_trial(store: Store, mappe_id: int, page_id: int) -> None:
    """Have the levels tried. Raises NotFound."""
    with store.begin() as session:
        _tried_on(session, mappe_id, page_id)
        hand_in(session, Work.TRY_LEVELS, mappe_id=mappe_id, page_id=page_id)


def try_levels(store: Store, mappe_id: int, page_id: int, compute: Compute, most_px: int) -> None:
    """Try the levels, where that has not been done."""
    try:
        with store.begin() as session:
            tried = [(page.capture, treatment_of(page)) for page in _tried_on(session, mappe_id, page_id)]
    except NotFound:
        return
    pages = _name_of([treatment.picture_key(capture.sha256) for capture, treatment in tried])
    if store.blobs.has(Blobs.trial_key(pages, SIZES)):
        return
    made = compute(
        tried_levels, [(captured_picture(store, capture, most_px), treatment) for capture, treatment in tried]
    )
    for one in made:
        store.blobs.cache(Blobs.trial_key(pages, f"{one.level}.png"), one.spot)
    views = tuple(LevelView(level=one.level, bytes_a_page=one.bytes_a_page) for one in made)
    store.blobs.cache(Blobs.trial_key(pages, SIZES), Trial(pages=pages, levels=views).model_dump_json().encode())


def spot(store: Store, pages: str, level: Level) -> bytes:
    """Return the picture, PNG, of a spot at a level. Raises BlobMissing."""
    return store.blobs.get(Blobs.trial_key(pages, f"{level}.png"))


def _tried_on(session: Session, mappe_id: int, page_id: int) -> list[Page]:
    """Return the page whose spot is shown, and some others from all over the Mappe."""
    pages = {page.id: page for page in pages_of(session, mappe_id) if not page.put_away}
    if page_id not in pages:
        raise NotFound("This page is not in the Mappe any more.")
    ordered = [pages[place.page_id] for place in reading_order(place_of(page) for page in pages.values())]
    others = [page for page in ordered if page.id != page_id]
    step = max(1, -(-len(others) // (PAGES_TRIED - 1)))
    return [pages[page_id], *others[::step]]


def _name(pages: list[Page]) -> str:
    return _name_of([treatment_of(page).picture_key(page.capture.sha256) for page in pages])


def _name_of(pictures: list[str]) -> str:
    return hashlib.sha256(" ".join(pictures).encode()).hexdigest()[:32]
