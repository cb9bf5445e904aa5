"""Passes: begin, next sheet, stop, go on."""

from fastapi import APIRouter
from pydantic import BaseModel

from papiermappe.devices.model import TicketSettings
from papiermappe.services import devices, passes
from papiermappe.services.errors import NotPossible
from papiermappe.web.context import Ctx

router = APIRouter()


class BeginPass(BaseModel):
    """A pass with a device and a ticket."""

    device: int
    ticket: TicketSettings


@router.post("/mappen/{mappe_id}/passes")
def begin(ctx: Ctx, mappe_id: int, command: BeginPass) -> int:
    """Begin a pass."""
    card = devices.look_at_device(ctx.store, command.device, ctx.limits)
    if card.abilities is None:
        raise NotPossible(f"{card.name}: {card.problem} Nothing was taken in. Switch it on, or choose another.")
    devices.must_fit(command.ticket, card.abilities)
    devices.keep_everyday_ticket(ctx.store, command.ticket)
    return passes.start_pass(ctx.store, mappe_id, command.device, command.ticket)


@router.post("/passes/{pass_id}/next-sheet")
def next_sheet(ctx: Ctx, pass_id: int) -> None:
    """Take the next sheet from the glass."""
    passes.next_sheet(ctx.store, pass_id)


@router.post("/passes/{pass_id}/stop")
def stop(ctx: Ctx, pass_id: int) -> None:
    """End a pass."""
    passes.stop(ctx.store, pass_id)


@router.post("/passes/{pass_id}/go-on")
def go_on(ctx: Ctx, pass_id: int) -> int:
    """Go on after trouble."""
    return passes.go_on(ctx.store, pass_id)
