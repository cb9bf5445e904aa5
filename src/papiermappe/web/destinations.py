"""Destinations: keeping, changing, trying, removing."""

from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from papiermappe.services import destinations
from papiermappe.services.destinations import DestinationWanted, KeptDestination
from papiermappe.web.author import Asks
from papiermappe.web.context import MAX_ID, Ctx, Id

router = APIRouter(prefix="/destinations")


class Trial(BaseModel):
    """A destination that is to be tried."""

    id: Annotated[int, Field(ge=1, le=MAX_ID)] | None = None
    """Whose secret is meant, where none is typed."""
    wanted: DestinationWanted


class Tried(BaseModel):
    """How that went."""

    problem: str
    """Empty: well."""


@router.get("")
def list_destinations(ctx: Ctx, caller: Asks) -> list[KeptDestination]:
    """Return all destinations."""
    return destinations.list_destinations(caller, ctx.store)


@router.post("")
def add(ctx: Ctx, caller: Asks, command: DestinationWanted) -> int:
    """Keep a destination."""
    return destinations.add_destination(caller, ctx.store, command, ctx.secrets)


@router.post("/trial")
def attempt(ctx: Ctx, caller: Asks, command: Trial) -> Tried:
    """See whether documents could be delivered."""
    problem = destinations.try_destination(caller, ctx.store, command.wanted, ctx.secrets, command.id)
    return Tried(problem=ctx.words.text(problem) if problem else "")


@router.post("/{destination_id}")
def change(ctx: Ctx, caller: Asks, destination_id: Id, command: DestinationWanted) -> None:
    """Describe a destination anew."""
    destinations.change_destination(caller, ctx.store, destination_id, command, ctx.secrets)


@router.post("/{destination_id}/remove")
def remove(ctx: Ctx, caller: Asks, destination_id: Id) -> None:
    """Remove a destination."""
    destinations.remove_destination(caller, ctx.store, destination_id)


@router.post("/{destination_id}/take-back")
def take_back(ctx: Ctx, caller: Asks, destination_id: Id) -> None:
    """Take back a destination that was removed."""
    destinations.take_destination_back(caller, ctx.store, destination_id)
