"""Fronts and backs put together: proposed for two runs of a Mappe."""

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel, Field

from papiermappe.core.order.landing import BacksOrder
from papiermappe.services import pairing
from papiermappe.web.author import Asks
from papiermappe.web.context import MAX_ID, NOT_KEPT, Ctx, Id

router = APIRouter(prefix="/mappen/{mappe_id}/pairing")


RunNumber = Annotated[int, Query(ge=1, le=MAX_ID)]


class Runs(BaseModel):
    """Two runs, by their numbers in the Mappe."""

    fronts: int = Field(ge=1, le=MAX_ID)
    backs: int = Field(ge=1, le=MAX_ID)
    order: BacksOrder | None = None
    """In which the backs lie, where a person knows it."""


@router.get("", response_class=JSONResponse)
def proposed(
    ctx: Ctx, caller: Asks, mappe_id: Id, fronts: RunNumber, backs: RunNumber, order: BacksOrder | None = None
) -> Response:
    """Return how the pages of two runs belong together; nothing until that has been worked out."""
    found = pairing.proposed(caller, ctx.store, mappe_id, fronts, backs, order)
    body = found.model_dump_json(context={"words": ctx.words}) if found else "null"
    return Response(body, media_type="application/json", headers=NOT_KEPT)


@router.post("")
def request(ctx: Ctx, caller: Asks, mappe_id: Id, wanted: Runs) -> None:
    """Have it worked out how the pages of two runs belong together."""
    pairing.request_pairing(caller, ctx.store, mappe_id, wanted.fronts, wanted.backs, wanted.order)
