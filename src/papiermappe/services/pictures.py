"""Page pictures: made by workers, kept as long as there is room, made again at any time."""

from collections.abc import Iterable, Sequence
from datetime import datetime
from enum import StrEnum
from itertools import starmap
from typing import NamedTuple

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from papiermappe.compute import Compute
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.pages import page_jpeg, page_jpegs
from papiermappe.core.photo_sheet import PhotoSheet
from papiermappe.core.picture import CapturedPicture, read_head
from papiermappe.core.treatment import Treatment, page_size_mm
from papiermappe.services.caller import Caller, may_see, visible_mappe, visible_page
from papiermappe.services.errors import NotFound
from papiermappe.services.pages import picture_name, shown_size_mm, treatment_of
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Mappe, Page
from papiermappe.store.queue import JobKind, enqueue

TOGETHER = 8
"""So many pictures are made by one job: fewer jobs cost less, and yet all processes have something to do."""


class PictureSize(StrEnum):
    """How large a page is shown."""

    LANE = "lane"
    """In the lanes."""
    STAGE = "stage"
    """Large, whole."""
    FULL = "full"
    """In the scan's own pixels."""

    @property
    def width_px(self) -> int | None:
        """The largest width; None for the width the page has in the scan."""
        return {PictureSize.LANE: 200, PictureSize.STAGE: 1200}.get(self)


def captured_picture(store: Store, capture: Capture, max_px: int) -> CapturedPicture:
    """Return a capture's picture. Raises BlobMissing."""
    data = store.blobs.get(Blobs.capture_key(capture.sha256))
    sheet = PhotoSheet.model_validate(capture.photo_sheet) if capture.photo_sheet else None
    return CapturedPicture(data, capture.dpi, max_px, capture.by_camera, sheet)


def soon_treatment(sheet: PhotoSheet | None) -> Treatment:
    """Return what is done to a photo for whoever waits for it, before it is examined: a sheet on it is made flat."""
    return Treatment(corners=sheet.corners) if sheet is not None and sheet.is_sure else Treatment()


def _soon_treatment_of(capture: Capture) -> Treatment:
    return soon_treatment(PhotoSheet.model_validate(capture.photo_sheet) if capture.photo_sheet else None)


def copy_key(sha256: str) -> str:
    """Return where the copy of a scan lies that has fewer pixels; it goes with the picture of the scan."""
    return Blobs.picture_key(Treatment().picture_key(sha256), "copy")


def _source(store: Store, capture: Capture, size: PictureSize, max_px: int) -> CapturedPicture:
    """Return what a page's picture is made from: a small one from the copy of its scan, where that is there."""
    copy = store.blobs.cached(copy_key(capture.sha256)) if size is PictureSize.LANE else None
    if copy is None:
        return captured_picture(store, capture, max_px)
    reduction = round(capture.width_px / read_head(copy, max_px).width_px)
    return CapturedPicture(copy, capture.dpi / reduction, max_px)


def made_picture(store: Store, picture: str, size: PictureSize) -> bytes | None:
    """Return a picture that has been made; None if it has not been, or if a power cut left it incomplete."""
    return store.blobs.cached(Blobs.picture_key(picture, size))


def made_pictures(store: Store, wanted: Iterable[tuple[str, str]]) -> dict[tuple[str, str], bytes]:
    """Return those of some pictures, told by name and size, that have been made."""
    made = {(name, size): made_picture(store, name, PictureSize(size)) for name, size in wanted}
    return {picture: data for picture, data in made.items() if data is not None}


class Shown(NamedTuple):
    """A picture that stands for a page."""

    picture: str
    """Its name."""
    as_requested: bool
    """Whether it is the one that was asked for; else the page has changed since, and it is the page as it is now."""


class PagePicture(BaseModel):
    """How a page looks, told to windows apart from all else: they wait for that most."""

    id: int
    revision: int
    picture: str
    """Names the picture of the page as treated."""
    width_mm: float
    height_mm: float


class _Pictured(NamedTuple):
    """What tells the name of a page's picture, and who may see it: a window asks for dozens of pictures at once."""

    treatment: dict[str, object]
    sha256: str
    cleared_at: datetime | None


def shown_picture(caller: Caller, store: Store, page_id: int, picture: str) -> Shown:
    """Return the picture to show when a window asks for a page's picture by name. Raises NotFound."""
    wanted = (
        select(Page.treatment, Capture.sha256, Mappe.cleared_at)
        .join(Capture, Capture.id == Page.capture_id)
        .join(Mappe, Mappe.id == Page.mappe_id)
        .where(Page.id == page_id)
    )
    with store.begin() as session:
        row = session.execute(wanted).one_or_none()
    page = _Pictured(*row) if row else None
    if page is None or not may_see(caller, page):
        raise NotFound("page_gone")
    treatment = Treatment.model_validate(page.treatment)
    now = treatment.picture_key(page.sha256)
    as_requested = picture == now or picture == treatment.shape_only.picture_key(page.sha256)
    return Shown(picture, as_requested=True) if as_requested else Shown(now, as_requested=False)


def scan_picture(caller: Caller, store: Store, page_id: int, capture_id: int) -> str:
    """Return the name of the picture of a page's untouched scan. Raises NotFound."""
    with store.begin() as session:
        return Treatment().picture_key(_own_capture(caller, session, page_id, capture_id).sha256)


def soon_picture(caller: Caller, store: Store, page_id: int, capture_id: int) -> str:
    """Return the name of the picture of a page's photo as it is shown before it is examined. Raises NotFound."""
    with store.begin() as session:
        capture = _own_capture(caller, session, page_id, capture_id)
        return _soon_treatment_of(capture).picture_key(capture.sha256)


def _own_capture(caller: Caller, session: Session, page_id: int, capture_id: int) -> Capture:
    page = visible_page(caller, session, page_id)
    if page.capture_id != capture_id:
        raise NotFound("picture_gone")
    return page.capture


@transaction
def request_picture(_: Caller, session: Session, page_id: int, picture: str, size: PictureSize) -> None:
    """Have a picture of a page made."""
    enqueue(session, JobKind.RENDER, page_id=page_id, picture=picture, size=size.value)


class Pictures(NamedTuple):
    """Pictures of pages."""

    page_ids: Sequence[int]
    size: PictureSize


def request_pictures(caller: Caller, store: Store, mappe_id: int, wanted: Pictures) -> list[PagePicture]:
    """Have pictures of a Mappe made together, which is faster than each for itself.

    Returns:
        How the pages look now, without those that are not in the Mappe.

    Raises:
        NotFound: there is no such Mappe.
    """
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        return have_made(session, store.blobs, mappe_id, [wanted])


def have_made(session: Session, blobs: Blobs, mappe_id: int, wanted: Sequence[Pictures]) -> list[PagePicture]:
    """Have pictures made once a transaction is committed; return how the pages look then, each once."""
    scans = Capture.sha256, Capture.width_px, Capture.height_px, Capture.dpi
    known = select(Page.id, Page.revision, Page.treatment, *scans).join(Capture, Capture.id == Page.capture_id)
    page_ids = {page_id for pictures in wanted for page_id in pictures.page_ids}
    rows = session.execute(known.where(Page.mappe_id == mappe_id, Page.id.in_(page_ids)))
    looks = {look.id: look for look in starmap(_look, rows)}
    for pages, size in wanted:
        missing = [page_id for page_id in pages if page_id in looks and _is_missing(blobs, looks[page_id], size)]
        for first in range(0, len(missing), TOGETHER):
            enqueue(session, JobKind.RENDER_TOGETHER, page_ids=[*missing[first : first + TOGETHER]], size=size.value)
    return list(looks.values())


def _is_missing(blobs: Blobs, look: PagePicture, size: PictureSize) -> bool:
    return blobs.cached(Blobs.picture_key(look.picture, size)) is None


def _look(
    page_id: int,
    revision: int,
    stored_treatment: dict[str, object],
    sha256: str,
    width_px: int,
    height_px: int,
    dpi: float,
) -> PagePicture:
    treatment = Treatment.model_validate(stored_treatment)
    width_mm, height_mm = shown_size_mm(page_size_mm(width_px, height_px, dpi, treatment))
    return PagePicture(
        id=page_id,
        revision=revision,
        picture=treatment.picture_key(sha256),
        width_mm=width_mm,
        height_mm=height_mm,
    )


def make_pictures(store: Store, page_ids: Sequence[int], size: PictureSize, compute: Compute, max_px: int) -> None:
    """Make the pictures of pages as they are now, those that do not exist yet."""
    with store.begin() as session:
        pages = session.scalars(select(Page).where(Page.id.in_(page_ids)).options(joinedload(Page.capture))).all()
    missing = {name: page for page in pages if made_picture(store, name := picture_name(page), size) is None}
    sources = [(_source(store, page.capture, size, max_px), treatment_of(page)) for page in missing.values()]
    if not sources:
        return
    made = compute(page_jpegs, sources, size.width_px, THUMBNAIL_QUALITY)
    for name, data in zip(missing, made, strict=True):
        if data is not None:
            store.blobs.cache(Blobs.picture_key(name, size), data)


def make_picture(store: Store, page_id: int, picture: str, size: PictureSize, compute: Compute, max_px: int) -> None:
    """Make a requested picture if it is still wanted and does not exist yet."""
    with store.begin() as session:
        page = session.get(Page, page_id)
        if page is None:
            return
        capture, now = page.capture, treatment_of(page)
        shown_as = (Treatment(), _soon_treatment_of(capture), now, now.shape_only)
        wanted = {shown.picture_key(capture.sha256): shown for shown in shown_as}
    if picture not in wanted or made_picture(store, picture, size) is not None:
        return
    source = _source(store, capture, size, max_px)
    made = compute(page_jpeg, source, wanted[picture], size.width_px, THUMBNAIL_QUALITY)
    store.blobs.cache(Blobs.picture_key(picture, size), made)
