"""Runs as windows show them."""

from datetime import datetime
from typing import Any

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from papiermappe.core.order.landing import Again, Backs, Before
from papiermappe.devices.model import TicketSettings
from papiermappe.message import Message
from papiermappe.services import runs
from papiermappe.services.landing import landing_of
from papiermappe.services.pairing_by_itself import RunPairing
from papiermappe.store.models import Capture, Page, Run, RunOrigin, RunState


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


def run_views(session: Session, mappe_id: int, since: int) -> list[RunView]:
    """Return the runs of a Mappe that have changed after change `since`."""
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
