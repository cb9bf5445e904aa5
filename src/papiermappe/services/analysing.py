"""What the machine finds on pages: analysed on arrival, recorded unless a person was quicker."""

from statistics import median_high
from typing import Any

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.analysis import Analysis
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.clean.findings import FindingKind
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.order.places import Side
from papiermappe.core.pages import examine, page_jpeg
from papiermappe.core.photo_sheet import KnownSheet
from papiermappe.core.treatment import FOUND_ON_SHEET, SURE, Origin, Part, Tone, Treatment, page_size_mm
from papiermappe.devices.model import Colour, TicketSettings
from papiermappe.recognition.errors import RecogniserError
from papiermappe.recognition.model import OrientationDetector
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.imprints import imprint_key
from papiermappe.services.journal import machine_entry
from papiermappe.services.live_runs import compare_when_all_are_in
from papiermappe.services.pages import analysis_of, treatment_of
from papiermappe.services.pictures import PictureSize, captured_picture, copy_key
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Page, Run
from papiermappe.store.queue import JobKind, enqueue

log = structlog.get_logger()

NEIGHBOURS = 9
MIN_NEIGHBOURS = 3

_STEPS = (("corners",), ("curl",), ("straighten",), ("crop",), ("quarter_turns", "turn_origin"), ("tone",))
"""What the machine finds: the fields of each step."""


def analyse_page(store: Store, page_id: int, compute: Compute, max_px: int) -> None:
    """Analyse a page that has arrived: make its small picture and record what was found."""
    with store.begin() as session:
        page = session.get(Page, page_id)
        if page is None or page.analysis is not None:
            return
        capture, treatment, usual_height_mm = page.capture, treatment_of(page), _usual_height_mm(session, page)
    if treatment.part is not None or treatment.corners is not None:
        analysis = examine_half(store, capture, treatment, compute, max_px)
        record_analysis(MACHINE, store, page_id, analysis, capture.id, treatment)
        return
    _analyse(store, page_id, capture, compute, max_px, None, usual_height_mm)


def find_upright(
    store: Store,
    page_id: int,
    compute: Compute,
    recogniser: OrientationDetector | None,
    max_px: int,
) -> None:
    """Ask the recogniser which way up a page stands, if that is unclear and no person has turned it.

    Args:
        store: of the page.
        page_id: the page.
        compute: runs what takes long.
        recogniser: None where none is installed.
        max_px: what is accepted of pictures.
    """
    with store.begin() as session:
        page = session.get(Page, page_id)
        analysis = analysis_of(page) if page else None
        if page is None or analysis is None or recogniser is None:
            return
        capture, origin = page.capture, treatment_of(page).turn_origin
        usual_height_mm = _usual_height_mm(session, page)
    if not analysis.way_up_open or origin is Origin.BY_HAND:
        return
    picture = captured_picture(store, capture, max_px)
    page_picture = compute(page_jpeg, picture, analysis.treatment.model_copy(update={"tone": Tone.GREY}))
    try:
        upright = recogniser.find_upright(page_picture, capture.dpi)
    except RecogniserError as exc:
        log.warning("the way up stays open", action="page.upright", page_id=page_id, cause=repr(exc))
        return
    if upright.confidence >= SURE:
        _analyse(store, page_id, capture, compute, max_px, upright, usual_height_mm)


def examine_half(store: Store, capture: Capture, treatment: Treatment, compute: Compute, max_px: int) -> Analysis:
    """Return what is found on one page of a spread; it stands as the spread did."""
    known = KnownSheet(treatment.corners, by_hand=False) if treatment.corners else None
    return examine_known(store, capture, treatment, known, compute, max_px)


def examine_known(
    store: Store, capture: Capture, treatment: Treatment, known: KnownSheet | None, compute: Compute, max_px: int
) -> Analysis:
    """Return what is found on a part of a capture that is known; it stands as its treatment says."""
    upright = TurnEstimate(treatment.quarter_turns, 1.0)
    return _examined(store, capture, compute, max_px, upright, None, treatment.part, known)


def _analyse(
    store: Store,
    page_id: int,
    capture: Capture,
    compute: Compute,
    max_px: int,
    upright: TurnEstimate | None,
    usual_height_mm: float | None,
) -> None:
    analysis = _examined(store, capture, compute, max_px, upright, usual_height_mm)
    record_analysis(MACHINE, store, page_id, analysis, capture.id)


def _examined(
    store: Store,
    capture: Capture,
    compute: Compute,
    max_px: int,
    upright: TurnEstimate | None,
    usual_height_mm: float | None,
    part: Part | None = None,
    known: KnownSheet | None = None,
) -> Analysis:
    """Return what is found on a capture, and keep the small pictures that come of it."""
    picture = captured_picture(store, capture, max_px)
    # Who takes a photo looks at it large before taking the next one; decoded it is just now.
    sizes = (PictureSize.STAGE, PictureSize.LANE) if capture.by_camera else (PictureSize.LANE,)
    widths_px = [size.width_px for size in sizes]
    found = compute(examine, picture, widths_px, THUMBNAIL_QUALITY, upright, usual_height_mm, part, known)
    analysis = found.analysis
    name = analysis.treatment.picture_key(capture.sha256)
    for size, preview in zip(sizes, found.previews, strict=True):
        store.blobs.cache(Blobs.picture_key(name, size), preview)
    store.blobs.cache(imprint_key(capture.sha256, analysis.treatment), found.imprint)
    if found.copy:
        store.blobs.cache(copy_key(capture.sha256), found.copy)
    return analysis


def _usual_height_mm(session: Session, page: Page) -> float | None:
    """Return the median height of the pages of the run analysed last, not one between two; None if they are few."""
    same_run = Page.capture.has(Capture.run_id == page.capture.run_id)
    others = select(Page).where(same_run, Page.analysis.is_not(None), Page.id != page.id)
    heights_mm = [_height_mm(other) for other in session.scalars(others.order_by(Page.id.desc()).limit(NEIGHBOURS))]
    return median_high(heights_mm) if len(heights_mm) >= MIN_NEIGHBOURS else None


def _height_mm(page: Page) -> float:
    capture = page.capture
    return page_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment_of(page))[1]


@transaction
def record_analysis(
    caller: Caller,
    session: Session,
    page_id: int,
    analysis: Analysis,
    capture_id: int | None = None,
    split_as: Treatment | None = None,
) -> None:
    """Record what the machine found on a page; whatever a person has set meanwhile stays.

    Where it is not sure which way up the page stands, the recogniser will be asked.

    Args:
        caller: the machine.
        session: of the transaction.
        page_id: the page.
        analysis: what was found.
        capture_id: that was looked at, None for its present one; nothing is recorded where it has another by now.
        split_as: what was done to it when it was split off a spread, where it was.
    """
    page = session.get_one(Page, page_id)
    if page.mappe_id is None:
        return
    mappe = locked_mappe(caller, session, page.mappe_id)
    session.refresh(page)
    if capture_id not in {None, page.capture_id}:
        return
    earlier = analysis_of(page)
    run = session.get_one(Run, page.capture.run_id)
    ticket = ticket_of(run)
    page.analysis = _with_comparisons(analysis, earlier).model_dump(mode="json")
    before = _as_wished(earlier, page.side, ticket) if earlier else _before_examined(split_as)
    fields = fields_found(treatment_of(page), before, _as_wished(analysis, page.side, ticket))
    if ticket is not None and ticket.blank_backs_aside and earlier is None and _is_blank_back(page, analysis):
        fields["set_aside"] = True
    seq = machine_entry(session, mappe, {page_id: fields})
    if "set_aside" in fields and run.mappe_id == mappe.id:
        run.change = seq  # windows are told how many of its pages are set aside
    if earlier is None:
        compare_when_all_are_in(session, run)
    enqueue(session, JobKind.LEAF, page_id=page_id)
    if analysis.way_up_open and (ticket is None or ticket.upright):
        enqueue(session, JobKind.FIND_UPRIGHT, page_id=page_id)


def ticket_of(run: Run) -> TicketSettings | None:
    """Return the settings that a run was begun with; None where it was a run of files."""
    return TicketSettings.model_validate(run.ticket) if run.ticket else None


def fields_found(now: Treatment, before: Treatment, found: Treatment) -> dict[str, Any]:
    """Return the fields that follow from what was found, without the steps that somebody has set.

    Args:
        now: what is done to the page.
        before: what was done to it because of an earlier analysis, or the plain treatment where there was none.
        found: what would be done to it because of the new one.
    """
    is_now, was, would_be = (treatment.model_dump(mode="json") for treatment in (now, before, found))
    untouched = [name for step in _STEPS if all(is_now[part] == was[part] for part in step) for name in step]
    fields = {name: would_be[name] for name in untouched}
    if "corners" not in fields and is_now["corners"] != would_be["corners"]:
        # All of these were found on the sheet as the machine would make it flat.
        fields = {name: value for name, value in fields.items() if name not in FOUND_ON_SHEET}
    return fields


def half_as_found(half: Treatment, analysis: Analysis, side: Side, ticket: TicketSettings | None) -> Treatment:
    """Return what is done to a page of a spread once it has been examined."""
    found = fields_found(half, _before_examined(half), _as_wished(analysis, side, ticket))
    return Treatment.model_validate(half.model_dump(mode="json") | found)


def _before_examined(split_as: Treatment | None) -> Treatment:
    """Return the plain treatment; of a page of an open book, with the corners that it was given by its spread."""
    return Treatment(corners=split_as.corners if split_as else None)


def _as_wished(analysis: Analysis, side: Side, ticket: TicketSettings | None) -> Treatment:
    """Return what follows from an analysis, as the ticket has it: some steps off, backs turned, grey where it is."""
    found = analysis.treatment
    if ticket is None:
        return found
    steps: dict[str, object] = {}
    if not ticket.straighten and found.straighten is not None:
        steps["straighten"] = found.straighten.model_copy(update={"on": False})
    if not ticket.crop and found.crop is not None:
        steps["crop"] = found.crop.model_copy(update={"on": False})
    if not ticket.upright or analysis.turn_confidence < SURE:
        steps["quarter_turns"] = 2 if ticket.has_turned_backs and side is Side.BACK else 0
    if ticket.colour is Colour.BY_CONTENT and analysis.colour is not ColourKind.COLOUR:
        steps["tone"] = Tone.GREY
    return found.model_copy(update=steps)


def _with_comparisons(analysis: Analysis, earlier: Analysis | None) -> Analysis:
    """Return an analysis with what comparing the page with others has told before."""
    told = tuple(found for found in (earlier.findings if earlier else ()) if found.kind is FindingKind.SAME_AGAIN)
    return analysis.model_copy(update={"findings": (*analysis.findings, *told)})


def _is_blank_back(page: Page, analysis: Analysis) -> bool:
    is_leaf = analysis.treatment.part is None  # an empty page of a booklet is one of its pages
    return page.side is Side.BACK and is_leaf and analysis.is_blank and not page.set_aside
