"""What windows show of a Mappe: all of it at first, then what has changed."""

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime
from enum import StrEnum
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from papiermappe.core.analysis import Analysis
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.geometry import Quad
from papiermappe.core.order.landing import Again, Backs, Before
from papiermappe.core.page_box import PageBox
from papiermappe.core.treatment import SURE, Origin, Treatment, flat_size_mm, page_box, page_size_mm
from papiermappe.core.zones import Zone, ZoneKind
from papiermappe.devices.model import TicketSettings
from papiermappe.message import Message
from papiermappe.services import runs
from papiermappe.services.caller import Caller, may_see, visible_page
from papiermappe.services.errors import NotFound
from papiermappe.services.filing_views import FilingView, filing_view
from papiermappe.services.history import HistoryLine, history, told_of
from papiermappe.services.landing import landing_of
from papiermappe.services.naming import next_name
from papiermappe.services.page_warnings import NO_WARNING, message_of, unaccepted, warnings_of
from papiermappe.services.pages import (
    analysis_of,
    analysis_of_sheet,
    page_facts,
    page_state,
    printed_on_page,
    treatment_of,
)
from papiermappe.services.pairing_by_itself import RunPairing
from papiermappe.services.places import PagePlace, as_places, places
from papiermappe.services.printed import PrintedPage
from papiermappe.services.undoing import undo_stack
from papiermappe.store.database import Store
from papiermappe.store.models import (
    Capture,
    Filing,
    JournalChange,
    JournalMappe,
    Mappe,
    Page,
    Run,
    RunOrigin,
    RunState,
)


class SpreadKind(StrEnum):
    """How well it is known that a page is two, and where they meet."""

    SURE = "sure"
    UNSURE = "unsure"
    BY_HAND = "by_hand"


class PageView(PagePlace):
    """A page as the lanes show it."""

    picture: str
    """Names the picture of the page as treated."""
    scan: int
    """Names its untouched scan."""
    width_mm: float
    height_mm: float
    dpi: float
    """Of the scan."""
    byte_size: int
    """Of the scan."""
    analysed: bool
    blank: bool
    spread: SpreadKind | None
    """Whether it can be split into two pages; None where it is no spread."""
    warnings: list[Message]
    """What a person should check; empty where all is well."""


class FindingView(BaseModel):
    """What the machine noticed on a page."""

    message: Message
    zone: Zone | None
    """Where on the page, however it lies by now; None: everywhere, or it cannot be told."""
    is_warning: bool
    accepted: bool
    """Whether a person has said that it is fine."""


class FrameView(BaseModel):
    """The part of a scan that becomes the page, before its quarter turns."""

    centre_x_mm: float
    centre_y_mm: float
    width_mm: float
    height_mm: float
    skew_deg: float


class SidesView(BaseModel):
    """How far the sides of the sheet that was found lie outside of those of the page, in mm, as the page is seen."""

    left: float
    top: float
    right: float
    bottom: float


class ZoneView(BaseModel):
    """A zone that is cleared or marked on a page, or outside which all is cleared."""

    name: str
    kind: ZoneKind
    corners: list[tuple[float, float]]
    """On the page as it is seen, in mm."""
    text: str
    """Of a note."""
    pages: list[int]
    """All pages of the Mappe that have it."""


class PageDetail(BaseModel):
    """Everything that is known about one page."""

    page: PageView
    treatment: Treatment
    colour: ColourKind | None
    """What its picture needs, as it was judged; None before it was examined."""
    findings: list[FindingView]
    scan_width_mm: float
    scan_height_mm: float
    frame: FrameView
    sheet_corners: Quad
    """On its scan: those by which it is made flat; else those that were found on a photo, or those of its frame."""
    is_sheet_found: bool
    """Whether the machine has found the sheet on a photo for sure."""
    untoned: str
    """Names the picture of the page in the same shape, with light and print as they were scanned, and no zones."""
    is_found_flat: bool
    """Whether it is made flat by the corners that the machine has found."""
    curl_mm: float | None
    """How far it bows where it bows most; None where it lies flat, or that is not known."""
    found_sides: SidesView | None
    """None where no sheet was found."""
    zones: list[ZoneView]
    gutter: list[tuple[float, float]] | None
    """Where it would be split, on the page as it is seen, in mm; None where it is no spread."""
    block: Zone | None
    """What is printed on it, as it is seen; None where nothing is."""
    run: int
    """Its number in its Mappe."""
    sheet: int | None
    file_name: str | None
    title: str
    """As printed on it; empty where it has none, or has not been read."""


class RunView(BaseModel):
    """A run as windows show it."""

    id: int
    number: int
    origin: RunOrigin
    state: RunState
    live: bool
    device: str | None
    by_phone: bool
    """Whether its pictures come from a phone."""
    ticket: TicketSettings | None
    sheets: int
    counted: int | None
    """How many sheets the person has counted."""
    pages: int
    message: Message | None
    stopping: bool
    can_continue: bool
    """Whether a person has still to say how it goes on."""
    retaking: bool
    aside: int
    """How many of its pages are set aside."""
    landing: str | None
    """The kind of the landing; None: at the Mappe's end."""
    to_come: int | None
    """How many backs it was begun for, or pages to be taken again."""
    pairing: Message | None
    """What became of laying its backs to their fronts; None where that was not tried."""
    fronts_run: int | None
    """The number of the run that brought their fronts in."""
    started_at: datetime


class UndoView(BaseModel):
    """What undo and redo of one person would do."""

    undo: HistoryLine | None
    redo: HistoryLine | None


class MappeView(BaseModel):
    """What has changed of a Mappe since what a window knew; all of it for one that knows nothing."""

    mappe: int
    cursor: int
    """The newest change that is in it."""
    subject: str | None
    """None: as before."""
    file_name: str
    """The name that it would get now, as a PDF."""
    pages: list[PageView]
    moved: list[PagePlace]
    """Pages that lie elsewhere in it, and are otherwise as before."""
    gone: list[int]
    """Pages that are in the Mappe no more."""
    runs: list[RunView]
    filings: list[FilingView]
    history: list[HistoryLine]
    """The newest first."""
    undo: Mapping[str, UndoView]
    """By author, for those whose undo has changed."""


class PageRow(NamedTuple):
    """A page for windows, and for what is told of all pages together."""

    view: PageView
    printed: PrintedPage

    def laid(self, place: PagePlace) -> "PageRow":
        """Return the page as it lies now."""
        if place.revision == self.view.revision:
            return self
        return PageRow(self.view.model_copy(update=dict(place)), self.printed._replace(**place.printed_place))


class _Head(NamedTuple):
    """A Mappe, and what kinds of things of it have changed, so that only these are asked for."""

    id: int
    subject: str
    cleared_at: datetime | None
    change: int
    subject_changed: bool
    runs: bool
    filings: bool
    told: bool
    """Whether something is told in the history."""
    gone: bool
    """Whether pages may have left."""
    authors: Sequence[str]
    """Who has done something."""


def mappe_view(caller: Caller, store: Store, mappe_id: int) -> MappeView:
    """Return a whole Mappe but for its pages, which are remembered elsewhere. Raises NotFound."""
    with store.begin() as session:
        return _view(session, _head(caller, session, mappe_id, 0), 0, [], {caller.author})


def mappe_changes(
    caller: Caller, store: Store, mappe_id: int, since: int, author: str | None = None
) -> tuple[MappeView, list[PageRow]]:
    """Return what has changed of a Mappe after change `since`, and the changed pages.

    Args:
        caller: who asks.
        store: of the Mappe.
        mappe_id: of the Mappe.
        since: the change up to which the caller is up to date.
        author: whose undo stack is included in any case.

    Raises:
        NotFound: it is not there.
    """
    with store.begin() as session:
        session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
        head = _head(caller, session, mappe_id, since)
        changed = Page.mappe_id == mappe_id, Page.revision > since
        rows = [page_row(page) for page in session.scalars(select(Page).where(*changed, Page.content_revision > since))]
        moved = as_places(session.execute(places().where(*changed, Page.content_revision <= since)))
        authors = {*head.authors, *([author] if author else [])}
        view = _view(session, head, since, [row.view for row in rows], authors)
        return view.model_copy(update={"moved": moved}), rows


def _view(session: Session, head: _Head, since: int, pages: Sequence[PageView], authors: Collection[str]) -> MappeView:
    return MappeView(
        mappe=head.id,
        cursor=head.change,
        subject=head.subject if head.subject_changed or not since else None,
        file_name=next_name(session, session.get_one(Mappe, head.id)),
        pages=list(pages),
        moved=[],
        gone=_gone(session, head.id, since) if head.gone and since else [],
        runs=_runs(session, head.id, since) if head.runs else [],
        filings=_filings(session, head.id, since) if head.filings else [],
        history=history(session, head.id, since) if head.told else [],
        undo={author: _undo(session, head.id, author) for author in authors},
    )


def page_row(page: Page) -> PageRow:
    """Return a page as windows show it."""
    analysis = analysis_of(page)
    view = _page_view(page, treatment_of(page), analysis)
    treatment = treatment_of(page)
    printed = PrintedPage(
        id=page.id,
        rank=page.rank,
        side=page.side,
        set_aside=page.set_aside,
        begins=page.begins is not None,
        to_upright=_to_upright(treatment, analysis) if analysis else 0,
        facts=page_facts(page, analysis),
    )
    return PageRow(view, printed)


def _to_upright(treatment: Treatment, analysis: Analysis) -> int:
    """Return the turns that set a page upright; 0 where the machine is not sure of any, or a person has turned it."""
    if analysis.turn_confidence < SURE or analysis.is_blank or treatment.turn_origin is Origin.BY_HAND:
        return 0
    return (analysis.treatment.quarter_turns - treatment.quarter_turns) % 4


def _page_view(page: Page, treatment: Treatment, analysis: Analysis | None) -> PageView:
    capture = page.capture
    width_mm, height_mm = page_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment)
    return PageView(
        id=page.id,
        revision=page.revision,
        rank=str(page.rank),
        side=page.side,
        set_aside=page.set_aside,
        begins=page.begins,
        picture=treatment.picture_key(capture.sha256),
        scan=capture.id,
        width_mm=round(width_mm, 1),
        height_mm=round(height_mm, 1),
        dpi=capture.dpi,
        byte_size=capture.byte_size,
        analysed=analysis is not None,
        blank=analysis is not None and analysis.is_blank,
        spread=_spread_kind(treatment, analysis),
        warnings=unaccepted(warnings_of(treatment, analysis), page.accepted) if analysis else [],
    )


def _spread_kind(treatment: Treatment, analysis: Analysis | None) -> SpreadKind | None:
    if treatment.part is not None:
        return None
    if treatment.gutter is not None:
        return SpreadKind.BY_HAND
    if analysis is None or analysis.spread is None or analysis.treatment.corners != treatment.corners:
        return None
    return SpreadKind.SURE if analysis.spread.confidence >= SURE else SpreadKind.UNSURE


def page_detail(caller: Caller, store: Store, page_id: int) -> PageDetail:
    """Return everything that is known about a page. Raises NotFound."""
    with store.begin() as session:
        page = visible_page(caller, session, page_id)
        capture, treatment, analysis = page.capture, treatment_of(page), analysis_of(page)
        number = session.scalar(select(Run.number).where(Run.id == capture.run_id))
        printed, gutter = printed_on_page(page), page_state(page, with_capture=True).gutter
        holders = _zone_holders(session, page.mappe_id) if treatment.zones else {}
        of_sheet = analysis_of_sheet(page)
    scan_mm = page_size_mm(capture.width_px, capture.height_px, capture.dpi, Treatment())
    flat_mm = flat_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment)
    frame = page_box(*flat_mm, treatment)
    guess = analysis.photo_sheet if analysis else None
    return PageDetail(
        page=_page_view(page, treatment, analysis),
        treatment=treatment,
        colour=analysis.colour if analysis else None,
        findings=_findings(treatment, analysis, flat_mm, page.accepted) if analysis else [],
        scan_width_mm=round(scan_mm[0], 1),
        scan_height_mm=round(scan_mm[1], 1),
        frame=FrameView(**frame._asdict()),
        sheet_corners=treatment.corners or (guess.corners if guess else frame.corners),
        is_sheet_found=guess is not None and guess.is_sure,
        untoned=treatment.shape_only.picture_key(page.capture.sha256),
        is_found_flat=treatment.corners is not None and of_sheet is not None,
        curl_mm=treatment.curl.largest_mm if treatment.curl and treatment.corners else None,
        found_sides=_found_sides(of_sheet, flat_mm, frame, treatment.quarter_turns) if of_sheet else None,
        zones=[
            ZoneView(
                name=zone.name,
                kind=zone.kind,
                text=zone.text,
                corners=[(x, y) for x, y in frame.on_page(zone.corners, treatment.quarter_turns).round(2).tolist()],
                pages=holders.get(zone.name, [page_id]),
            )
            for zone in treatment.zones
        ],
        gutter=frame.on_page(gutter, treatment.quarter_turns).round(2).tolist() if gutter else None,
        block=_box_round(frame.on_page(of_sheet.printed_area, treatment.quarter_turns))
        if of_sheet and of_sheet.printed_area
        else None,
        run=number or 0,
        sheet=capture.sheet,
        file_name=capture.file_name,
        title=printed.title if printed else "",
    )


def _found_sides(
    analysis: Analysis, flat_mm: tuple[float, float], frame: PageBox, quarter_turns: int
) -> SidesView | None:
    if analysis.treatment.sheet is None:
        return None
    corners = frame.on_page(page_box(*flat_mm, analysis.treatment).corners, quarter_turns)
    width_mm, height_mm = frame.size_mm(quarter_turns)
    (left, top), (right, bottom) = corners.min(axis=0), corners.max(axis=0)
    outwards = {"left": -left, "top": -top, "right": right - width_mm, "bottom": bottom - height_mm}
    return SidesView(**{side: round(float(mm), 1) for side, mm in outwards.items()})


def _zone_holders(session: Session, mappe_id: int | None) -> dict[str, list[int]]:
    """Return by name the pages of a Mappe that have each zone."""
    zones = Page.treatment["zones"]
    having = select(Page.id, zones).where(Page.mappe_id == mappe_id, func.jsonb_array_length(zones) > 0)
    having = having.order_by(Page.rank, Page.side.desc())  # a front before its back
    holders: dict[str, list[int]] = {}
    for page_id, own in session.execute(having):
        for zone in own:
            holders.setdefault(zone["name"], []).append(page_id)
    return holders


def _findings(
    treatment: Treatment, analysis: Analysis, flat_mm: tuple[float, float], accepted: Collection[str]
) -> list[FindingView]:
    then, now = analysis.treatment, treatment
    can_tell = then.part == now.part and then.corners == now.corners
    before, after = page_box(*flat_mm, then), page_box(*flat_mm, now)

    def placed(zone: Zone) -> Zone:
        """Return the box round a place of the page as it was analysed, on the page as it is now."""
        return _box_round(after.on_page(before.on_sheet(zone.corners(), then.quarter_turns), now.quarter_turns))

    return [
        FindingView(
            message=message_of(finding),
            zone=placed(finding.zone) if finding.zone and can_tell else None,
            is_warning=finding.kind not in NO_WARNING,
            accepted=f"finding_{finding.kind}" in accepted,
        )
        for finding in analysis.findings
    ]


def _box_round(corners: NDArray[np.float64]) -> Zone:
    """Return the upright box round places of a page."""
    (left, top), (right, bottom) = corners.min(axis=0).round(2).tolist(), corners.max(axis=0).round(2).tolist()
    return Zone(x_mm=left, y_mm=top, width_mm=max(right - left, 0.01), height_mm=max(bottom - top, 0.01))


def _gone(session: Session, mappe_id: int, since: int) -> list[int]:
    """Return the pages that have left a Mappe after change `since`."""
    left = (
        select(JournalChange.page_id)
        .join(JournalMappe, JournalMappe.seq == JournalChange.seq)
        .join(Page, Page.id == JournalChange.page_id)
        .where(
            JournalMappe.mappe_id == mappe_id,
            JournalMappe.seq > since,
            JournalChange.before.has_key("mappe_id"),
            Page.mappe_id.is_distinct_from(mappe_id),
        )
    )
    return sorted(set(session.scalars(left)))


# As text, since it runs at each event: building the statement would take longer than running it.
_HEAD = text("""
    select
        mappe.id, subject, cleared_at, change, subject_change > :since,
        exists (select from run where mappe_id = :mappe_id and change > :since),
        exists (select from filing where mappe_id = :mappe_id and change > :since),
        entry.told, entry.by_person, entry.authors
    from mappe cross join lateral (
        select
            coalesce(bool_or(kind <> 'machine' or message is not null), false) as told,
            coalesce(bool_or(kind <> 'machine'), false) as by_person,
            coalesce(array_agg(distinct author) filter (where kind <> 'machine'), '{}') as authors
        from journal_entry join journal_mappe using (seq)
        where mappe_id = :mappe_id and seq > :since
    ) as entry
    where mappe.id = :mappe_id
""")


def _head(caller: Caller, session: Session, mappe_id: int, since: int) -> _Head:
    row = session.execute(_HEAD, {"mappe_id": mappe_id, "since": since}).first()
    head = _Head(*row) if row else None
    if head is None or not may_see(caller, head):
        raise NotFound("mappe_gone")
    return head


def _undo(session: Session, mappe_id: int, author: str) -> UndoView:
    stack = undo_stack(session, mappe_id, author)
    wanted = [seq for seq in stack if seq is not None]
    told = told_of(session, wanted) if wanted else {}
    at = datetime.now().astimezone()

    def line(seq: int | None) -> HistoryLine | None:
        return None if seq is None else HistoryLine(seq=seq, at=at, message=told[seq])

    return UndoView(undo=line(stack.undo), redo=line(stack.redo))


def _runs(session: Session, mappe_id: int, since: int) -> list[RunView]:
    changed = select(Run).where(Run.mappe_id == mappe_id, Run.change > since).order_by(Run.number)
    return [_run_view(session, run) for run in session.scalars(changed)]


def _run_view(session: Session, run: Run) -> RunView:
    so_far = runs.sheets_in(session, run)
    return RunView(
        id=run.id,
        number=run.number,
        origin=run.origin,
        state=run.state,
        live=run.state.live,
        device=run.device.name if run.device else None,
        by_phone=run.phone_link_id is not None,
        ticket=TicketSettings.model_validate(run.ticket) if run.ticket and run.device else None,
        sheets=so_far.complete + (so_far.half is not None),
        counted=run.expected_sheets,
        pages=runs.pages_in(session, run, so_far),
        message=Message.model_validate(run.message) if run.message else None,
        stopping=run.stop_requested and run.state.live,
        can_continue=run.state is RunState.INTERRUPTED and not run.dismissed,
        retaking=run.retaking,
        aside=_aside(session, run) if run.ticket and run.ticket.get("blank_backs_aside") else 0,
        **_landing(run),
        **_pairing(run),
        started_at=run.started_at,
    )


def _aside(session: Session, run: Run) -> int:
    pages = select(func.count()).select_from(Page).join(Page.capture)
    return session.scalar(pages.where(Capture.run_id == run.id, Page.set_aside)) or 0


def _landing(run: Run) -> dict[str, Any]:
    match landing_of(run):
        case Backs(fronts=fronts):
            return {"landing": "backs", "to_come": len(fronts)}
        case Again(pages=pages):
            return {"landing": "again", "to_come": len(pages)}
        case Before():
            return {"landing": "before", "to_come": None}
        case None:
            return {"landing": None, "to_come": None}


def _pairing(run: Run) -> dict[str, Any]:
    told = RunPairing.model_validate(run.pairing) if run.pairing else None
    if told is None:
        return {"pairing": None, "fronts_run": None}
    return {"pairing": told.message(run.number), "fronts_run": told.fronts_run}


def _filings(session: Session, mappe_id: int, since: int) -> list[FilingView]:
    changed = select(Filing).where(Filing.mappe_id == mappe_id, Filing.change > since).order_by(Filing.id.desc())
    return [filing_view(filing) for filing in session.scalars(changed)]
