"""Filing: asking for a document, and getting it."""

from datetime import datetime
from functools import partial
from typing import Annotated, Any, Literal
from urllib.parse import quote

from fastapi import APIRouter, Path, Query, Request
from fastapi.responses import Response, StreamingResponse
from pydantic import BaseModel, Field, SecretStr

from papiermappe.core.documents import Division
from papiermappe.core.encode import web_page
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import DocumentOptions
from papiermappe.core.naming.rule import NamingRule
from papiermappe.core.page_choice import WhichPages
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.services import delivering, filed, filing, levels, naming, slips, unsettled
from papiermappe.services.filing import FilingRequest
from papiermappe.services.naming import ByHand, NameView, NameWanted
from papiermappe.services.planning import PagesWanted
from papiermappe.services.reading import Reading
from papiermappe.web.author import Asks
from papiermappe.web.context import FOR_EVER, MAX_ID, Ctx, Id
from papiermappe.web.ranges import send_file
from papiermappe.web.security import IN_OUR_PAGES

router = APIRouter()

Share = Annotated[float, Query(ge=0, le=1)]
"""Of a page's width or height."""
LanguageCode = Annotated[str, Field(pattern=r"^[a-z_]{3,12}$")]


_FILES: dict[str, Any] = {kind.media_type: {} for kind in Format}
DOCUMENT: dict[int | str, dict[str, Any]] = {
    200: {"description": "The document.", "content": _FILES},
    206: {"description": "The part of it that was asked for.", "content": _FILES},
    416: {"description": "It has no such part."},
}


SLIP: dict[int | str, dict[str, Any]] = {200: {"description": "The slip.", "content": {"application/json": {}}}}
ZIP: dict[int | str, dict[str, Any]] = {200: {"description": "All documents.", "content": {"application/zip": {}}}}


class PngResponse(Response):
    """A picture."""

    media_type = "image/png"


class JpegResponse(Response):
    """A photograph."""

    media_type = "image/jpeg"


class FileMappe(BaseModel):
    """Where documents go, and how."""

    destinations: Annotated[list[Annotated[int, Field(ge=1, le=MAX_ID)]], Field(min_length=1, max_length=20)]
    """The first names the documents, unless a rule is chosen."""
    level: Level = Level.BALANCED
    languages: Annotated[list[LanguageCode], Field(max_length=5)] = []
    mode: RecognitionMode = RecognitionMode.ACCURATE
    format: Format = Format.PDF
    which: WhichPages = WhichPages.ALL
    chosen: Annotated[list[Annotated[int, Field(ge=1, le=MAX_ID)]], Field(max_length=10_000)] = []
    ranges: Annotated[str, Field(max_length=200)] = ""
    division: Division = Division.ONE
    every: Annotated[int, Field(ge=1, le=10_000)] = 1
    """How many pages a document has, where they are divided so."""
    naming_rule: Annotated[int, Field(ge=1, le=MAX_ID)] | None = None
    """None: that of the destination."""
    changed_rule: NamingRule | None = None
    """The rule as it is changed for this once."""
    by_hand: ByHand = ByHand()
    options: DocumentOptions = DocumentOptions()
    replaces: Annotated[int, Field(ge=1, le=MAX_ID)] | None = None
    """The document that this is a later version of."""
    password: Annotated[SecretStr, Field(max_length=127)] | None = None
    """Without it a PDF does not open (ISO 32000-2, 7.6.4.3.3: no more than 127 bytes count)."""

    @property
    def reading(self) -> Reading:
        """How pages are read."""
        return Reading("+".join(self.languages), self.mode)

    @property
    def pages(self) -> PagesWanted:
        """Which pages go out, and in how many documents."""
        return PagesWanted(self.which, tuple(self.chosen), self.ranges, self.division, self.every)

    @property
    def name(self) -> NameWanted:
        """How they are named."""
        return NameWanted(self.naming_rule, self.changed_rule, self.by_hand)


class SendOn(BaseModel):
    """Where documents go too."""

    destination: Annotated[int, Field(ge=1, le=MAX_ID)]


@router.post("/mappen/{mappe_id}/filings")
def file_mappe(ctx: Ctx, caller: Asks, mappe_id: Id, command: FileMappe) -> int:
    """Have documents made."""
    wanted = FilingRequest(
        tuple(command.destinations),
        command.level,
        command.reading,
        command.name,
        command.format,
        command.pages,
        command.options,
        command.password,
        command.replaces,
    )
    return filing.request_filing(caller, ctx.store, mappe_id, wanted, datetime.now().astimezone(), ctx.secrets)


@router.get("/mappen/{mappe_id}/unsettled")
def still_to_come(ctx: Ctx, caller: Asks, mappe_id: Id) -> unsettled.Unsettled:
    """Return what will still change by itself: who files waits for it."""
    return unsettled.unsettled(caller, ctx.store, mappe_id)


@router.post("/mappen/{mappe_id}/name")
def name(ctx: Ctx, caller: Asks, mappe_id: Id, command: FileMappe) -> NameView:
    """Return what the documents would be called. Nothing is changed by asking."""
    return naming.name_view(
        caller,
        ctx.store,
        mappe_id,
        command.destinations[0],
        command.name,
        command.pages,
        command.reading,
        command.format,
        command.replaces,
    )


@router.get("/mappen/{mappe_id}/levels/{page_id}")
def estimate(
    ctx: Ctx, caller: Asks, mappe_id: Id, page_id: Id, across: Share | None = None, down: Share | None = None
) -> levels.Estimate:
    """Return what is known so far about the levels of a Mappe, and how a page looks at a spot."""
    return levels.estimate(caller, ctx.store, mappe_id, page_id, _spot(across, down))


@router.post("/mappen/{mappe_id}/levels/{page_id}")
def request_estimate(
    ctx: Ctx, caller: Asks, mappe_id: Id, page_id: Id, across: Share | None = None, down: Share | None = None
) -> None:
    """Have the levels estimated."""
    levels.request_estimate(caller, ctx.store, mappe_id, page_id, _spot(across, down))


def _spot(across: float | None, down: float | None) -> levels.Spot | None:
    return None if across is None or down is None else levels.Spot(across, down)


@router.get("/levels/{look}/{level}.png", response_class=PngResponse)
def sample(ctx: Ctx, look: Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")], level: Level) -> Response:
    """Send a part of a page as it is at a level."""
    return PngResponse(levels.sample(ctx.store, look, level), headers=FOR_EVER)


@router.post("/filings/{filing_id}/try-again")
def try_again(ctx: Ctx, caller: Asks, filing_id: Id) -> None:
    """Have a document that failed made, or delivered, again."""
    filing.try_again(caller, ctx.store, filing_id)


@router.post("/filings/{filing_id}/stop")
def stop(ctx: Ctx, caller: Asks, filing_id: Id) -> None:
    """Stop the making of a document."""
    filing.stop(caller, ctx.store, filing_id)


@router.post("/filings/{filing_id}/deliveries")
def send_on(ctx: Ctx, caller: Asks, filing_id: Id, command: SendOn) -> None:
    """Deliver the documents of a filing to another destination too."""
    filing.send_on(caller, ctx.store, filing_id, command.destination, datetime.now().astimezone())


@router.get("/filings/{filing_id}/documents.zip", response_class=StreamingResponse, responses=ZIP)
def all_documents(ctx: Ctx, caller: Asks, filing_id: Id) -> Response:
    """Send all documents of a filing in one file."""
    zipped = delivering.zipped_documents(caller, ctx.store, filing_id)
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(zipped.file_name)}"}
    return StreamingResponse(zipped.chunks, media_type="application/zip", headers=headers)


@router.get("/documents/{document_id}/first-page.jpg", response_class=JpegResponse)
def first_page(ctx: Ctx, caller: Asks, document_id: Id) -> Response:
    """Send a small picture of the first page of a document."""
    return JpegResponse(filed.thumbnail(caller, ctx.store, document_id), headers=FOR_EVER)


@router.get("/documents/{document_id}/slip", include_in_schema=False)
def slip_page(request: Request, ctx: Ctx, caller: Asks, document_id: Id) -> Response:
    """Show the slip of a document."""
    slip = slips.slip_of(caller, ctx.store, document_id)
    return ctx.templates.TemplateResponse(request, "slip.html", {"slip": slip, "document": document_id})


@router.get("/documents/{document_id}/slip.json", response_class=Response, responses=SLIP)
def slip_file(ctx: Ctx, caller: Asks, document_id: Id) -> Response:
    """Send the slip of a document as JSON."""
    slip = slips.slip_file(slips.slip_of(caller, ctx.store, document_id), ctx.words)
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(slip.name)}"}
    return Response(slip.data, media_type=slip.media_type, headers=headers)


@router.get("/documents/{document_id}/{how}", response_class=StreamingResponse, responses=DOCUMENT)
def document(request: Request, ctx: Ctx, caller: Asks, document_id: Id, how: Literal["open", "download"]) -> Response:
    """Send a filed document, to be shown or to be saved, or a part of it."""
    found = delivering.filed_document(caller, ctx.store, document_id)
    shown = "inline" if how == "open" else "attachment"
    headers = {"Content-Disposition": f"{shown}; filename*=UTF-8''{quote(found.file_name)}"}
    if found.format is Format.PDF:
        headers["Content-Security-Policy"] = IN_OUR_PAGES
    if found.format is Format.WEB_PAGE:
        headers["Content-Security-Policy"] = f"{web_page.SAFE}; sandbox"
    pieces = partial(delivering.bytes_of, ctx.store, found.sha256)
    return send_file(request, found.sha256, found.byte_size, pieces, headers, found.format.media_type)
