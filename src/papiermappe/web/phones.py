"""Phones: the link that the desk shows, and the pages that a phone which comes by it may use."""

from datetime import datetime
from typing import Annotated

import zxingcpp
from fastapi import APIRouter, Depends, Path, Query, Request
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from papiermappe.core.geometry import Quad
from papiermappe.core.operations import BringBack, MakeFlat, SetAside, Turn
from papiermappe.devices.files import MAX_BYTES
from papiermappe.services import importing, phones, pictures
from papiermappe.services.errors import LinkOver, NotFound
from papiermappe.services.importing import Announced
from papiermappe.services.phones import LinkView, Phone, PhoneView
from papiermappe.services.pictures import PictureSize
from papiermappe.web.author import Asks, RequestId
from papiermappe.web.context import MAX_ID, NOT_KEPT, Context, Ctx, Id
from papiermappe.web.imports import FileToCome, part_of
from papiermappe.web.pictures import JpegResponse, picture_response

router = APIRouter()

PHONE = "/phone/{secret}"
LOOPBACK = frozenset({"127.0.0.1", "localhost", "::1"})


class LinkShown(BaseModel):
    """A link for phones, as the desk shows it."""

    id: int
    address: str
    expires_at: datetime
    only_here: bool
    """Whether nothing but this computer can reach the address."""


@router.post("/mappen/{mappe_id}/phone-link")
def open_link(request: Request, ctx: Ctx, caller: Asks, mappe_id: Id) -> LinkShown:
    """Open a link by which a phone adds pictures to the Mappe, or show the one that is open."""
    phones.open_link(caller, ctx.store, mappe_id, ctx.secrets)
    return _shown(request, ctx, _there(ctx, caller, mappe_id))


@router.get("/mappen/{mappe_id}/phone-link")
def link(request: Request, ctx: Ctx, caller: Asks, mappe_id: Id) -> LinkShown | None:
    """Return the link that is open; nothing where there is none."""
    there = phones.open_link_of(caller, ctx.store, mappe_id, ctx.secrets)
    return _shown(request, ctx, there) if there else None


@router.get("/mappen/{mappe_id}/phone-link.svg", response_class=Response)
def code(request: Request, ctx: Ctx, caller: Asks, mappe_id: Id) -> Response:
    """Return the QR code (ISO/IEC 18004) of the link that is open."""
    shown = _shown(request, ctx, _there(ctx, caller, mappe_id))
    barcode = zxingcpp.create_barcode(shown.address, zxingcpp.BarcodeFormat.QRCode)
    return Response(zxingcpp.write_barcode_to_svg(barcode), media_type="image/svg+xml", headers=NOT_KEPT)


@router.post("/phone-links/{link_id}/withdraw")
def withdraw(ctx: Ctx, caller: Asks, link_id: Id) -> None:
    """Let a link open nothing any more."""
    phones.close_link(caller, ctx.store, link_id)


def _there(ctx: Context, caller: Asks, mappe_id: int) -> LinkView:
    there = phones.open_link_of(caller, ctx.store, mappe_id, ctx.secrets)
    if there is None:
        raise NotFound("phone_link_unknown")
    return there


def _shown(request: Request, ctx: Context, link: LinkView) -> LinkShown:
    host = ctx.settings.phone_host
    base = f"http://{host}:{ctx.settings.phone_port}" if host else str(request.base_url).rstrip("/")
    only_here = not host and request.url.hostname in LOOPBACK
    return LinkShown(id=link.id, address=f"{base}/phone/{link.secret}", expires_at=link.expires_at, only_here=only_here)


# ---- what a phone may ask for

Secret = Annotated[str, Path(max_length=80)]


def _phone(ctx: Ctx, secret: Secret, request_id: RequestId = None) -> Phone:
    return phones.phone_of(ctx.store, secret, request_id)


Asking = Annotated[Phone, Depends(_phone)]
"""The phone that asks."""
Seen = Annotated[int, Field(ge=0, lt=2**63)]


class PictureToCome(FileToCome):
    """A picture that a phone has taken."""

    again: Annotated[int | None, Field(ge=1, le=MAX_ID)] = None
    """The page that is taken again."""


class Corners(BaseModel):
    """The corners of the sheet, dragged by somebody who knew all changes up to `seen`."""

    corners: Quad | None
    """None: as it came."""
    seen: Seen


class Turned(BaseModel):
    """A page that is turned by somebody who knew all changes up to `seen`."""

    quarter_turns: Annotated[int, Field(ge=-3, le=3)]
    """Counter-clockwise."""
    seen: Seen


class LeftOut(BaseModel):
    """A page that is left out, or is not any more, by somebody who knew all changes up to `seen`."""

    left_out: bool
    seen: Seen


class AllTaken(BaseModel):
    """Nothing more comes from this phone."""

    open_book: bool = False
    """Whether pictures of an open book are to be split into its pages."""


@router.get(PHONE, include_in_schema=False)
def page_for_thumbs(request: Request, ctx: Ctx, secret: Secret) -> Response:
    """Show the page that a phone opens. Where the link is over, it says so, and what waits there is kept."""
    facts: dict[str, object] = {"secret": secret, "lane": PictureSize.LANE.value, "stage": PictureSize.STAGE.value}
    status = 200
    try:
        phones.phone_of(ctx.store, secret)
    except LinkOver as exc:
        facts["over"], status = ctx.words.text(exc.message), 410
    return ctx.templates.TemplateResponse(request, "phone.html", {"facts": facts}, status, headers=NOT_KEPT)


@router.get(PHONE + "/pages", response_class=JSONResponse)
def view(ctx: Ctx, phone: Asking) -> Response:
    """Return the pages that came from the phone, and its pictures that are none yet."""
    seen: PhoneView = phones.phone_view(phone, ctx.store)
    body = seen.model_dump_json(context={"words": ctx.words})
    return Response(body, media_type="application/json", headers=NOT_KEPT)


@router.post(PHONE + "/pictures")
def announce(ctx: Ctx, phone: Asking, command: PictureToCome) -> int:
    """Expect a picture; answer with its number."""
    return phones.expect_picture(phone, ctx.store, Announced(command.name, command.byte_size), command.again)


@router.put(PHONE + "/pictures/{file_id}")
async def receive(
    request: Request, ctx: Ctx, phone: Asking, file_id: Id, at: Annotated[int, Query(ge=0, le=MAX_BYTES)]
) -> int:
    """Take the part of a picture that begins at a byte; answer how many bytes are here."""
    await run_in_threadpool(phones.must_be_its_file, phone, ctx.store, file_id)
    part = await part_of(request)
    return await run_in_threadpool(importing.receive_part, phone.caller, ctx.store, ctx.incoming, file_id, at, part)


@router.post(PHONE + "/pictures/{file_id}/cancel")
def cancel(ctx: Ctx, phone: Asking, file_id: Id) -> None:
    """Leave a picture out."""
    phones.must_be_its_file(phone, ctx.store, file_id)
    importing.cancel_file(phone.caller, ctx.store, file_id)


@router.get(PHONE + "/pages/{page_id}", response_class=JSONResponse)
def page(ctx: Ctx, phone: Asking, page_id: Id) -> Response:
    """Return everything that is known about a page that came from the phone."""
    body = phones.own_page(phone, ctx.store, page_id).model_dump_json(context={"words": ctx.words})
    return Response(body, media_type="application/json", headers=NOT_KEPT)


@router.get(PHONE + "/pages/{page_id}/photo-{size}.jpg", response_class=JpegResponse)
async def photo(ctx: Ctx, phone: Asking, page_id: Id, size: PictureSize) -> Response:
    """Send the picture of a page as the phone took it."""
    own = await run_in_threadpool(phones.own_page, phone, ctx.store, page_id)
    name = await run_in_threadpool(pictures.scan_picture, phone.caller, ctx.store, page_id, own.page.scan)
    return await picture_response(ctx, phone.caller, page_id, name, size, for_ever=False)


@router.get(PHONE + "/pages/{page_id}/soon-{size}.jpg", response_class=JpegResponse)
async def soon(ctx: Ctx, phone: Asking, page_id: Id, size: PictureSize) -> Response:
    """Send the picture of a page before it is examined: the sheet made flat by its corners, where they are sure."""
    own = await run_in_threadpool(phones.own_page, phone, ctx.store, page_id)
    name = await run_in_threadpool(pictures.soon_picture, phone.caller, ctx.store, page_id, own.page.scan)
    return await picture_response(ctx, phone.caller, page_id, name, size, for_ever=False)


@router.get(PHONE + "/pages/{page_id}/page-{size}.jpg", response_class=JpegResponse)
async def picture(ctx: Ctx, phone: Asking, page_id: Id, size: PictureSize) -> Response:
    """Send the picture of a page as it is now."""
    own = await run_in_threadpool(phones.own_page, phone, ctx.store, page_id)
    return await picture_response(ctx, phone.caller, page_id, own.page.picture, size, for_ever=False)


@router.post(PHONE + "/pages/{page_id}/corners")
def flatten(ctx: Ctx, phone: Asking, page_id: Id, command: Corners) -> int | None:
    """Make a page flat by the corners of its sheet; answer with the journal entry."""
    return phones.operate(phone, ctx.store, MakeFlat(pages=(page_id,), corners=command.corners), command.seen)


@router.post(PHONE + "/pages/{page_id}/turn")
def turn(ctx: Ctx, phone: Asking, page_id: Id, command: Turned) -> int | None:
    """Turn a page; answer with the journal entry."""
    return phones.operate(phone, ctx.store, Turn(pages=(page_id,), quarter_turns=command.quarter_turns), command.seen)


@router.post(PHONE + "/pages/{page_id}/leave-out")
def leave_out(ctx: Ctx, phone: Asking, page_id: Id, command: LeftOut) -> int | None:
    """Set a page aside, or bring it back; answer with the journal entry."""
    what = SetAside(pages=(page_id,)) if command.left_out else BringBack(pages=(page_id,))
    return phones.operate(phone, ctx.store, what, command.seen)


@router.post(PHONE + "/done")
def done(ctx: Ctx, phone: Asking, command: AllTaken) -> None:
    """End the link, as somebody at the phone has all pictures."""
    phones.close_link(phone.caller, ctx.store, phone.link_id, open_book=command.open_book)
