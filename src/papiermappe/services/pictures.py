"""Page pictures: made by workers, kept as long as there is room, made again at any time."""

from statistics import median_high

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.clean.arrival import Look
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.pages import looked_at, page_jpeg
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import SURE, Origin, Tone, Treatment, page_size_mm
from papiermappe.recognition.errors import RecogniserError
from papiermappe.recognition.model import KnowsUpright
from papiermappe.services.desk import LANE_PX, STAGE_PX
from papiermappe.services.errors import NotFound
from papiermappe.services.journal import treatment_of
from papiermappe.services.tidying import record_look
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Page
from papiermappe.store.queue import Work, hand_in

log = structlog.get_logger()

NEIGHBOURS = 9
LEAST_NEIGHBOURS = 3
WIDTHS_PX = frozenset({LANE_PX, STAGE_PX})


def captured_picture(store: Store, capture: Capture, most_px: int) -> CapturedPicture:
    """Return a capture's picture. Raises BlobMissing."""
    return CapturedPicture(store.blobs.get(Blobs.capture_key(capture.sha256)), capture.dpi, most_px)


def look_at_page(store: Store, page_id: int, compute: Compute, most_px: int) -> None:
    """Look at a page that has arrived: find out what there is to, make its small picture, write down what was found."""
    with store.begin() as session:
        page = session.get(Page, page_id)
        if page is None:
            return
        capture, looked_at_already = page.capture, page.look is not None
        usual_height_mm = _usual_height_mm(session, page)
    if looked_at_already:
        return
    picture = captured_picture(store, capture, most_px)
    look, small = compute(looked_at, picture, LANE_PX, THUMBNAIL_QUALITY, None, usual_height_mm)
    store.blobs.cache(Blobs.picture_key(look.treatment.picture_key(capture.sha256), LANE_PX), small)
    record_look(store, page_id, look)


def _usual_height_mm(session: Session, page: Page) -> float | None:
    """Return the median height of the pages of the pass looked at last, not one between two; None if they are few."""
    same_pass = Page.capture.has(Capture.pass_id == page.capture.pass_id)
    seen = select(Page).where(same_pass, Page.look.is_not(None)).order_by(Page.id.desc()).limit(NEIGHBOURS)
    heights_mm = [_height_mm(one) for one in session.scalars(seen)]
    return median_high(heights_mm) if len(heights_mm) >= LEAST_NEIGHBOURS else None


def _height_mm(page: Page) -> float:
    capture = page.capture
    return page_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment_of(page))[1]


def find_upright(store: Store, page_id: int, compute: Compute, recogniser: KnowsUpright | None, most_px: int) -> None:
    """Ask the recogniser which way up a page stands, where that has not been clear and no person has turned it."""
    with store.begin() as session:
        page = session.get(Page, page_id)
        if page is None or page.look is None or recogniser is None:
            return
        capture, look, origin = page.capture, Look.model_validate(page.look), treatment_of(page).turn_origin
    if not look.way_up_open or origin is Origin.BY_HAND:
        return
    picture = captured_picture(store, capture, most_px)
    page_picture = compute(page_jpeg, picture, look.treatment.model_copy(update={"tone": Tone.GREY}))
    try:
        upright = recogniser.find_upright(page_picture, capture.dpi)
    except RecogniserError as exc:
        log.warning("the way up stays open", action="page.upright", page_id=page_id, cause=repr(exc))
        return
    if upright.confidence >= SURE:
        found, small = compute(looked_at, picture, LANE_PX, THUMBNAIL_QUALITY, upright)
        store.blobs.cache(Blobs.picture_key(found.treatment.picture_key(capture.sha256), LANE_PX), small)
        record_look(store, page_id, found)


def picture_if_made(store: Store, picture: str, width_px: int) -> bytes | None:
    """Return a picture that has been made, or None."""
    key = Blobs.picture_key(picture, width_px)
    return store.blobs.get(key) if store.blobs.has(key) else None


def order_picture(store: Store, page_id: int, picture: str, width_px: int) -> str:
    """Have a picture of a page made, and return its name.

    It is the one asked for, if that is the page as scanned or as it is treated now; else the latter: a window may not
    have heard of the change yet. Raises NotFound.
    """
    with store.begin() as session:
        page = session.get(Page, page_id)
        if page is None or width_px not in WIDTHS_PX:
            raise NotFound("There is no such picture of this page any more.")
        wanted = picture if picture in _pictures_of(page) else treatment_of(page).picture_key(page.capture.sha256)
        hand_in(session, Work.RENDER, page_id=page_id, picture=wanted, width_px=width_px)
    return wanted


def make_picture(store: Store, page_id: int, picture: str, width_px: int, compute: Compute, most_px: int) -> None:
    """Make a picture that was ordered, where it is still wanted and not there yet."""
    key = Blobs.picture_key(picture, width_px)
    with store.begin() as session:
        page = session.scalar(select(Page).where(Page.id == page_id))
        treatment = _pictures_of(page).get(picture) if page else None
    if page is None or treatment is None or store.blobs.has(key):
        return
    made = compute(page_jpeg, captured_picture(store, page.capture, most_px), treatment, width_px, THUMBNAIL_QUALITY)
    store.blobs.cache(key, made)


def _pictures_of(page: Page) -> dict[str, Treatment]:
    sha256, treatment = page.capture.sha256, treatment_of(page)
    return {Treatment().picture_key(sha256): Treatment(), treatment.picture_key(sha256): treatment}
