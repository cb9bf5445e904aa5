"""Scanners: adding one, and what one offers for a ticket."""

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from papiermappe.core.geometry import MM_PER_INCH
from papiermappe.devices.model import Abilities, Colour, Sides, Source, TicketSettings
from papiermappe.services import devices
from papiermappe.web.author import Asks
from papiermappe.web.context import Ctx, Id
from papiermappe.web.device_list import DeviceListView
from papiermappe.words import Words
from papiermappe.words.marks import N_
from papiermappe.words.sentences import VALUES

router = APIRouter(prefix="/devices")

BITS_A_PIXEL = {Colour.COLOUR: 0.75, Colour.GREY: 0.5, Colour.BILEVEL: 0.12}
LEGIBLE_PX = 20  # an em of print needs about this many pixels to be read with ease
POINTS_PER_INCH = 72

_PAGE_SIZE = N_("about {size} a page")
_LEGIBLE = N_("reads {points} pt print")


class Address(BaseModel):
    """Where a scanner is."""

    address: str = Field(min_length=1, max_length=300)


class Name(BaseModel):
    """What a scanner is called."""

    name: str = Field(min_length=1, max_length=300)


class Choice(BaseModel):
    """A value to choose, with its words."""

    value: str | int
    label: str


class Offer(BaseModel):
    """What a device offers: the ticket as it can do it, the choices, and what the ticket costs."""

    ticket: TicketSettings
    choices: dict[str, list[Choice]]
    costs: list[str]


@router.post("")
def add(ctx: Ctx, caller: Asks, command: Address) -> int:
    """Add a scanner by its address."""
    return devices.add_device(caller, ctx.store, command.address, ctx.quick_limits)


@router.get("")
def list_all(ctx: Ctx) -> DeviceListView:
    """Return all scanners: those added, and those that announce themselves."""
    return ctx.hub.device_list.view()


@router.post("/{device_id}/name")
def rename(ctx: Ctx, caller: Asks, device_id: Id, command: Name) -> None:
    """Call a scanner something else."""
    devices.rename_device(caller, ctx.store, device_id, command.name)


@router.post("/{device_id}/default")
def make_default(ctx: Ctx, caller: Asks, device_id: Id) -> None:
    """Have a scanner chosen where a person has not chosen any yet."""
    devices.make_default(caller, ctx.store, device_id)


@router.post("/{device_id}/remove")
def remove(ctx: Ctx, caller: Asks, device_id: Id) -> None:
    """Remove a scanner; its runs stay."""
    devices.remove_device(caller, ctx.store, device_id)


@router.post("/{device_id}/take-back")
def take_back(ctx: Ctx, caller: Asks, device_id: Id) -> None:
    """Take back a scanner that was removed."""
    devices.take_device_back(caller, ctx.store, device_id)


@router.get("/{device_id}/offer")
def offer(ctx: Ctx, caller: Asks, device_id: Id, ticket: Annotated[TicketSettings, Query()]) -> Offer:
    """Return what a device offers, going by its last answer."""
    device = devices.device_at(caller, ctx.store, device_id)
    if device.capabilities is None:
        return Offer(ticket=ticket, choices={}, costs=[])
    abilities = Abilities.model_validate(device.capabilities)
    fitted = ticket.fitted(abilities)
    return Offer(
        ticket=fitted,
        choices=_choices(abilities, fitted, ctx.words),
        costs=_costs(fitted, abilities, ctx.words),
    )


def _choices(abilities: Abilities, ticket: TicketSettings, words: Words) -> dict[str, list[Choice]]:
    able = abilities.source(ticket.source)
    both = ticket.source is Source.FEEDER and abilities.duplex

    def worded(name: str, codes: list[str]) -> list[Choice]:
        return [Choice(value=code, label=words.value(name, code)) for code in codes]

    return {
        "source": worded("source", [source.value for source in Source if abilities.source(source)]),
        "sides": worded("sides", [Sides.ONE.value, *([Sides.BOTH.value] if both else [])]),
        "paper": [
            Choice(value=name, label=words.value("paper", name) if name in VALUES["paper"] else name)
            for name in (able.papers() if able else [])
        ],
        "colour": worded("colour", [colour.value for colour in able.colours] if able else []),
        "dpi": [Choice(value=dpi, label=f"{dpi} dpi") for dpi in (able.resolutions_dpi if able else ())],
    }


def _costs(ticket: TicketSettings, abilities: Abilities, words: Words) -> list[str]:
    """Say how large a page becomes and how small print may be; from the pixels, so it holds for any device."""
    able = abilities.source(ticket.source)
    if able is None:
        return []
    width_mm, height_mm = ticket.area_mm(able)
    pixels = width_mm * height_mm * (ticket.dpi / MM_PER_INCH) ** 2
    byte_count = pixels * BITS_A_PIXEL[ticket.colour] / 8
    size = words.size(int(round(byte_count, -4)))
    points = words.number(LEGIBLE_PX * POINTS_PER_INCH / ticket.dpi)
    return [words.gettext(_PAGE_SIZE).format(size=size), words.gettext(_LEGIBLE).format(points=points)]
