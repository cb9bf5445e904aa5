"""What the windows show of a Mappe: all of it at first, then what has changed."""

from datetime import datetime

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.clean.arrival import Look
from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.naming import document_name
from papiermappe.core.order.places import Side, sheets
from papiermappe.core.treatment import Treatment, page_size_mm
from papiermappe.services.errors import NotFound
from papiermappe.services.journal import pages_of, place_of, treatment_of, way_back_of
from papiermappe.services.made import MadePage, in_words
from papiermappe.services.naming import next_number
from papiermappe.services.printed import PrintedView, printed_view
from papiermappe.store.database import Store
from papiermappe.store.models import Filing, JournalEntry, Mappe, Page, Pass, PassState

HISTORY_SHOWN = 30
WORTH_A_LOOK = frozenset(FindingKind) - {FindingKind.BLANK, FindingKind.DUST_LINE, FindingKind.DIRTY, FindingKind.FOLD}
"""Kinds of findings that make the text of a page hard to read or wrong; the others are told at the page only."""
LANE_PX = 200
STAGE_PX = 1400

_PASS_NUMBERS = select(Pass.id, Pass.number)


class PageView(BaseModel):
    """A page as windows show it."""

    id: int
    side: Side
    put_away: bool
    pass_number: int
    pass_sheet: int
    picture: str
    """Names the picture of the page as treated."""
    scanned: str
    """Names the picture of the capture as it came."""
    width_mm: float
    height_mm: float
    scanned_width_mm: float
    scanned_height_mm: float
    dpi: float
    byte_size: int
    treatment: Treatment
    look: list[str]
    """What a person should look at; empty where all is well."""
    blank: bool
    findings: list[Finding]
    """What the machine noticed; with places only where the page still lies as it was looked at."""


class PassView(BaseModel):
    """A pass as windows show it."""

    id: int
    number: int
    state: PassState
    live: bool
    device: str
    source: str
    sides: str
    sheets: int
    pages: int
    message: str | None
    stopping: bool
    can_go_on: bool
    started_at: datetime


class FilingView(BaseModel):
    """A filing as windows show it."""

    id: int
    file_name: str
    destination: str
    state: str
    page_count: int
    pages_done: int
    byte_size: int | None
    message: str | None
    stopping: bool
    made_of: str
    """What its pages were made of; empty before it is done."""


class HistoryView(BaseModel):
    """A line of the history."""

    seq: int
    at: datetime
    text: str


class Desk(BaseModel):
    """A Mappe: its whole order, and the pages changed since what the window knew."""

    mappe: int
    seq: int
    subject: str
    file_name: str
    lanes: list[tuple[int | None, int | None]]
    """Front and back of each sheet."""
    put_away: list[int]
    pages: list[PageView]
    printed: PrintedView
    passes: list[PassView]
    filings: list[FilingView]
    history: list[HistoryView]
    undo: str | None
    redo: str | None


def desk(store: Store, mappe_id: int, since: int = 0) -> Desk:
    """Return a Mappe with the pages changed since entry number `since`. Raises NotFound."""
    with store.begin() as session:
        session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
        mappe = session.get(Mappe, mappe_id)
        if mappe is None:
            raise NotFound("This Mappe is not there. It may have been cleared.")
        pages = pages_of(session, mappe_id)
        numbers = {row.id: row.number for row in session.execute(_PASS_NUMBERS.where(Pass.mappe_id == mappe_id))}
        back = way_back_of(session, mappe_id)
        return Desk(
            mappe=mappe_id,
            seq=mappe.seq,
            subject=mappe.subject,
            file_name=document_name(datetime.now().astimezone().date(), mappe.subject, next_number(session)) + ".pdf",
            lanes=_lanes(pages),
            put_away=[page.id for page in pages if page.put_away],
            pages=[page_view(page, numbers[page.capture.pass_id]) for page in pages if page.revision > since],
            printed=printed_view(pages),
            passes=_passes(session, mappe_id),
            filings=_filings(session, mappe_id),
            history=_history(session, mappe_id),
            undo=_text(session, mappe_id, back.undoable),
            redo=_text(session, mappe_id, back.redoable),
        )


def page_view(page: Page, pass_number: int = 1) -> PageView:
    """Return a page as windows show it."""
    treatment, capture = treatment_of(page), page.capture
    width_mm, height_mm = page_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment)
    seen = Look.model_validate(page.look) if page.look else None
    findings = _findings(seen, treatment) if seen else []
    scanned_mm = page_size_mm(capture.width_px, capture.height_px, capture.dpi, Treatment())
    return PageView(
        id=page.id,
        side=page.side,
        put_away=page.put_away,
        pass_number=pass_number,
        pass_sheet=capture.sheet,
        picture=treatment.picture_key(capture.sha256),
        scanned=Treatment().picture_key(capture.sha256),
        width_mm=round(width_mm, 1),
        height_mm=round(height_mm, 1),
        scanned_width_mm=round(scanned_mm[0], 1),
        scanned_height_mm=round(scanned_mm[1], 1),
        dpi=capture.dpi,
        byte_size=capture.byte_size,
        treatment=treatment,
        look=_worth_a_look(treatment, findings),
        blank=any(finding.kind is FindingKind.BLANK for finding in findings),
        findings=findings,
    )


def _findings(look: Look, treatment: Treatment) -> list[Finding]:
    if treatment.lies_like(look.treatment):
        return list(look.findings)
    return [finding.model_copy(update={"zone": None}) for finding in look.findings]


def _worth_a_look(treatment: Treatment, findings: list[Finding]) -> list[str]:
    found = [finding.message for finding in findings if finding.kind in WORTH_A_LOOK]
    if treatment.crop and not treatment.crop.on and treatment.crop.confidence < 0.5:
        found.append("the edges of the sheet were not found for sure")
    if treatment.straighten and not treatment.straighten.on and treatment.straighten.confidence < 0.5:
        found.append("it is not sure whether the page is straight")
    return found


def _lanes(pages: list[Page]) -> list[tuple[int | None, int | None]]:
    lanes = []
    for sheet in sheets(place_of(page) for page in pages):
        by_side = {place.side: place.page_id for place in sheet}
        lanes.append((by_side.get(Side.FRONT), by_side.get(Side.BACK)))
    return lanes


def _passes(session: Session, mappe_id: int) -> list[PassView]:
    passes = session.scalars(select(Pass).where(Pass.mappe_id == mappe_id).order_by(Pass.number)).all()
    return [
        PassView(
            id=one.id,
            number=one.number,
            state=one.state,
            live=one.state.live,
            device=one.device.name,
            source=one.ticket["source"],
            sides=one.ticket["sides"],
            sheets=len({capture.sheet for capture in one.captures}),
            pages=len(one.captures),
            message=one.message,
            stopping=one.stop_wanted and one.state.live,
            can_go_on=one is passes[-1] and one.state is PassState.FAILED,
            started_at=one.started_at,
        )
        for one in passes
    ]


def _filings(session: Session, mappe_id: int) -> list[FilingView]:
    filings = session.scalars(select(Filing).where(Filing.mappe_id == mappe_id).order_by(Filing.id.desc()))
    return [
        FilingView(
            id=one.id,
            file_name=one.file_name,
            destination=one.destination.name,
            state=one.state.value,
            page_count=one.page_count,
            pages_done=one.pages_done,
            byte_size=one.byte_size,
            message=one.message,
            stopping=one.stop_wanted and one.state.under_way,
            made_of=in_words([MadePage.model_validate(page) for page in one.made["pages"]]) if one.made else "",
        )
        for one in filings
    ]


def _history(session: Session, mappe_id: int) -> list[HistoryView]:
    entries = session.scalars(
        select(JournalEntry)
        .where(JournalEntry.mappe_id == mappe_id, JournalEntry.text != "")
        .order_by(JournalEntry.seq.desc())
        .limit(HISTORY_SHOWN)
    )
    return [HistoryView(seq=entry.seq, at=entry.at, text=entry.text) for entry in entries]


def _text(session: Session, mappe_id: int, steps: list[int]) -> str | None:
    return session.get_one(JournalEntry, (mappe_id, steps[-1])).text if steps else None
