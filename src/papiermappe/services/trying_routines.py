"""What a routine would make of a few pages, before it is run."""

from collections.abc import Iterator
from uuid import uuid4

from pydantic import BaseModel
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.operations import OperationRefused
from papiermappe.core.pages import page_jpeg
from papiermappe.errors import PictureRefused
from papiermappe.message import Message
from papiermappe.services.caller import Caller, visible_mappe
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.pictures import PictureSize, captured_picture, made_picture
from papiermappe.services.routine_runs import (
    Known,
    MisfitSeen,
    RoutineWanted,
    changed_count,
    examined_halves,
    known_of,
    misfits_seen,
    replayed_in_memory,
)
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.queue import JobKind, drop_waiting, enqueue, is_under_way


class TriedPicture(BaseModel):
    """How a page would look."""

    picture: str
    """Its name."""
    width_mm: float
    height_mm: float


class TriedPage(BaseModel):
    """What would become of a page: itself, or the two of a spread."""

    page: int
    pictures: list[TriedPicture]


class RoutineTried(BaseModel):
    """What a routine would make of a few pages."""

    over: bool
    pages: list[TriedPage] = []
    changed: int = 0
    """How many pages it would change."""
    misfits: list[MisfitSeen] = []
    refused: Message | None = None
    """Why it cannot be tried."""


@transaction
def request_trial(caller: Caller, session: Session, mappe_id: int, wanted: RoutineWanted) -> str:
    """Have a routine tried on a few pages of a Mappe; return the name under which that is known. Raises NotFound."""
    visible_mappe(caller, session, mappe_id)
    name = uuid4().hex
    drop_waiting(session, JobKind.TRY_ROUTINE, mappe_id)
    enqueue(session, JobKind.TRY_ROUTINE, mappe_id=mappe_id, name=name, wanted=wanted.model_dump(mode="json"))
    return name


def routine_tried(caller: Caller, store: Store, mappe_id: int, name: str) -> RoutineTried:
    """Return what trying a routine has shown so far. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        waits = is_under_way(session, JobKind.TRY_ROUTINE, name)
    kept = store.blobs.cached(_trial_key(mappe_id, name))
    if kept:
        return RoutineTried.model_validate_json(kept)
    return RoutineTried(over=not waits, refused=None if waits else Message(code="routine_lost"))


def tried_picture(caller: Caller, store: Store, mappe_id: int, name: str, picture: str) -> bytes:
    """Return a picture of a page that a trial has made. Raises NotFound."""
    tried = routine_tried(caller, store, mappe_id, name)
    if any(shown.picture == picture for page in tried.pages for shown in page.pictures):
        made = made_picture(store, picture, PictureSize.STAGE)
        if made is not None:
            return made
    raise NotFound("picture_gone")


def try_routine(store: Store, mappe_id: int, name: str, wanted: RoutineWanted, compute: Compute, max_px: int) -> None:
    """Work out what a routine would make of the first, the middle and the last page that it would change."""
    if store.blobs.has(_trial_key(mappe_id, name)):
        return
    try:
        with store.begin() as session:
            known = known_of(session, mappe_id, wanted)
        tried = _Trial(store, known, wanted, compute, max_px).made()
    except (NotPossible, OperationRefused, PictureRefused) as exc:
        tried = RoutineTried(over=True, refused=exc.message)
    store.blobs.cache(_trial_key(mappe_id, name), tried.model_dump_json().encode())


class _Trial:
    """A routine while it is tried.

    Of spreads only those that are shown are examined: where print is lined up with that of others, it is with theirs.
    """

    def __init__(self, store: Store, known: Known, wanted: RoutineWanted, compute: Compute, max_px: int) -> None:
        self._store = store
        self._known = known
        self._compute = compute
        self._max_px = max_px
        self._dry, halver = replayed_in_memory(wanted, known, {})
        changed = [page.id for page in known.states if page.id in self._dry.changes]
        self._chosen = list(dict.fromkeys(changed[at] for at in (0, len(changed) // 2, -1))) if changed else []
        halves = [half for half in halver.made.values() if half[0].id in self._chosen]
        found = examined_halves(store, known, halves, compute, max_px)
        self._replayed, self._halver = replayed_in_memory(wanted, known, found)

    def made(self) -> RoutineTried:
        """Return what would become of the chosen pages, with their pictures made."""
        pages = [TriedPage(page=page, pictures=list(self._pictures(page))) for page in self._chosen]
        # what is not known of the pages of spreads is no misfit
        there = [
            misfit._replace(pages=tuple(page for page in misfit.pages if page not in self._halver.made))
            for misfit in self._dry.misfits
        ]
        misfits = misfits_seen([misfit for misfit in there if misfit.pages])
        return RoutineTried(over=True, pages=pages, changed=changed_count(self._dry), misfits=misfits)

    def _pictures(self, page: int) -> Iterator[TriedPicture]:
        """Make the pictures of what becomes of a page."""
        own = [number for number, (spread, _) in self._halver.made.items() if spread.id == page] or [page]
        capture = self._known.captures[page]
        for number in own:
            state = self._replayed.states[number]
            name = state.treatment.picture_key(capture.sha256)
            if made_picture(self._store, name, PictureSize.STAGE) is None:
                picture = captured_picture(self._store, capture, self._max_px)
                width_px = PictureSize.STAGE.width_px
                jpeg = self._compute(page_jpeg, picture, state.treatment, width_px, THUMBNAIL_QUALITY)
                self._store.blobs.cache(Blobs.picture_key(name, PictureSize.STAGE), jpeg)
            width_mm, height_mm = state.size_mm
            yield TriedPicture(picture=name, width_mm=round(width_mm, 1), height_mm=round(height_mm, 1))


def _trial_key(mappe_id: int, name: str) -> str:
    return Blobs.estimate_key(name, f"trial-{mappe_id}.json")
