"""What each level makes of a Mappe: its size estimated from some of the pages, its look shown on a part of one."""

import hashlib
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from pydantic import BaseModel, TypeAdapter
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.encode.level import Level
from papiermappe.core.pages import LevelSamples, PageSource, bytes_a_page, level_samples
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
SIZES, LOOK = "sizes.json", "look.json"
_SIZES = TypeAdapter(dict[Level, float])


class Spot(NamedTuple):
    """The middle of what is shown of a page, as shares of its width and height."""

    across: float
    down: float


class Look(BaseModel):
    """A part of a page as each level would save it."""

    name: str
    """Of its pictures."""
    made_of: Mapping[Level, MadeOf]
    """The whole page."""
    box: tuple[float, float, float, float]
    """Where the part lies: left, top, right, bottom as shares of the page."""


class Estimate(BaseModel):
    """What is known so far about the levels of a Mappe."""

    bytes_a_page: Mapping[Level, float]
    """Empty where it has not been estimated yet."""
    look: Look | None
    """None where it has not been made yet."""
    kept_as: MadeOf | None = None
    """What somebody has said that the page is made of."""


def estimate(caller: Caller, store: Store, mappe_id: int, page_id: int, spot: Spot | None = None) -> Estimate:
    """Return what is known so far about the levels of a Mappe, and how a part of a page looks. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        chosen = _name_of(_chosen(session, mappe_id))
        page = _page(session, mappe_id, page_id)
    sizes = store.blobs.cached(Blobs.estimate_key(chosen, SIZES))
    return Estimate(
        bytes_a_page=_SIZES.validate_json(sizes) if sizes else {},
        look=_look_at(store, page, spot),
        kept_as=treatment_of(page).kept_as,
    )


@transaction
def request_estimate(caller: Caller, session: Session, mappe_id: int, page_id: int, spot: Spot | None = None) -> None:
    """Have the levels estimated. Raises NotFound."""
    visible_mappe(caller, session, mappe_id)
    _page(session, mappe_id, page_id)
    enqueue(session, JobKind.ESTIMATE_LEVELS, mappe_id=mappe_id, page_id=page_id, spot=list(spot) if spot else None)


def estimate_levels(
    store: Store, mappe_id: int, page_id: int, spot: Spot | None, compute: Compute, max_px: int
) -> None:
    """Make the look of a page at a spot and estimate the sizes, unless that has been done."""
    try:
        with store.begin() as session:
            shown, chosen = _page(session, mappe_id, page_id), _chosen(session, mappe_id)
    except NotFound:
        return
    sizes = Blobs.estimate_key(_name_of(chosen), SIZES)
    if _look_at(store, shown, spot) is None:
        name = _look_name(shown, spot)
        made: LevelSamples = compute(level_samples, _source(store, shown, max_px), spot)
        for level, picture in made.pictures.items():
            store.blobs.cache(_sample_key(name, level), picture)
        look = Look(name=name, made_of=made.made_of, box=made.box)
        store.blobs.cache(Blobs.estimate_key(name, LOOK), look.model_dump_json().encode())
    if store.blobs.cached(sizes) is None:
        sources = [_source(store, page, max_px) for page in chosen]
        store.blobs.cache(sizes, _SIZES.dump_json(compute(bytes_a_page, sources)))


def sample(store: Store, look: str, level: Level) -> bytes:
    """Return what is shown of a page, PNG, at a level. Raises BlobMissing."""
    kept = store.blobs.cached(_sample_key(look, level))
    if kept is None:
        raise BlobMissing("picture_gone")
    return kept


def _look_at(store: Store, page: Page, spot: Spot | None) -> Look | None:
    """Return how a page looks at a spot, where that is made; pictures that are lost are made anew."""
    name = _look_name(page, spot)
    kept = store.blobs.cached(Blobs.estimate_key(name, LOOK))
    there = kept and all(store.blobs.cached(_sample_key(name, level)) is not None for level in Level)
    return Look.model_validate_json(kept) if kept and there else None


def _look_name(page: Page, spot: Spot | None) -> str:
    place = [round(share, 3) for share in spot] if spot else "most telling"
    return hashlib.sha256(f"{_made_as(page)} {place}".encode()).hexdigest()[:32]


def _made_as(page: Page) -> str:
    """Return a name for a page as it goes into files: alike where its files are."""
    return f"{picture_name(page)} {treatment_of(page).kept_as}"


def _source(store: Store, page: Page, max_px: int) -> PageSource:
    analysis = analysis_of(page)
    colour = analysis.colour if analysis else ColourKind.COLOUR
    return PageSource(captured_picture(store, page.capture, max_px), treatment_of(page), colour)


def _sample_key(look: str, level: Level) -> str:
    return Blobs.estimate_key(look, f"{level}.png")


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
    return hashlib.sha256(" ".join(map(_made_as, pages)).encode()).hexdigest()[:32]
