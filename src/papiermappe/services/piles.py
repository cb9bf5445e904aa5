"""The pile view: pages of a Mappe over one another, fronts and backs apart, and what to wipe on all of them."""

import hashlib
import io
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from statistics import median
from typing import NamedTuple

import numpy as np
import structlog
from numpy.typing import NDArray
from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from papiermappe.compute import Compute
from papiermappe.core.clean.pile import Leaf, Pile, SharedKind, SuggestedWipe, pages_with_print, suggest_wipes
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.order.places import Side
from papiermappe.core.page_box import PageBox
from papiermappe.core.pages import PilePage, PilePart, framed_only, page_leaf, pile_part
from papiermappe.core.treatment import Treatment, cleared_areas, flat_size_mm, page_box
from papiermappe.core.zones import Zone
from papiermappe.errors import PapiermappeError, PictureRefused
from papiermappe.services.caller import Caller, visible_mappe
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.pages import treatment_of
from papiermappe.services.pictures import captured_picture
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Page
from papiermappe.store.queue import JobKind, drop_waiting, enqueue

log = structlog.get_logger()

MOST_PAGES = 1000
FIRST, BATCH = 6, 16
AT_ONCE = 2


class Suggestion(BaseModel):
    """Something that most pages of a side show, and that might be wiped on all of them."""

    kind: SharedKind
    zone: Zone
    """On the pile."""
    on_scan: Zone | None
    """Of a line of dust, where it lies on the scans."""
    pages: int
    """How many show it."""
    spares: list[int]
    """Pages that are not to be wiped, by their ids: something of their own is printed there."""


class PileSide(BaseModel):
    """The pages of one side over one another."""

    side: Side
    width_mm: float
    height_mm: float
    done: int
    """How many lie there already."""
    pages: list[int]
    """All that are to lie there, in reading order."""
    suggestions: list[Suggestion]


class PileSeen(BaseModel):
    """A pile, as far as it has been laid."""

    sides: list[PileSide]
    whole: bool
    """Whether all that could be laid lies there."""


class _Sheet(NamedTuple):
    """A page, with what the pile needs of it."""

    page: Page
    treatment: Treatment
    width_mm: float
    height_mm: float
    scan_mm: tuple[float, float]
    box: PageBox

    @property
    def picture(self) -> str:
        """The name of its picture with nothing cleared."""
        return framed_only(self.treatment).picture_key(self.page.capture.sha256)


@transaction
def request_pile(caller: Caller, session: Session, mappe_id: int, pages: Sequence[int]) -> str:
    """Have pages of a Mappe laid over one another; return the name under which the pile will be known.

    Raises:
        NotFound: the Mappe is not there.
        NotPossible: none of the pages lies in it, or they are too many.
    """
    visible_mappe(caller, session, mappe_id)
    sheets = _sheets(session, mappe_id, pages)
    if not sheets:
        raise NotPossible("pile_empty")
    if len(sheets) > MOST_PAGES:
        raise NotPossible("pile_too_high", limit=MOST_PAGES)
    name = _name(sheets)
    drop_waiting(session, JobKind.PILE, mappe_id)  # while pages come, the pile is asked for anew with each
    enqueue(session, JobKind.PILE, mappe_id=mappe_id, name=name, pages=[sheet.page.id for sheet in sheets])
    return name


def pile_seen(caller: Caller, store: Store, mappe_id: int, name: str) -> PileSeen | None:
    """Return a pile as far as it has been laid; None before its first pages lie there. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
    kept = store.blobs.cached(_key(mappe_id, name, "pile.json"))
    return PileSeen.model_validate_json(kept) if kept else None


def pile_picture(caller: Caller, store: Store, mappe_id: int, name: str, side: Side) -> bytes:
    """Return the picture of a side of a pile, as PNG. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
    kept = store.blobs.cached(_key(mappe_id, name, f"{side.value}.png"))
    if kept is None:
        raise NotFound("picture_gone")
    return kept


def printed_pages(caller: Caller, store: Store, mappe_id: int, name: str, side: Side, zone: Zone) -> list[int]:
    """Return the pages of a pile that have something of their own in a zone, which a wipe takes. Raises NotFound."""
    seen = pile_seen(caller, store, mappe_id, name)
    pile = next((one for one in seen.sides if one.side is side), None) if seen else None
    kept = store.blobs.cached(_key(mappe_id, name, f"{side.value}.npz"))
    if pile is None or kept is None:
        return []
    with np.load(io.BytesIO(kept)) as held:
        cells, ids = held["cells"], held["pages"]
    return [int(ids[at]) for at in pages_with_print(cells, [zone])]


def lay_pile(store: Store, mappe_id: int, name: str, pages: Sequence[int], compute: Compute, max_px: int) -> None:
    """Lay pages over one another, and show them as they come to lie there; unless that has been done."""
    kept = store.blobs.cached(_key(mappe_id, name, "pile.json"))
    if kept and PileSeen.model_validate_json(kept).whole:
        return
    with store.begin() as session:
        sheets = _sheets(session, mappe_id, pages)
    if not sheets or _name(sheets) != name:
        return  # something of it has been changed since, and is asked for anew
    sides = [_PileOfSide(side, own) for side in Side if (own := [one for one in sheets if one.page.side is side])]
    with ThreadPoolExecutor(AT_ONCE) as threads:
        for laid in sides:
            parts = threads.map(lambda batch, pile=laid: _part(store, pile, batch, compute, max_px), laid.batches())
            for part in parts:
                laid.add(part)
                png = compute(encode_png, laid.pile.picture())  # not the pile itself, which grows with its pages
                store.blobs.cache(_key(mappe_id, name, f"{laid.side.value}.png"), png)
                _keep_seen(store, mappe_id, name, sides, whole=False)
    for laid in sides:
        laid.suggest(compute)
        _keep_cells(store, mappe_id, name, laid)
    _keep_seen(store, mappe_id, name, sides, whole=True)


def keep_leaf(store: Store, page_id: int, compute: Compute, max_px: int) -> None:
    """Make what the pile needs of a page before anybody asks for it; unless it is there, or the page is gone."""
    with store.begin() as session:
        page = session.get(Page, page_id)
        if page is None or page.mappe_id is None or page.analysis is None:
            return
        sheet = _sheet(page)
    key = Blobs.leaf_key(sheet.picture)
    if store.blobs.has(key):
        return
    try:
        leaf = compute(page_leaf, captured_picture(store, sheet.page.capture, max_px), sheet.treatment)
    except PictureRefused as exc:
        log.warning("a page cannot be laid on a pile", action="pile.leaf", page_id=page_id, cause=repr(exc))
        return
    store.blobs.cache(key, leaf.to_bytes())


class _PileOfSide:
    """A pile while it is laid."""

    def __init__(self, side: Side, sheets: Sequence[_Sheet]) -> None:
        self.side = side
        self.sheets = sheets
        self.size_mm = median(one.width_mm for one in sheets), median(one.height_mm for one in sheets)
        self.pile = Pile(self.size_mm)
        self.laid: list[_Sheet] = []
        """Those that lie there, in the order of the pile."""
        self._leaves: list[Leaf] = []
        self._suggestions: list[Suggestion] = []

    def batches(self) -> Iterator[Sequence[_Sheet]]:
        """Yield a few sheets first, so that something is soon seen, then more at a time."""
        yield self.sheets[:FIRST]
        for start in range(FIRST, len(self.sheets), BATCH):
            yield self.sheets[start : start + BATCH]

    def add(self, part: "_LaidPart") -> None:
        """Take up a batch that has been laid."""
        self.pile.join(part.part.pile)
        self._leaves += part.part.leaves
        self.laid += part.sheets

    def suggest(self, compute: Compute) -> None:
        """Find what to wipe on all of them."""
        scans_mm = [one.scan_mm for one in self.laid]
        found = compute(suggest_wipes, self.pile, self._leaves, scans_mm) if self.laid else []
        self._suggestions = [self._suggestion(one) for one in found]

    def _suggestion(self, found: SuggestedWipe) -> Suggestion:
        if found.kind is not SharedKind.DUST_LINE:
            spares = [self.laid[at].page.id for at in found.spares]
            return Suggestion(kind=found.kind, zone=found.zone, on_scan=None, pages=found.pages, spares=spares)
        left_mm = median(min(x_mm for x_mm, _ in one.box.corners) for one in self.laid)
        on_pile = found.zone.model_copy(update={"x_mm": found.zone.x_mm - left_mm, "height_mm": self.size_mm[1]})
        return Suggestion(kind=found.kind, zone=on_pile, on_scan=found.zone, pages=found.pages, spares=[])

    def seen(self) -> PileSide:
        """Return the pile as windows see it."""
        return PileSide(
            side=self.side,
            width_mm=round(self.size_mm[0], 1),
            height_mm=round(self.size_mm[1], 1),
            done=len(self.laid),
            pages=[one.page.id for one in self.sheets],
            suggestions=self._suggestions,
        )


class _LaidPart(NamedTuple):
    sheets: list[_Sheet]
    """Those that could be laid."""
    part: PilePart


def _part(store: Store, pile: _PileOfSide, batch: Sequence[_Sheet], compute: Compute, max_px: int) -> _LaidPart:
    """Lay a batch of pages over one another; a page that cannot be read is left out."""
    try:
        return _laid(store, pile, batch, compute, max_px)
    except PapiermappeError as exc:
        if len(batch) == 1:
            leaf = Blobs.leaf_key(batch[0].picture)
            if store.blobs.has(leaf):  # it may be torn, or of an earlier version
                store.blobs.remove(leaf)
                return _part(store, pile, batch, compute, max_px)
            log.warning("a page is left off the pile", action="pile.page", page_id=batch[0].page.id, cause=repr(exc))
            return _LaidPart([], PilePart(Pile(pile.size_mm), [], {}))
    whole = _LaidPart([], PilePart(Pile(pile.size_mm), [], {}))
    for sheet in batch:
        alone = _part(store, pile, [sheet], compute, max_px)
        whole.sheets.extend(alone.sheets)
        whole.part.pile.join(alone.part.pile)
        whole.part.leaves.extend(alone.part.leaves)
    return whole


def _laid(store: Store, pile: _PileOfSide, batch: Sequence[_Sheet], compute: Compute, max_px: int) -> _LaidPart:
    pages = []
    for sheet in batch:
        kept = store.blobs.cached(Blobs.leaf_key(sheet.picture))
        capture = None if kept else captured_picture(store, sheet.page.capture, max_px)
        areas = cleared_areas(sheet.treatment, sheet.box)
        pages.append(PilePage(capture, kept or b"", sheet.treatment, areas))
    part = compute(pile_part, pile.size_mm, pages)
    for at, leaf in part.made.items():
        store.blobs.cache(Blobs.leaf_key(batch[at].picture), leaf)
    return _LaidPart(list(batch), part)


def _keep_cells(store: Store, mappe_id: int, name: str, laid: _PileOfSide) -> None:
    held = io.BytesIO()
    ids: NDArray[np.int32] = np.array([one.page.id for one in laid.laid], np.int32)
    np.savez_compressed(held, cells=laid.pile.cells(), pages=ids)
    store.blobs.cache(_key(mappe_id, name, f"{laid.side.value}.npz"), held.getvalue())


def _keep_seen(store: Store, mappe_id: int, name: str, sides: Sequence[_PileOfSide], *, whole: bool) -> None:
    seen = PileSeen(sides=[laid.seen() for laid in sides], whole=whole)
    store.blobs.cache(_key(mappe_id, name, "pile.json"), seen.model_dump_json().encode())


def _key(mappe_id: int, name: str, part: str) -> str:
    return Blobs.estimate_key(name, f"pile-{mappe_id}-{part}")


def _sheets(session: Session, mappe_id: int, pages: Sequence[int]) -> list[_Sheet]:
    """Return those of some pages that lie in a Mappe, in reading order."""
    found = select(Page).where(Page.mappe_id == mappe_id, Page.id.in_(pages), Page.set_aside.is_(False))
    rows = session.scalars(found.options(joinedload(Page.capture)))
    return [_sheet(page) for page in sorted(rows, key=lambda page: (page.rank, page.side is Side.BACK))]


def _sheet(page: Page) -> _Sheet:
    treatment, capture = treatment_of(page), page.capture
    scan_mm = flat_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment)
    box = page_box(*scan_mm, treatment)
    return _Sheet(page, treatment, *box.size_mm(treatment.quarter_turns), scan_mm, box)


def _name(sheets: Sequence[_Sheet]) -> str:
    """Return the name of a pile: it depends on all that is seen of its pages."""
    seen = [(one.page.id, one.picture, one.treatment.zones) for one in sheets]
    return hashlib.sha256(repr(seen).encode()).hexdigest()[:32]
