"""A Mappe: its stations, its event stream, and the operations on its pages."""

from typing import Annotated, Literal

from fastapi import APIRouter, Header, Query, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from pydantic import BaseModel, Field
from sse_starlette import EventSourceResponse

from papiermappe.core.operations import Operation
from papiermappe.core.operations.model import PageIds
from papiermappe.core.paper import SIZES
from papiermappe.core.reading.languages import language
from papiermappe.services import destinations, journal, mappen, naming_rules, operating, splitting, undoing
from papiermappe.services.operating import Done
from papiermappe.services.page_details import PageDetail, page_detail
from papiermappe.services.pictures import PictureSize
from papiermappe.services.printed import printed_view
from papiermappe.services.reading import last_used_reading
from papiermappe.services.views import mappe_view
from papiermappe.web.author import Asks
from papiermappe.web.context import MAX_ID, NOT_KEPT, Ctx, Id
from papiermappe.web.events import MappeEvent
from papiermappe.web.pictures import PicturesWanted, note_wanted

router = APIRouter(prefix="/mappen/{mappe_id}")

Station = Literal["intake", "order", "tidy", "file"]
Change = Annotated[int, Field(ge=0, lt=2**63)]
PING_S = 15
MOST_SHOWN = 2
"""A window shows pages large, and pages in its lanes."""


class Operate(BaseModel):
    """An operation, by somebody who knew all changes up to `seen`."""

    operation: Operation
    seen: Change
    shown: Annotated[tuple[PicturesWanted, ...], Field(max_length=MOST_SHOWN)] = ()
    """Pages that the window shows: their pictures are made at once, and told with the answer."""


class Step(BaseModel):
    """An entry of the journal, to be undone or redone."""

    entry: Change | None = None
    """None: the newest of the person who asks."""


class Split(BaseModel):
    """Spreads that are split, by somebody who knew all changes up to `seen`."""

    pages: PageIds
    right_to_left: bool = False
    seen: Change


class Subject(BaseModel):
    """What a Mappe is about."""

    subject: str = Field(max_length=400)


@router.get("/events", include_in_schema=False)
async def events(
    ctx: Ctx,
    caller: Asks,
    mappe_id: Id,
    since: Annotated[int, Query(ge=0, lt=2**63)] = 0,
    device: Annotated[int | None, Query(ge=1, le=MAX_ID)] = None,
    last_event_id: Annotated[str | None, Header(max_length=30)] = None,
) -> EventSourceResponse:
    """Send the Mappe's changes as they happen, and how a device is."""
    start = int(last_event_id) if last_event_id and last_event_id.isdecimal() else since
    stream = ctx.hub.events(mappe_id, start, caller.author, device)
    return EventSourceResponse(stream, ping=PING_S, headers=NOT_KEPT)


@router.post("/operations")
def operate(ctx: Ctx, caller: Asks, mappe_id: Id, command: Operate) -> Done | None:
    """Carry out an operation on pages; answer with its journal entry, or nothing if nothing changes."""
    shown = [wanted.pictures for wanted in command.shown]
    done = operating.operate(caller, ctx.store, mappe_id, command.operation, command.seen, shown)
    if done is not None:
        note_wanted(ctx, command.shown, done.pictures)
    return done


@router.post("/split")
def split(ctx: Ctx, caller: Asks, mappe_id: Id, command: Split) -> Done | None:
    """Split spreads into their two pages."""
    entry = splitting.split_spreads(
        caller, ctx.store, mappe_id, command.pages, command.seen, right_to_left=command.right_to_left
    )
    return None if entry is None else _done(ctx, caller, mappe_id, entry)


@router.post("/undo")
def undo(ctx: Ctx, caller: Asks, mappe_id: Id, command: Step) -> Done:
    """Undo an entry."""
    return _done(ctx, caller, mappe_id, undoing.undo(caller, ctx.store, mappe_id, command.entry))


@router.post("/redo")
def redo(ctx: Ctx, caller: Asks, mappe_id: Id, command: Step) -> Done:
    """Redo an entry."""
    return _done(ctx, caller, mappe_id, undoing.redo(caller, ctx.store, mappe_id, command.entry))


def _done(ctx: Ctx, caller: Asks, mappe_id: int, entry: int) -> Done:
    return Done(entry=entry, places=journal.places_set(caller, ctx.store, mappe_id, entry))


@router.post("/subject")
def rename(ctx: Ctx, caller: Asks, mappe_id: Id, command: Subject) -> None:
    """Name the Mappe."""
    mappen.rename(caller, ctx.store, mappe_id, command.subject)


@router.post("/clear", status_code=303, response_class=RedirectResponse)
def clear(ctx: Ctx, caller: Asks, mappe_id: Id) -> Response:
    """Clear the Mappe away and go to the start page."""
    mappen.clear(caller, ctx.store, mappe_id)
    return RedirectResponse(f"/?cleared={mappe_id}", 303)


@router.post("/take-back", status_code=303, response_class=RedirectResponse)
def take_back(ctx: Ctx, caller: Asks, mappe_id: Id) -> Response:
    """Take the Mappe back and go to it."""
    mappen.take_back(caller, ctx.store, mappe_id)
    return RedirectResponse(f"/mappen/{mappe_id}/order", 303)


@router.get("/pages/{page_id}", response_class=JSONResponse)
def page(ctx: Ctx, caller: Asks, mappe_id: Id, page_id: Id) -> Response:
    """Return everything that is known about a page."""
    del mappe_id  # a page may have moved to another Mappe; what is known about it is the same
    detail: PageDetail = page_detail(caller, ctx.store, page_id)
    body = detail.model_dump_json(context={"words": ctx.words})
    return Response(body, media_type="application/json", headers=NOT_KEPT)


@router.get("/{station}", include_in_schema=False)
def station_page(request: Request, ctx: Ctx, caller: Asks, mappe_id: Id, station: Station) -> Response:
    """Show a station."""
    view = mappe_view(caller, ctx.store, mappe_id)
    cursor, rows = ctx.pages.pages_of(caller, ctx.store, mappe_id)
    whole = view.model_copy(update={"cursor": cursor, "pages": [row.view for row in rows]})
    printed = printed_view([row.printed for row in rows])
    facts = {
        "author": caller.author,
        "station": station,
        "lane": PictureSize.LANE.value,
        "stage": PictureSize.STAGE.value,
        "stage_px": PictureSize.STAGE.width_px,
        "full": PictureSize.FULL.value,
        **_facts(ctx, caller, station),
    }
    context = {"mappe": whole, "event": MappeEvent(changes=whole, printed=printed), "station": station, "facts": facts}
    return ctx.templates.TemplateResponse(request, f"{station}.html", context, headers=NOT_KEPT)


def _facts(ctx: Ctx, caller: Asks, station: Station) -> dict[str, object]:
    """Return what a station needs besides the Mappe."""
    if station == "intake":
        return {"intake": ctx.hub.intake_list.view().model_dump(mode="json")}
    if station == "file":
        reading = last_used_reading(caller, ctx.store, ctx.languages)
        languages = sorted(((code, ctx.words.language(language(code).tag)) for code in ctx.languages), key=_by_name)
        places, rules = destinations.list_destinations(caller, ctx.store), naming_rules.list_rules(caller, ctx.store)
        return {
            "destinations": [kept.model_dump(mode="json") for kept in places],
            "naming_rules": [kept.model_dump(mode="json") for kept in rules],
            "languages": languages,
            "reading": {"languages": reading.languages, "mode": reading.mode.value},
        }
    if station == "tidy":
        return {"paper_lengths_mm": sorted({length for size in SIZES for length in size[1:]})}
    return {}


def _by_name(entry: tuple[str, str]) -> str:
    return entry[1]
