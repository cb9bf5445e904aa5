"""A Mappe on the desk: its stations, its changes, and what is done to its pages."""

from typing import Annotated, Literal

from fastapi import APIRouter, Header, Request
from fastapi.responses import Response, StreamingResponse
from pydantic import BaseModel, Field

from papiermappe.core.treatment import Tone
from papiermappe.services import filing, journal, mappen, ordering, tidying
from papiermappe.services.desk import LANE_PX, STAGE_PX, desk
from papiermappe.services.devices import everyday_ticket, list_devices
from papiermappe.services.reading import everyday_reading
from papiermappe.web.context import NOT_KEPT, Ctx, templates
from papiermappe.web.events import updates

router = APIRouter(prefix="/mappen/{mappe_id}")

Station = Literal["intake", "order", "tidy", "file"]
PageIds = Annotated[list[int], Field(min_length=1, max_length=10_000)]


class OnPages(BaseModel):
    """A change of pages, by somebody who knew the journal up to `seen`."""

    pages: PageIds
    seen: int


class Move(OnPages):
    """Into the gap before sheet number `gap`."""

    gap: int


class Nudge(OnPages):
    """By one sheet."""

    by: Literal[-1, 1]


class Seen(BaseModel):
    """A change of a whole Mappe, by somebody who knew the journal up to `seen`."""

    seen: int


class Turn(OnPages):
    """Counter-clockwise."""

    quarter_turns: int = Field(ge=-3, le=3)


class Switch(OnPages):
    """A step of the treatment, on or off."""

    step: tidying.Step
    on: bool


class InTone(OnPages):
    """How ink and paper are shown."""

    tone: Tone


class Subject(BaseModel):
    """What a Mappe is about."""

    subject: str = Field(max_length=400)


@router.get("/events")
async def events(
    ctx: Ctx, mappe_id: int, since: int = 0, last_event_id: Annotated[int | None, Header()] = None
) -> StreamingResponse:
    """Send the Mappe's changes as they happen."""
    start = since if last_event_id is None else last_event_id
    return StreamingResponse(
        updates(ctx.hub, ctx.store, mappe_id, start),
        media_type="text/event-stream",
        headers=NOT_KEPT,
    )


@router.post("/move")
def move(ctx: Ctx, mappe_id: int, command: Move) -> int | None:
    """Move pages."""
    return ordering.move_pages(ctx.store, mappe_id, command.pages, command.gap, command.seen)


@router.post("/nudge")
def nudge(ctx: Ctx, mappe_id: int, command: Nudge) -> int | None:
    """Move pages by one sheet."""
    return ordering.nudge_pages(ctx.store, mappe_id, command.pages, command.by, command.seen)


@router.post("/printed-order")
def printed_order(ctx: Ctx, mappe_id: int, command: Seen) -> int:
    """Put the sheets in the order of their printed page numbers."""
    return ordering.put_in_printed_order(ctx.store, mappe_id, command.seen)


@router.post("/put-away")
def put_away(ctx: Ctx, mappe_id: int, command: OnPages) -> int:
    """Put pages away."""
    return ordering.put_away(ctx.store, mappe_id, command.pages, command.seen)


@router.post("/bring-back")
def bring_back(ctx: Ctx, mappe_id: int, command: OnPages) -> int:
    """Bring pages back."""
    return ordering.bring_back(ctx.store, mappe_id, command.pages, command.seen)


@router.post("/turn")
def turn(ctx: Ctx, mappe_id: int, command: Turn) -> int:
    """Turn pages."""
    return tidying.turn_pages(ctx.store, mappe_id, command.pages, command.quarter_turns, command.seen)


@router.post("/switch")
def switch(ctx: Ctx, mappe_id: int, command: Switch) -> int:
    """Switch a step of the treatment on or off."""
    return tidying.switch_step(ctx.store, mappe_id, command.pages, command.step, command.on, command.seen)


@router.post("/tone")
def tone(ctx: Ctx, mappe_id: int, command: InTone) -> int:
    """Show pages in another tone."""
    return tidying.set_tone(ctx.store, mappe_id, command.pages, command.tone, command.seen)


@router.post("/undo")
def undo(ctx: Ctx, mappe_id: int) -> int:
    """Take back the newest change."""
    return journal.undo(ctx.store, mappe_id)


@router.post("/redo")
def redo(ctx: Ctx, mappe_id: int) -> int:
    """Do again what was undone last."""
    return journal.redo(ctx.store, mappe_id)


@router.post("/subject")
def rename(ctx: Ctx, mappe_id: int, command: Subject) -> None:
    """Name the Mappe."""
    mappen.rename(ctx.store, mappe_id, command.subject)


@router.get("/{station}")
def station_page(request: Request, ctx: Ctx, mappe_id: int, station: Station) -> Response:
    """Show a station."""
    context = {
        "desk": desk(ctx.store, mappe_id),
        "station": station,
        "lane_px": LANE_PX,
        "stage_px": STAGE_PX,
        "devices": list_devices(ctx.store),
        "ticket": everyday_ticket(ctx.store),
        "destinations": filing.list_destinations(ctx.store),
        "languages": [(one.code, one.name) for one in ctx.languages],
        "reading": everyday_reading(ctx.store, [one.code for one in ctx.languages])._asdict(),
    }
    return templates.TemplateResponse(request, f"{station}.html", context)
