"""The pile view: pages over one another, shown as they come to lie there."""

from typing import Annotated

from fastapi import APIRouter, Path, Query
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel

from papiermappe.core.operations.model import PageIds
from papiermappe.core.order.places import Side
from papiermappe.core.zones import Zone
from papiermappe.services import piles
from papiermappe.web.author import Asks
from papiermappe.web.context import NOT_KEPT, Ctx, Id

router = APIRouter(prefix="/mappen/{mappe_id}/pile")

Name = Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]


class PileWanted(BaseModel):
    """Pages to be laid over one another."""

    pages: PageIds


@router.post("")
def request(ctx: Ctx, caller: Asks, mappe_id: Id, wanted: PileWanted) -> str:
    """Have pages laid over one another; return the name under which the pile will be known."""
    return piles.request_pile(caller, ctx.store, mappe_id, wanted.pages)


@router.get("/{name}", response_class=JSONResponse)
def seen(ctx: Ctx, caller: Asks, mappe_id: Id, name: Name) -> Response:
    """Return a pile as far as it has been laid; nothing before its first pages lie there."""
    found = piles.pile_seen(caller, ctx.store, mappe_id, name)
    return Response(found.model_dump_json() if found else "null", media_type="application/json", headers=NOT_KEPT)


@router.get("/{name}/{side}.png")
def picture(ctx: Ctx, caller: Asks, mappe_id: Id, name: Name, side: Side) -> Response:
    """Send the picture of a side of a pile, as far as it has been laid."""
    png = piles.pile_picture(caller, ctx.store, mappe_id, name, side)
    return Response(png, media_type="image/png", headers=NOT_KEPT)


@router.get("/{name}/{side}/printed")
def printed(
    ctx: Ctx,
    caller: Asks,
    mappe_id: Id,
    name: Name,
    side: Side,
    zone: Annotated[Zone, Query()],
) -> list[int]:
    """Return the pages of a pile that have something printed in a zone, which the others have not."""
    return piles.printed_pages(caller, ctx.store, mappe_id, name, side, zone)
