"""What each level makes of a Mappe: its size, at first estimated from some pages, and the look of a part of a page."""

import hashlib
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from pydantic import BaseModel, TypeAdapter
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.encode.level import Level
from papiermappe.core.pages import LevelSamples, PageSource, level_samples, page_sizes
from papiermappe.core.sizes import (
    BYTES_A_FILE,
    BYTES_A_PAGE,
    BYTES_A_WORD,
    BYTES_OF_TEXT,
    WORDS_A_PAGE,
    PageKnown,
    mean_sizes,
    pages_to_make,
)
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

PAGES_AT_ONCE, PAGES_MADE = 6, 40
"""So many pages are made to tell sizes: first a few, which is quick, then so many that the others are known well."""
PAGES_TOGETHER = 8
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
    """In the mean, with what a file needs beside its pictures; empty where nothing is known yet."""
    bytes_of_text: float
    """Of a page that is read, in the mean."""
    bytes_a_file: int
    pages_made: int
    """So many have been made to tell it; the others are estimated from them."""
    goes_on: bool
    """Whether more are still to be made."""
    look: Look | None
    """None where it has not been made yet."""
    kept_as: MadeOf | None = None
    """What somebody has said that the page is made of."""


def estimate(caller: Caller, store: Store, mappe_id: int, page_id: int, spot: Spot | None = None) -> Estimate:
    """Return what is known so far about the levels of a Mappe, and how a part of a page looks. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        pages = _filed_pages(session, mappe_id)
        page = _page(session, mappe_id, page_id)
    known = _known(store, pages)
    made = sum(one.sizes is not None for one in known)
    words = [count for one in pages if (count := _word_count(one)) is not None]
    mean_words = sum(words) / len(words) if words else WORDS_A_PAGE
    return Estimate(
        bytes_a_page={level: size + BYTES_A_PAGE for level, size in mean_sizes(known).items()},
        bytes_of_text=mean_words * BYTES_A_WORD + BYTES_OF_TEXT / max(len(pages), 1),
        bytes_a_file=BYTES_A_FILE,
        pages_made=made,
        goes_on=made < min(len(pages), PAGES_MADE),
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
    store: Store,
    mappe_id: int,
    page_id: int,
    spot: Spot | None,
    compute: Compute,
    in_background: Compute,
    max_px: int,
) -> None:
    """Make the look of a page at a spot, then find out sizes: a few pages at once, more beside other work."""
    try:
        with store.begin() as session:
            shown, pages = _page(session, mappe_id, page_id), _filed_pages(session, mappe_id)
    except NotFound:
        return
    if _look_at(store, shown, spot) is None:
        _make_look(store, shown, spot, compute, max_px)
    known = _known(store, pages)
    for count, making in ((PAGES_AT_ONCE, compute), (PAGES_MADE, in_background)):
        missing = [at for at in sorted(pages_to_make(known, count)) if known[at].sizes is None]
        for first in range(0, len(missing), PAGES_TOGETHER):
            together = [pages[at] for at in missing[first : first + PAGES_TOGETHER]]
            sizes = making(page_sizes, [_source(store, page, max_px) for page in together])
            for page, one in zip(together, sizes, strict=True):
                store.blobs.cache(_size_key(page), _SIZES.dump_json(one))
        known = _known(store, pages)


def _make_look(store: Store, page: Page, spot: Spot | None, compute: Compute, max_px: int) -> None:
    name = _look_name(page, spot)
    made: LevelSamples = compute(level_samples, _source(store, page, max_px), spot)
    for level, picture in made.pictures.items():
        store.blobs.cache(_sample_key(name, level), picture)
    look = Look(name=name, made_of=made.made_of, box=made.box)
    store.blobs.cache(Blobs.estimate_key(name, LOOK), look.model_dump_json().encode())


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


def _filed_pages(session: Session, mappe_id: int) -> list[Page]:
    return [page for page in pages_of(session, mappe_id) if not page.set_aside]


def _known(store: Store, pages: Sequence[Page]) -> list[PageKnown]:
    """Return what is known of pages; those that are to be made are looked up, and no others."""
    rows = [PageKnown(_kind(page), page.capture.byte_size) for page in pages]
    wanted = set(pages_to_make(rows, PAGES_AT_ONCE)) | set(pages_to_make(rows, PAGES_MADE))
    for at in wanted:
        kept = store.blobs.cached(_size_key(pages[at]))
        if kept is not None:
            rows[at] = rows[at]._replace(sizes=_SIZES.validate_json(kept))
    return rows


def _kind(page: Page) -> str:
    """Return what decides how large a page becomes, from its JSON: hundreds are asked at once."""
    colour, (tone, kept_as) = (page.analysis or {}).get("colour"), map(page.treatment.get, ("tone", "kept_as"))
    return f"{colour} {tone} {kept_as}"


def _word_count(page: Page) -> int | None:
    """Return how many words a page has, where it was read."""
    return (page.printed or {}).get("words")


def _size_key(page: Page) -> str:
    return Blobs.estimate_key(hashlib.sha256(_made_as(page).encode()).hexdigest()[:32], SIZES)
