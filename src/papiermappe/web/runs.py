"""Runs: start, next sheet, stop, continue."""

from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from papiermappe.core.order.landing import Again, BacksOrder, Before
from papiermappe.core.zones import Zone
from papiermappe.devices.model import TicketSettings
from papiermappe.services import devices, runs
from papiermappe.services.errors import NotPossible
from papiermappe.services.transaction import number_answered
from papiermappe.web.author import Asks
from papiermappe.web.context import MAX_ID, Ctx, Id

router = APIRouter()

MAX_COUNT = 9999
MAX_AREAS = 30


class StartRun(BaseModel):
    """A run with a device and a ticket."""

    device: Annotated[int, Field(ge=1, le=MAX_ID)]
    ticket: TicketSettings
    counted: Annotated[int | None, Field(ge=1, le=MAX_COUNT)] = None
    """How many sheets the person has counted."""
    landing: Again | Before | None = Field(default=None, discriminator="kind")
    """Where its pages go; None: to the Mappe's end."""
    areas: Annotated[list[Zone], Field(max_length=MAX_AREAS)] = []
    """Of the glass, a page each; none: where the paper lies."""
    kept_ticket: Annotated[int, Field(ge=1, le=MAX_ID)] | None = None
    """The ticket under a name that was chosen."""


class StartBacks(BaseModel):
    """The run of the backs of a one-sided run, with a device and a ticket."""

    device: Annotated[int, Field(ge=1, le=MAX_ID)]
    ticket: TicketSettings
    order: BacksOrder


@router.post("/mappen/{mappe_id}/runs")
def start(ctx: Ctx, caller: Asks, mappe_id: Id, command: StartRun) -> int:
    """Start a run."""
    if (begun := number_answered(caller, ctx.store)) is not None:
        return begun
    ticket = _possible_ticket(ctx, caller, command)
    where = command.landing, command.areas
    return runs.start_run(
        caller, ctx.store, mappe_id, command.device, ticket, command.counted, *where, command.kept_ticket
    )


@router.post("/runs/{run_id}/backs")
def start_backs(ctx: Ctx, caller: Asks, run_id: Id, command: StartBacks) -> int:
    """Start the run of the backs of a run."""
    if (begun := number_answered(caller, ctx.store)) is not None:
        return begun
    ticket = _possible_ticket(ctx, caller, command)
    return runs.start_backs(caller, ctx.store, run_id, command.device, ticket, command.order)


def _possible_ticket(ctx: Ctx, caller: Asks, command: StartRun | StartBacks) -> TicketSettings:
    """Return the ticket, with the source that has paper; check that the device is there and offers it."""
    card = devices.ask_device(caller, ctx.store, command.device, ctx.limits)
    if card.abilities is None or card.status is None:
        problem = card.problem.model_dump(mode="json") if card.problem else None
        raise NotPossible("device_not_answering", device=card.name, problem=problem)
    devices.must_fit(command.ticket, card.abilities)
    return command.ticket.at(card.abilities, card.status)


@router.post("/runs/{run_id}/retake")
def retake(ctx: Ctx, caller: Asks, run_id: Id) -> None:
    """Scan the sheet on the glass once more."""
    runs.retake(caller, ctx.store, run_id)


@router.post("/runs/{run_id}/next-sheet")
def next_sheet(ctx: Ctx, caller: Asks, run_id: Id) -> None:
    """Scan the next sheet from the glass."""
    runs.next_sheet(caller, ctx.store, run_id)


@router.post("/runs/{run_id}/stop")
def stop(ctx: Ctx, caller: Asks, run_id: Id) -> None:
    """End a run."""
    runs.stop(caller, ctx.store, run_id)


@router.post("/runs/{run_id}/continue")
def continue_run(ctx: Ctx, caller: Asks, run_id: Id) -> int:
    """Continue after trouble."""
    return runs.continue_run(caller, ctx.store, run_id)


@router.post("/runs/{run_id}/dismiss")
def dismiss(ctx: Ctx, caller: Asks, run_id: Id) -> None:
    """Finish without the rest."""
    runs.dismiss(caller, ctx.store, run_id)
