"""Page pictures: never made in a request, but waited for."""

import asyncio
from typing import Annotated

from fastapi import APIRouter, Path
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from papiermappe.services import pictures
from papiermappe.services.errors import NotPossible
from papiermappe.web.context import FOR_EVER, NOT_KEPT, Ctx

router = APIRouter()

PATIENCE_S = 20.0
LOOK_EVERY_S = 0.03


@router.get("/pages/{page_id}/{picture}-{width_px}.jpg")
async def picture(
    ctx: Ctx, page_id: int, picture: Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")], width_px: int
) -> Response:
    """Send a picture of a page; where it has not been made yet, have it made and wait for it."""
    data = await run_in_threadpool(pictures.picture_if_made, ctx.store, picture, width_px)
    if data is not None:
        return Response(data, media_type="image/jpeg", headers=FOR_EVER)
    ordered = await run_in_threadpool(pictures.order_picture, ctx.store, page_id, picture, width_px)
    data = await _awaited(ctx, ordered, width_px)
    return Response(data, media_type="image/jpeg", headers=FOR_EVER if ordered == picture else NOT_KEPT)


async def _awaited(ctx: Ctx, picture: str, width_px: int) -> bytes:
    until_s = asyncio.get_running_loop().time() + PATIENCE_S
    while asyncio.get_running_loop().time() < until_s:
        await asyncio.sleep(LOOK_EVERY_S)
        data = await run_in_threadpool(pictures.picture_if_made, ctx.store, picture, width_px)
        if data is not None:
            return data
    raise NotPossible("The picture is not made yet; the workers have much to do. It comes by itself.")
