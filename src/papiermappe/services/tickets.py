"""Tickets: scan settings kept under names, one of them the default."""

from datetime import UTC, datetime
from typing import NamedTuple

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from papiermappe.devices.model import TicketSettings
from papiermappe.services.caller import Caller
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.kept_names import KeptNames
from papiermappe.services.naming_rules import rule_in_use
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store, notify_intake
from papiermappe.store.models import Ticket

NAMES = KeptNames(Ticket, limit=40)


class KeptTicket(NamedTuple):
    """Settings under a name."""

    id: int
    name: str
    settings: TicketSettings
    is_default: bool
    naming_rule_id: int | None
    """By which documents that it scans are named; None: by that of their destination, or by the default one."""


def list_tickets(_: Caller, store: Store) -> list[KeptTicket]:
    """Return all tickets, the default one first, then in the order in which they were kept."""
    with store.begin() as session:
        there = select(Ticket).where(Ticket.removed_at.is_(None)).order_by(Ticket.is_default.desc(), Ticket.id)
        rows = session.scalars(there).all()
    return [
        KeptTicket(row.id, row.name, TicketSettings.model_validate(row.settings), row.is_default, row.naming_rule_id)
        for row in rows
    ]


@transaction
def keep_ticket(_: Caller, session: Session, name: str, settings: TicketSettings) -> int:
    """Keep settings under a new name; return the ticket. Raises NotPossible."""
    return _kept(session, NAMES.free(session, name), settings)


@transaction
def change_ticket(_: Caller, session: Session, ticket_id: int, settings: TicketSettings) -> None:
    """Give a ticket other settings. Raises NotFound."""
    _locked_ticket(session, ticket_id).settings = settings.model_dump(mode="json")
    notify_intake(session)


@transaction
def rename_ticket(_: Caller, session: Session, ticket_id: int, name: str) -> None:
    """Give a ticket another name. Raises NotFound, NotPossible."""
    ticket = _locked_ticket(session, ticket_id)
    if name.strip() != ticket.name:
        ticket.name = NAMES.free(session, name, besides=ticket_id)
        NAMES.flush(session, ticket.name)
    notify_intake(session)


@transaction
def duplicate_ticket(_: Caller, session: Session, ticket_id: int) -> int:
    """Keep the settings of a ticket once more, under its name with a number; return the new one. Raises NotFound."""
    ticket = _locked_ticket(session, ticket_id)
    settings = TicketSettings.model_validate(ticket.settings)
    return _kept(session, NAMES.numbered(session, ticket.name), settings)


@transaction
def make_default(_: Caller, session: Session, ticket_id: int) -> None:
    """Have a ticket chosen where a person has not chosen any yet. Raises NotFound."""
    ticket = _locked_ticket(session, ticket_id)
    session.execute(update(Ticket).where(Ticket.is_default).values(is_default=False))
    session.flush()
    ticket.is_default = True
    notify_intake(session)


@transaction
def set_naming_rule(_: Caller, session: Session, ticket_id: int, rule_id: int | None) -> None:
    """Have documents that a ticket scans named by a rule, or by none of its own. Raises NotFound."""
    if rule_id is not None:
        rule_in_use(session, rule_id)
    _locked_ticket(session, ticket_id).naming_rule_id = rule_id
    notify_intake(session)


@transaction
def remove_ticket(_: Caller, session: Session, ticket_id: int) -> None:
    """Remove a ticket; it can be taken back. Raises NotFound, NotPossible."""
    ticket = _locked_ticket(session, ticket_id)
    others = select(func.count()).where(Ticket.removed_at.is_(None), Ticket.id != ticket_id)
    if not session.scalar(others):
        raise NotPossible("last_ticket", name=ticket.name)
    ticket.removed_at, ticket.is_default = datetime.now(UTC), False
    notify_intake(session)


@transaction
def take_ticket_back(_: Caller, session: Session, ticket_id: int) -> None:
    """Take back a ticket that was removed; where its name is taken by now, with a number. Raises NotFound."""
    ticket = session.get(Ticket, ticket_id, with_for_update=True)
    if ticket is None:
        raise NotFound("ticket_gone")
    if ticket.removed_at is not None:
        ticket.name, ticket.removed_at = NAMES.numbered(session, ticket.name), None
    notify_intake(session)


def _kept(session: Session, name: str, settings: TicketSettings) -> int:
    ticket = Ticket(name=name, settings=settings.model_dump(mode="json"))
    session.add(ticket)
    NAMES.flush(session, name)
    notify_intake(session)
    return ticket.id


def _locked_ticket(session: Session, ticket_id: int) -> Ticket:
    ticket = session.get(Ticket, ticket_id, with_for_update=True)
    if ticket is None or ticket.removed_at is not None:
        raise NotFound("ticket_gone")
    return ticket
