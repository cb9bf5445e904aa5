"""Pages between Mappen, and cutting a Mappe into documents."""

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel, Field

from papiermappe.core.operations.model import PageIds
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.services import cutting, moving
from papiermappe.services.mappen import MappeName, list_targets
from papiermappe.services.moving import Into, Place
from papiermappe.web.author import Asks
from papiermappe.web.context import MAX_ID, NOT_KEPT, Ctx, Id
from papiermappe.web.mappen import Change
from papiermappe.web.start import Find

router = APIRouter()


class Send(BaseModel):
    """Pages that go to another Mappe."""

    pages: PageIds
    into: Into
    as_copies: bool = False
    seen: Change


class Join(BaseModel):
    """A Mappe all of whose pages come into this one."""

    other: int = Field(ge=1, le=MAX_ID)
    place: Place = "end"
    seen: Change


class Seen(BaseModel):
    """What the author of a command knew."""

    seen: Change


@router.get("/mappen")
def targets(
    ctx: Ctx, caller: Asks, find: Find = "", but: Annotated[int | None, Query(ge=1, le=MAX_ID)] = None
) -> list[MappeName]:
    """Return open Mappen that pages can go to."""
    return list_targets(caller, ctx.store, find, but)


@router.post("/mappen/{mappe_id}/send")
def send(ctx: Ctx, caller: Asks, mappe_id: Id, command: Send) -> int:
    """Move or copy pages to another Mappe, or a new one; answer with that Mappe."""
    return moving.send(
        caller, ctx.store, mappe_id, command.pages, command.into, command.seen, as_copies=command.as_copies
    )


@router.post("/mappen/{mappe_id}/join")
def join(ctx: Ctx, caller: Asks, mappe_id: Id, command: Join) -> None:
    """Put all pages of another Mappe into this one, and clear the other one away."""
    moving.join(caller, ctx.store, mappe_id, command.other, command.place, command.seen)


@router.get("/mappen/{mappe_id}/cuts", response_class=JSONResponse)
def cuts(
    ctx: Ctx,
    caller: Asks,
    mappe_id: Id,
    rule: CutRule = CutRule.PAGES_SHOW,
    every: Annotated[int, Query(ge=1, le=10_000)] = 1,
) -> Response:
    """Return how the Mappe would fall into documents."""
    found = cutting.proposed_cuts(caller, ctx.store, mappe_id, rule, every)
    body = found.model_dump_json(context={"words": ctx.words})
    return Response(body, media_type="application/json", headers=NOT_KEPT)


@router.post("/mappen/{mappe_id}/cut-into-mappen")
def cut_into_mappen(ctx: Ctx, caller: Asks, mappe_id: Id, command: Seen) -> list[int]:
    """Make a Mappe of each document; answer with all, this one first."""
    return moving.cut_into_mappen(caller, ctx.store, mappe_id, command.seen)
