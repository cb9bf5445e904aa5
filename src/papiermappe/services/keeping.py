"""Keeping what comes in: a capture is on disk and its row committed before the next one is asked for."""

from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.pages import page_jpeg
from papiermappe.core.picture import CapturedPicture, PictureHead
from papiermappe.core.treatment import Treatment
from papiermappe.devices.files import FilePicture
from papiermappe.services.caller import MACHINE, Caller
from papiermappe.services.journal import machine_entry, take_again
from papiermappe.services.landing import (
    Spot,
    page_at,
    page_replaced_by_file,
    replaced_page,
    spot_of,
    spot_of_file_page,
)
from papiermappe.services.pictures import PictureSize, soon_treatment
from papiermappe.services.runs import PlaceInRun, is_two_sided, locked_run
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Mappe, Page, Run
from papiermappe.store.queue import JobKind, enqueue


class FilePlace(NamedTuple):
    """Which page of which file of its run a capture is."""

    file_name: str
    page: int
    """From 1."""


def keep_capture(store: Store, run_id: int, place: PlaceInRun | FilePlace, picture: CapturedPicture) -> int:
    """Keep what the device delivered. When this returns, it survives any crash, and windows show it.

    Args:
        store: rows and files.
        run_id: the run.
        place: its sheet and side, or its page of a file; a second capture for the same place is not kept.
        picture: the capture.

    Returns:
        The page.

    Raises:
        StoreError: it could not be kept; nothing is shown as arrived.
        PictureRefused: it cannot be decoded; nothing of it is kept.
    """
    head, sha256 = picture.head(), sha256_of(picture.data)
    small = page_jpeg(picture, Treatment(), PictureSize.LANE.width_px, THUMBNAIL_QUALITY)
    store.blobs.keep(Blobs.capture_key(sha256), picture.data)
    store.blobs.cache(Blobs.picture_key(Treatment().picture_key(sha256), PictureSize.LANE), small)
    if picture.by_camera:  # who has taken it looks at it large
        soon, size = soon_treatment(picture.sheet), PictureSize.STAGE
        large = page_jpeg(picture, soon, size.width_px, THUMBNAIL_QUALITY)
        store.blobs.cache(Blobs.picture_key(soon.picture_key(sha256), size), large)
    return _record(MACHINE, store, run_id, place, sha256, picture, head)


@transaction
def _record(
    caller: Caller,
    session: Session,
    run_id: int,
    place: PlaceInRun | FilePlace,
    sha256: str,
    picture: CapturedPicture,
    head: PictureHead,
) -> int:
    run, mappe = locked_run(caller, session, run_id)
    known = page_of(session, run.id, place)
    if known is not None:
        return known
    capture = Capture(
        run_id=run.id,
        sha256=sha256,
        media_type=head.media_type,
        byte_size=len(picture.data),
        width_px=head.width_px,
        height_px=head.height_px,
        dpi=picture.dpi,
        by_camera=picture.by_camera,
        photo_sheet=picture.sheet.model_dump(mode="json") if picture.sheet else None,
        text_layer=picture.text.model_dump(mode="json") if isinstance(picture, FilePicture) and picture.text else None,
    )
    where = _where(session, run, place)
    if isinstance(place, FilePlace):
        capture.file_name, capture.file_page = place
    else:
        capture.sheet, capture.side, capture.take = place
        run.retaking = False
    session.add(capture)
    session.flush()
    if isinstance(where, Page):
        run.change = take_again(session, mappe, where, capture, run.author)
        return where.id
    return _added(session, run, mappe, capture, where).id


def _where(session: Session, run: Run, place: PlaceInRun | FilePlace) -> Page | Spot:
    """Return the page that gets the new capture, or the place of the page that comes into being."""
    if isinstance(place, FilePlace):
        return page_replaced_by_file(session, run, *place) or spot_of_file_page(session, run, *place)
    replaced = (
        page_at(session, run.id, place.sheet, place.side)
        if place.take > 1
        else replaced_page(session, run, place.sheet, place.side, is_two_sided(run))
    )
    return replaced or spot_of(session, run, place.sheet, place.side)


def page_of(session: Session, run_id: int, place: PlaceInRun | FilePlace) -> int | None:
    """Return the page of a capture that is kept already; 0 where it has none any more, None where it is not kept."""
    kept = select(Capture.id, Page.id).outerjoin(Page, Page.capture_id == Capture.id).where(Capture.run_id == run_id)
    if isinstance(place, FilePlace):
        here = kept.where(Capture.file_name == place.file_name, Capture.file_page == place.page)
    else:
        here = kept.where(Capture.sheet == place.sheet, Capture.side == place.side, Capture.take == place.take)
    row = session.execute(here.limit(1)).first()
    return None if row is None else row[1] or 0


def _added(session: Session, run: Run, mappe: Mappe, capture: Capture, spot: Spot) -> Page:
    page = Page(
        mappe_id=mappe.id,
        capture_id=capture.id,
        rank=spot.rank,
        side=spot.side,
        treatment=Treatment().model_dump(mode="json"),
        revision=1,
        content_revision=1,
    )
    session.add(page)
    session.flush()
    run.change = machine_entry(session, mappe, {page.id: {}})
    enqueue(session, JobKind.ANALYSE, page_id=page.id)
    return page
