"""Fronts and backs put together: proposed for two runs of a Mappe, or for pages of it."""

from typing import Annotated

from fastapi import APIRouter, Path
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel

from papiermappe.core.order.landing import BacksOrder
from papiermappe.services import pairing
from papiermappe.services.pairing import PartsToPair, RunsToPair
from papiermappe.web.author import Asks
from papiermappe.web.context import NOT_KEPT, Ctx, Id

router = APIRouter(prefix="/mappen/{mappe_id}/pairing")

Name = Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]


class PairingWanted(BaseModel):
    """What is to be paired."""

    sides: RunsToPair | PartsToPair
    order: BacksOrder | None = None
    """In which the backs lie, where a person knows it."""


@router.get("/{name}", response_class=JSONResponse)
def proposed(ctx: Ctx, caller: Asks, mappe_id: Id, name: Name) -> Response:
    """Return how fronts and backs belong together; nothing until that has been worked out."""
    found = pairing.proposed(caller, ctx.store, mappe_id, name)
    body = found.model_dump_json(context={"words": ctx.words}) if found else "null"
    return Response(body, media_type="application/json", headers=NOT_KEPT)


@router.post("")
def request(ctx: Ctx, caller: Asks, mappe_id: Id, wanted: PairingWanted) -> str:
    """Have it worked out how fronts and backs belong together; return the name under which it will be known."""
    return pairing.request_pairing(caller, ctx.store, mappe_id, wanted.sides, wanted.order)
