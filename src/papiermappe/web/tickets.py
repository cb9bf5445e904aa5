"""Tickets: keeping, changing, naming, removing."""

from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from papiermappe.devices.model import TicketSettings
from papiermappe.services import tickets
from papiermappe.web.author import Asks
from papiermappe.web.context import MAX_ID, Ctx, Id

router = APIRouter(prefix="/tickets")


class Name(BaseModel):
    """What a ticket is called."""

    name: str = Field(min_length=1, max_length=300)


class NamedBy(BaseModel):
    """By which rule documents are named; None: by none of the ticket's own."""

    rule: Annotated[int, Field(ge=1, le=MAX_ID)] | None


class NewTicket(Name):
    """Settings to be kept under a name."""

    settings: TicketSettings


@router.post("")
def keep(ctx: Ctx, caller: Asks, command: NewTicket) -> int:
    """Keep settings under a new name."""
    return tickets.keep_ticket(caller, ctx.store, command.name, command.settings)


@router.post("/{ticket_id}/settings")
def change(ctx: Ctx, caller: Asks, ticket_id: Id, settings: TicketSettings) -> None:
    """Give a ticket other settings."""
    tickets.change_ticket(caller, ctx.store, ticket_id, settings)


@router.post("/{ticket_id}/name")
def rename(ctx: Ctx, caller: Asks, ticket_id: Id, command: Name) -> None:
    """Call a ticket something else."""
    tickets.rename_ticket(caller, ctx.store, ticket_id, command.name)


@router.post("/{ticket_id}/duplicate")
def duplicate(ctx: Ctx, caller: Asks, ticket_id: Id) -> int:
    """Keep the settings of a ticket once more."""
    return tickets.duplicate_ticket(caller, ctx.store, ticket_id)


@router.post("/{ticket_id}/default")
def make_default(ctx: Ctx, caller: Asks, ticket_id: Id) -> None:
    """Have a ticket chosen where a person has not chosen any yet."""
    tickets.make_default(caller, ctx.store, ticket_id)


@router.post("/{ticket_id}/naming-rule")
def set_naming_rule(ctx: Ctx, caller: Asks, ticket_id: Id, command: NamedBy) -> None:
    """Have documents that a ticket scans named by a rule."""
    tickets.set_naming_rule(caller, ctx.store, ticket_id, command.rule)


@router.post("/{ticket_id}/remove")
def remove(ctx: Ctx, caller: Asks, ticket_id: Id) -> None:
    """Remove a ticket."""
    tickets.remove_ticket(caller, ctx.store, ticket_id)


@router.post("/{ticket_id}/take-back")
def take_back(ctx: Ctx, caller: Asks, ticket_id: Id) -> None:
    """Take back a ticket that was removed."""
    tickets.take_ticket_back(caller, ctx.store, ticket_id)
