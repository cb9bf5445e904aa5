"""Scanners: the live card of one, and adding one."""

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from papiermappe.core.geometry import MM_PER_INCH
from papiermappe.devices.model import Abilities, Colour, DeviceState, Sides, Source, TicketSettings
from papiermappe.services import devices
from papiermappe.services.devices import DeviceCard
from papiermappe.web.context import Ctx

router = APIRouter(prefix="/devices")

BITS_A_PIXEL = {Colour.COLOUR: 0.75, Colour.GREY: 0.5, Colour.BILEVEL: 0.12}
LEGIBLE_PX = 20  # an em of print needs about as many pixels to be read without effort
POINTS_PER_INCH = 72

_STATES = {
    "ScannerAdfJam": ("a sheet is jammed", "bad"),
    "ScannerAdfMultipickDetected": ("two sheets came at once", "bad"),
    "ScannerAdfMispick": ("a sheet could not be picked up", "bad"),
    "ScannerAdfHatchOpen": ("the cover is open", "bad"),
}


class Address(BaseModel):
    """Where a scanner is."""

    address: str = Field(min_length=1, max_length=300)


class Choices(BaseModel):
    """What the ticket can ask of the device."""

    source: list[str]
    sides: list[str]
    paper: list[str]
    colour: list[str]
    dpi: list[int]


class Card(BaseModel):
    """A device as the Intake shows it, with the ticket as it can do it."""

    id: int
    name: str
    tone: str
    """well, busy or bad"""
    state: str
    feeder: str | None
    paper_loaded: bool | None
    has_feeder: bool
    has_glass: bool
    admin_url: str | None
    ready: bool
    ticket: TicketSettings
    choices: Choices | None
    costs: list[str]


@router.post("")
def add(ctx: Ctx, command: Address) -> int:
    """Add a scanner by its address."""
    return devices.add_device(ctx.store, command.address, ctx.quick_limits)


@router.get("/{device_id}/card")
def card(ctx: Ctx, device_id: int, ticket: Annotated[TicketSettings, Query()]) -> Card:
    """Ask a device how it is."""
    seen = devices.look_at_device(ctx.store, device_id, ctx.quick_limits)
    fitted = ticket.fitted(seen.abilities) if seen.abilities else ticket
    state, tone = _state(seen)
    return Card(
        id=seen.id,
        name=seen.name,
        tone=tone,
        state=state,
        feeder=_feeder(seen),
        paper_loaded=seen.status.paper_loaded if seen.status else None,
        has_feeder=bool(seen.abilities and seen.abilities.feeder),
        has_glass=bool(seen.abilities and seen.abilities.glass),
        admin_url=seen.abilities.admin_url if seen.abilities else None,
        ready=seen.ready,
        ticket=fitted,
        choices=_choices(seen.abilities, fitted) if seen.abilities else None,
        costs=_costs(fitted, seen.abilities),
    )


def _state(seen: DeviceCard) -> tuple[str, str]:
    if seen.status is None:
        return seen.problem or "does not answer", "bad"
    if seen.status.adf_state in _STATES:
        return _STATES[seen.status.adf_state]
    return {
        DeviceState.IDLE: ("ready", "well"),
        DeviceState.PROCESSING: ("at work", "busy"),
        DeviceState.TESTING: ("testing itself", "busy"),
        DeviceState.STOPPED: ("stopped; look at it", "bad"),
        DeviceState.DOWN: ("switched off", "bad"),
    }[seen.status.state]


def _feeder(seen: DeviceCard) -> str | None:
    if seen.status is None or seen.abilities is None or seen.abilities.feeder is None:
        return None
    loaded = seen.status.paper_loaded
    if loaded is None:
        return "paper on its way" if seen.status.adf_state == "ScannerAdfProcessing" else None
    return "paper in the feeder" if loaded else "feeder is empty"


def _choices(abilities: Abilities, ticket: TicketSettings) -> Choices:
    able = abilities.source(ticket.source)
    both = ticket.source is Source.FEEDER and abilities.duplex
    return Choices(
        source=[source.value for source in Source if abilities.source(source)],
        sides=[Sides.ONE.value, Sides.BOTH.value] if both else [Sides.ONE.value],
        paper=able.papers() if able else [],
        colour=[colour.value for colour in able.colours] if able else [],
        dpi=list(able.resolutions_dpi) if able else [],
    )


def _costs(ticket: TicketSettings, abilities: Abilities | None) -> list[str]:
    """Say what a page weighs and how small print may be; from the pixels, so it holds for any device."""
    able = abilities.source(ticket.source) if abilities else None
    if able is None:
        return []
    width_mm, height_mm = ticket.area_mm(able)
    pixels = width_mm * height_mm * (ticket.dpi / MM_PER_INCH) ** 2
    kilobytes = pixels * BITS_A_PIXEL[ticket.colour] / 8 / 1000
    weight = f"{kilobytes / 1000:.1f} MB" if kilobytes >= 1000 else f"{round(kilobytes, -1):.0f} KB"
    return [f"≈ {weight} a page", f"reads {LEGIBLE_PX * POINTS_PER_INCH / ticket.dpi:.0f} pt print"]
