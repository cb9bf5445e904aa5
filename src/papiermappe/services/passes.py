"""The station Intake: passes, and the captures they bring in.

A capture is on disk and its row committed before the device is asked for the next page.
"""

from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.order.places import Side
from papiermappe.core.pages import page_jpeg
from papiermappe.core.picture import CapturedPicture, PictureHead
from papiermappe.core.treatment import Treatment
from papiermappe.devices.model import Sides, Source, TicketSettings
from papiermappe.services.desk import LANE_PX
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.journal import edit, locked_mappe, note
from papiermappe.services.words import count, run_of
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.database import Store, tell
from papiermappe.store.models import Capture, Page, Pass, PassState
from papiermappe.store.queue import Work, hand_in


@dataclass(frozen=True)
class SheetsIn:
    """What a pass has brought in so far."""

    first: int
    complete: int
    half: int | None
    """The sheet of which only one of two sides is in."""

    @property
    def next(self) -> int:
        """The sheet that has to be laid in first to go on."""
        return self.first + self.complete


def start_pass(store: Store, mappe_id: int, device_id: int, ticket: TicketSettings, first_sheet: int = 1) -> int:
    """Begin a pass; a worker takes the pages in. Raises NotPossible where the device or the Mappe has one already."""
    try:
        with store.begin() as session:
            locked_mappe(session, mappe_id)
            return _begin(session, mappe_id, device_id, ticket, first_sheet)
    except IntegrityError as exc:
        raise NotPossible(
            "Pages are being taken in already, here or in another Mappe with this scanner. Wait for that, or stop it."
        ) from exc


def _begin(session: Session, mappe_id: int, device_id: int, ticket: TicketSettings, first_sheet: int) -> int:
    number = (session.scalar(select(func.max(Pass.number)).where(Pass.mappe_id == mappe_id)) or 0) + 1
    begun = Pass(
        mappe_id=mappe_id,
        number=number,
        device_id=device_id,
        ticket=ticket.model_dump(mode="json"),
        first_sheet=first_sheet,
        state=PassState.TAKING,
    )
    session.add(begun)
    session.flush()
    hand_in(session, Work.TAKE_IN, pass_id=begun.id)
    tell(session, mappe_id)
    return begun.id


def go_on(store: Store, pass_id: int) -> int:
    """Go on after a pass that failed: its half sheet is put away, the new pass counts on. Returns the new pass."""
    with store.begin() as session:
        broken = _pass(session, pass_id)
        if broken.state is not PassState.FAILED:
            raise NotPossible("This pass has ended as it should. Begin a new one.")
        mappe = locked_mappe(session, broken.mappe_id)
        so_far = sheets_in(broken)
        if so_far.half is not None:
            halves = [capture.id for capture in broken.captures if capture.sheet == so_far.half]
            pages = session.scalars(select(Page.id).where(Page.capture_id.in_(halves), ~Page.put_away)).all()
            if pages:
                text = f"the one side of sheet {so_far.half} put away, it is taken again"
                edit(session, mappe, text, {page_id: {"put_away": True} for page_id in pages}, mappe.seq)
        ticket = TicketSettings.model_validate(broken.ticket)
        first = so_far.next if ticket.source is Source.FEEDER else 1
        mappe_id, device_id = broken.mappe_id, broken.device_id
    return start_pass(store, mappe_id, device_id, ticket, first)


def next_sheet(store: Store, pass_id: int) -> None:
    """Take the next sheet from the glass."""
    with store.begin() as session:
        waiting = _pass(session, pass_id)
        if waiting.state is not PassState.WAITING:
            raise NotPossible("The scanner is still at work. Wait until the sheet is in.")
        waiting.state = PassState.TAKING
        hand_in(session, Work.TAKE_IN, pass_id=waiting.id)
        tell(session, waiting.mappe_id)


def stop(store: Store, pass_id: int) -> None:
    """End a pass: a glass loop at once, a feeder run after the page that is on its way."""
    with store.begin() as session:
        live = _pass(session, pass_id)
        if live.state is PassState.WAITING:
            _end(session, live, PassState.DONE, None)
        elif live.state is PassState.TAKING:
            live.stop_wanted = True
            tell(session, live.mappe_id)


def end(store: Store, pass_id: int, state: PassState, message: str | None = None) -> None:
    """End a pass, once."""
    with store.begin() as session:
        ending = _pass(session, pass_id)
        if ending.state.live:
            _end(session, ending, state, message)


def _end(session: Session, ending: Pass, state: PassState, message: str | None) -> None:
    mappe = locked_mappe(session, ending.mappe_id)
    ending.state, ending.message, ending.ended_at = state, message, datetime.now(UTC)
    so_far = sheets_in(ending)
    sheet_count = so_far.complete + (so_far.half is not None)
    note(
        session,
        mappe,
        f"Pass {ending.number}: {count(sheet_count, 'sheet')}, {count(len(ending.captures), 'page')} arrived",
    )


def wait_for_sheet(store: Store, pass_id: int) -> None:
    """Let a glass loop wait for the next sheet."""
    with store.begin() as session:
        taking = _pass(session, pass_id)
        if taking.stop_wanted:
            _end(session, taking, PassState.DONE, None)
        else:
            taking.state, taking.job_url = PassState.WAITING, None
            tell(session, taking.mappe_id)


def begin_job(store: Store, pass_id: int, job_url: str) -> None:
    """Note the device's job, so that a worker that comes after this one can find it."""
    with store.begin() as session:
        _pass(session, pass_id).job_url = job_url


def read_pass(store: Store, pass_id: int) -> Pass:
    """Return a pass as it is now, its captures loaded. Raises NotFound."""
    with store.begin() as session:
        found = _pass(session, pass_id)
        _ = found.captures, found.device
        return found


def sheets_in(one: Pass) -> SheetsIn:
    """Return which sheets of a pass are in, whole or half."""
    two_sided = one.ticket["sides"] == Sides.BOTH
    by_sheet: dict[int, int] = {}
    for capture in one.captures:
        by_sheet[capture.sheet] = by_sheet.get(capture.sheet, 0) + 1
    half = next((sheet for sheet, sides in by_sheet.items() if two_sided and sides == 1), None)
    return SheetsIn(one.first_sheet, len(by_sheet) - (half is not None), half)


def next_place(one: Pass) -> tuple[int, Side]:
    """Return the sheet and side that the next capture of a pass is."""
    so_far = sheets_in(one)
    return so_far.next, Side.FRONT if so_far.half is None else Side.BACK


def keep_capture(store: Store, pass_id: int, place: tuple[int, Side], picture: CapturedPicture) -> int:
    """Keep what the device delivered. When this returns, it survives any crash, and windows show it.

    Args:
        store: rows and files.
        pass_id: the pass.
        place: the sheet and side it is; done twice for one place, it is kept once.
        picture: what came.

    Returns:
        The page.

    Raises:
        StoreError: it could not be kept; nothing is shown as arrived.
    """
    head, sha256 = picture.head(), sha256_of(picture.data)
    store.blobs.keep(Blobs.capture_key(sha256), picture.data)
    small = page_jpeg(picture, Treatment(), LANE_PX, THUMBNAIL_QUALITY)
    store.blobs.cache(Blobs.picture_key(Treatment().picture_key(sha256), LANE_PX), small)
    with store.begin() as session:
        taking = _pass(session, pass_id)
        mappe = locked_mappe(session, taking.mappe_id)
        sheet, side = place
        if kept := _kept_already(session, pass_id, sheet, side):
            return kept
        capture = _capture(taking, sheet, side, sha256, picture, head)
        session.add(capture)
        session.flush()
        rank = _rank_for(session, taking, sheet)
        page = Page(
            mappe_id=mappe.id,
            capture_id=capture.id,
            rank=rank,
            side=side,
            treatment=Treatment().model_dump(mode="json"),
            revision=mappe.seq + 1,
        )
        session.add(page)
        session.flush()
        note(session, mappe, "", {page.id: {}})
        hand_in(session, Work.LOOK_AT, page_id=page.id)
        return page.id


def _kept_already(session: Session, pass_id: int, sheet: int, side: Side) -> int | None:
    kept = select(Page.id).join(Page.capture)
    return session.scalar(kept.where(Capture.pass_id == pass_id, Capture.sheet == sheet, Capture.side == side))


def _capture(taking: Pass, sheet: int, side: Side, sha256: str, picture: CapturedPicture, head: PictureHead) -> Capture:
    return Capture(
        pass_id=taking.id,
        sheet=sheet,
        side=side,
        sha256=sha256,
        media_type=head.media_type,
        byte_size=len(picture.data),
        width_px=head.width_px,
        height_px=head.height_px,
        dpi=picture.dpi,
    )


def _rank_for(session: Session, taking: Pass, sheet: int) -> Decimal:
    """Return the rank of a sheet's other side where that is in already and in its place, else one behind all others."""
    pages = session.scalars(select(Page).where(Page.mappe_id == taking.mappe_id)).all()
    mates = [page for page in pages if page.capture.pass_id == taking.id and page.capture.sheet == sheet]
    if mates and not any(page.rank == mates[0].rank and page.side is Side.BACK for page in pages):
        return mates[0].rank
    return Decimal(int(max((page.rank for page in pages), default=Decimal(0))) + 1)


def _pass(session: Session, pass_id: int) -> Pass:
    found = session.get(Pass, pass_id, with_for_update={"of": Pass})
    if found is None:
        raise NotFound("This pass is not there.")
    return found


def trouble_message(so_far: SheetsIn, what: str, from_feeder: bool, jammed: bool) -> str:
    """Say what happened, which sheets are in, and what to do.

    Args:
        so_far: the sheets that are in.
        what: what happened: of the next sheet ("jammed") where `jammed`, else a sentence.
        from_feeder: whether there is a pile to put back.
        jammed: whether a sheet is stuck.
    """
    stuck = so_far.next
    happened = f"Sheet {stuck} {what}." if jammed else what
    if not so_far.complete:
        safe = "No sheet of this pass is in yet."
    else:
        last = so_far.first + so_far.complete - 1
        run = run_of(so_far.first, last, "Sheet")
        safe = f"{run} {'is' if so_far.complete == 1 else 'are'} in."
    if so_far.half is not None:
        safe += f" Of sheet {so_far.half} only the front is in."
    if not from_feeder:
        return f"{happened} {safe} Lay sheet {stuck} on the glass again and go on."
    if jammed:
        return f"{happened} {safe} Take sheet {stuck} out, put it back on top, go on."
    return f"{happened} {safe} Put sheet {stuck} and those after it back into the feeder, go on."
