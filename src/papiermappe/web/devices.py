"""Scanners: adding one, and what one offers for a ticket."""

from base64 import b64encode
from collections.abc import Mapping
from typing import Annotated

from fastapi import APIRouter, Path, Query
from pydantic import BaseModel, Field

from papiermappe.core.encode.level import Level
from papiermappe.core.zones import Zone
from papiermappe.devices.model import Abilities, Lies, Sides, Source, Span, TicketSettings, TurnsOver
from papiermappe.message import Message
from papiermappe.services import costs, devices, looking, routines
from papiermappe.services.costs import Cost, TicketCosts
from papiermappe.services.errors import NotPossible
from papiermappe.services.offers import unoffered
from papiermappe.web.author import Asks
from papiermappe.web.context import Ctx, Id
from papiermappe.web.intake_list import IntakeListView
from papiermappe.words import Words
from papiermappe.words.marks import N_
from papiermappe.words.sentences import VALUES

router = APIRouter(prefix="/devices")

LEGIBLE_PX = 20  # an em of print needs about this many pixels to be read with ease
POINTS_PER_INCH = 72

_SHEET = N_("{seconds} s a sheet")
_SCANNED = N_("{size} a page")
_FILED = N_("filed: Faithful {faithful}, Balanced {balanced}, Lean {lean}")
_NONE = N_("no routine")
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


class CostView(BaseModel):
    """Something that a ticket costs, in words."""

    text: str
    is_measured: bool
    """On this desk; else it is estimated."""


class Offer(BaseModel):
    """What a device offers: the ticket as it can do it, where that is not what was wished, the choices, the costs."""

    ticket: TicketSettings
    notes: list[str]
    choices: dict[str, list[Choice]]
    costs: list[CostView]


@router.post("")
def add(ctx: Ctx, caller: Asks, command: Address) -> int:
    """Add a scanner by its address."""
    return devices.add_device(caller, ctx.store, command.address, ctx.quick_limits)


@router.get("")
def list_all(ctx: Ctx) -> IntakeListView:
    """Return all tickets and scanners, and the scanners that announce themselves."""
    return ctx.hub.intake_list.view()


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


class LookView(BaseModel):
    """What lies on a glass."""

    picture: str
    """As a data URI: it is not kept anywhere."""
    width_mm: float
    height_mm: float
    originals: list[Zone]
    light_gets_in: bool


@router.post("/{device_id}/look")
def look(ctx: Ctx, caller: Asks, device_id: Id) -> str:
    """Have the glass looked at; return the name of the look."""
    return looking.request_look(caller, ctx.store, device_id)


@router.get("/looks/{name}")
def look_seen(ctx: Ctx, name: Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]) -> LookView | None:
    """Return what a look has shown; nothing until it has."""
    outcome = looking.look_seen(ctx.store, name)
    if outcome is not None and outcome.problem is not None:
        raise NotPossible(outcome.problem.code, **outcome.problem.params)
    seen = outcome.look if outcome else None
    return (
        None
        if seen is None
        else LookView(
            picture=f"data:image/jpeg;base64,{b64encode(seen.jpeg).decode()}",
            width_mm=seen.width_mm,
            height_mm=seen.height_mm,
            originals=seen.originals,
            light_gets_in=seen.light_gets_in,
        )
    )


@router.get("/{device_id}/offer")
def offer(ctx: Ctx, caller: Asks, device_id: Id, ticket: Annotated[TicketSettings, Query()]) -> Offer:
    """Return what a device offers, going by its last answer."""
    device = devices.device_at(caller, ctx.store, device_id)
    if device.capabilities is None:
        return Offer(ticket=ticket, notes=[], choices={}, costs=[])
    abilities = Abilities.model_validate(device.capabilities)
    kept = {routine.id: routine.name for routine in routines.list_routines(caller, ctx.store)}
    fitted = ticket.fitted(abilities)
    gone = []
    if fitted.routine and fitted.routine not in kept:
        fitted, gone = fitted.model_copy(update={"routine": 0}), [ctx.words.text(Message(code="ticket_routine_gone"))]
    able = abilities.source(fitted.source)
    if able is None:
        return Offer(ticket=fitted, notes=[], choices={}, costs=[])
    cost = costs.ticket_costs(caller, ctx.store, device_id, fitted, able)
    return Offer(
        ticket=fitted,
        notes=[*(ctx.words.text(note) for note in unoffered(ticket, fitted, abilities, device.name)), *gone],
        choices=_choices(abilities, fitted, ctx.words) | {"routine": _routines(kept, ctx.words)},
        costs=_costs(cost, fitted, ctx.words),
    )


def _choices(abilities: Abilities, ticket: TicketSettings, words: Words) -> dict[str, list[Choice]]:
    able = abilities.source(ticket.source)
    both = ticket.source is not Source.GLASS and abilities.duplex

    def worded(name: str, codes: list[str]) -> list[Choice]:
        return [Choice(value=code, label=words.value(name, code)) for code in codes]

    return {
        "source": worded("source", [source.value for source in Source if abilities.source(source)]),
        "sides": worded("sides", [Sides.ONE.value, *([Sides.BOTH.value] if both else [])]),
        "paper": [
            Choice(value=name, label=words.value("paper", name) if name in VALUES["paper"] else name)
            for name in (able.papers(ticket.lies) if able else [])
        ],
        "lies": worded("lies", [lies.value for lies in Lies]),
        "turns_over": worded("turns_over", [edge.value for edge in TurnsOver]),
        "brightness": _light("brightness", abilities.brightness, ticket.brightness, words),
        "contrast": _light("contrast", abilities.contrast, ticket.contrast, words),
        "colour": worded("colour", [colour.value for colour in able.colours_by_content] if able else []),
        "dpi": [Choice(value=dpi, label=f"{dpi} dpi") for dpi in (able.resolutions_dpi if able else ())],
    }


def _routines(kept: Mapping[int, str], words: Words) -> list[Choice]:
    """Return the routines that there are, after none."""
    return [Choice(value=0, label=words.gettext(_NONE)), *(Choice(value=at, label=name) for at, name in kept.items())]


def _light(name: str, span: Span | None, percent: int, words: Words) -> list[Choice]:
    """Return steps of brightness or contrast, and the one that is set where it is none of them."""
    if span is None:
        return []
    own = [] if str(percent) in VALUES[name] else [Choice(value=percent, label=f"{percent:+} %")]
    return [*(Choice(value=int(step), label=words.value(name, step)) for step in VALUES[name]), *own]


def _costs(cost: TicketCosts, ticket: TicketSettings, words: Words) -> list[CostView]:
    """Put costs into words. How small print may be follows from the resolution, so it holds for any device."""
    said = []
    if cost.sheet_s is not None:
        seconds = words.number(cost.sheet_s.value, 1)
        said.append(CostView(text=words.gettext(_SHEET).format(seconds=seconds), is_measured=cost.sheet_s.is_measured))
    size = words.size(_rounded(cost.scan_bytes))
    said.append(CostView(text=words.gettext(_SCANNED).format(size=size), is_measured=cost.scan_bytes.is_measured))
    sizes = {level.value: words.size(_rounded(cost.filed_bytes[level])) for level in Level}
    points = words.number(LEGIBLE_PX * POINTS_PER_INCH / ticket.dpi)
    said.append(CostView(text=words.gettext(_LEGIBLE).format(points=points), is_measured=False))
    all_measured = all(filed.is_measured for filed in cost.filed_bytes.values())
    return [*said, CostView(text=words.gettext(_FILED).format(**sizes), is_measured=all_measured)]


def _rounded(cost: Cost) -> int:
    """Return bytes with as many digits as the figure deserves."""
    if cost.is_measured or cost.value < 1:
        return round(cost.value)
    digits = len(str(int(cost.value)))
    return int(round(cost.value, 2 - digits))
