"""Page pictures: never made in a request, but waited for."""

from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Path
from fastapi.responses import Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from papiermappe.services import pictures
from papiermappe.services.caller import Caller
from papiermappe.services.errors import NotPossible
from papiermappe.services.pictures import PagePicture, Pictures, PictureSize, Shown
from papiermappe.web.author import Asks
from papiermappe.web.context import FOR_EVER, MAX_ID, NOT_KEPT, Context, Ctx, Id

router = APIRouter()
PAGE = "/pages/{page_id}"

PATIENCE_S = 1.5  # a browser has six connections: waiting pictures must not keep commands and the stream out for long
MOST_PAGES = 200


class JpegResponse(Response):
    """A picture."""

    media_type = "image/jpeg"


class PictureLate(NotPossible):
    """A picture has been requested, but is not made yet."""


@router.get(PAGE + "/scan-{capture_id}-{size}.jpg", response_class=JpegResponse)
async def scan(
    ctx: Ctx, caller: Asks, page_id: Id, capture_id: Annotated[int, Path(ge=1, le=MAX_ID)], size: PictureSize
) -> Response:
    """Send the picture of a page's untouched scan."""
    name = await run_in_threadpool(pictures.scan_picture, caller, ctx.store, page_id, capture_id)
    return await picture_response(ctx, caller, page_id, name, size, for_ever=True)


class PicturesWanted(BaseModel):
    """Pages whose pictures a window is about to ask for."""

    pages: Annotated[tuple[Annotated[int, Field(ge=1, le=MAX_ID)], ...], Field(min_length=1, max_length=MOST_PAGES)]
    size: PictureSize

    @property
    def pictures(self) -> Pictures:
        """The same without a window."""
        return Pictures(self.pages, self.size)


@router.post("/mappen/{mappe_id}/pictures", status_code=204)
def request(ctx: Ctx, caller: Asks, mappe_id: Id, wanted: PicturesWanted) -> None:
    """Have the pictures of several pages made together, which is faster than each for itself."""
    looks = pictures.request_pictures(caller, ctx.store, mappe_id, wanted.pictures)
    note_wanted(ctx, [wanted], looks)


def note_wanted(ctx: Context, wanted: Sequence[PicturesWanted], looks: Sequence[PagePicture]) -> None:
    """Note that pictures are being made: they are waited for, and not asked for each by itself."""
    names = {look.id: look.picture for look in looks}
    ctx.under_way.add((names[page], of.size) for of in wanted for page in of.pages if page in names)


@router.get(PAGE + "/{picture}-{size}.jpg", response_class=JpegResponse)
async def picture(
    ctx: Ctx,
    caller: Asks,
    page_id: Id,
    picture: Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")],
    size: PictureSize,
) -> Response:
    """Send the picture of a page; where it has not been made yet, have it made and wait for it.

    A window that has not heard of a change yet gets the page as it is now, which is not to be kept under the old name.
    """
    shown = Shown(picture, as_requested=True)
    if (picture, size) not in ctx.under_way:  # else a window has had it made a moment ago, as that of a page
        shown = await run_in_threadpool(pictures.shown_picture, caller, ctx.store, page_id, picture)
    return await picture_response(ctx, caller, page_id, shown.picture, size, for_ever=shown.as_requested)


async def picture_response(
    ctx: Context, caller: Caller, page_id: int, name: str, size: PictureSize, for_ever: bool
) -> Response:
    """Return a page's picture of a name, which is made where it is missing.

    Args:
        ctx: of the application.
        caller: who asks.
        page_id: the page.
        name: of its picture.
        size: of it.
        for_ever: whether it never changes under its address.

    Raises:
        PictureLate: it is not made yet; ask again.
    """
    data = await run_in_threadpool(pictures.made_picture, ctx.store, name, size)
    if data is None:
        if (name, size) not in ctx.under_way:
            await run_in_threadpool(pictures.request_picture, caller, ctx.store, page_id, name, size)
        data = await ctx.under_way.wait((name, size), PATIENCE_S)
    if data is None:
        raise PictureLate("picture_late")
    return JpegResponse(data, headers=FOR_EVER if for_ever else NOT_KEPT)
