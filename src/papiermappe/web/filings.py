"""Filing: asking for a document, and getting it."""

from datetime import date, datetime
from typing import Annotated, Any, Literal
from urllib.parse import quote

from fastapi import APIRouter, Path
from fastapi.responses import Response
from pydantic import BaseModel, Field

from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.page_choice import WhichPages
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.services import delivering, filing, levels
from papiermappe.services.filing import FilingRequest, PagesWanted
from papiermappe.services.reading import Reading
from papiermappe.web.author import Asks
from papiermappe.web.context import FOR_EVER, MAX_ID, Ctx, Id

router = APIRouter()

LanguageCode = Annotated[str, Field(pattern=r"^[a-z_]{3,12}$")]


DOCUMENT: dict[int | str, dict[str, Any]] = {
    200: {"description": "The document.", "content": {kind.media_type: {} for kind in Format}}
}


class PngResponse(Response):
    """A picture."""

    media_type = "image/png"


class FileMappe(BaseModel):
    """Where a document goes, and how."""

    destination: Annotated[int, Field(ge=1, le=MAX_ID)]
    level: Level = Level.BALANCED
    languages: Annotated[list[LanguageCode], Field(max_length=5)] = []
    mode: RecognitionMode = RecognitionMode.ACCURATE
    format: Format = Format.PDF
    which: WhichPages = WhichPages.ALL
    chosen: Annotated[list[Annotated[int, Field(ge=1, le=MAX_ID)]], Field(max_length=10_000)] = []
    ranges: Annotated[str, Field(max_length=200)] = ""
    dated: date | None = None
    """The day in the name; None: today."""


@router.post("/mappen/{mappe_id}/filings")
def file_mappe(ctx: Ctx, caller: Asks, mappe_id: Id, command: FileMappe) -> int:
    """Have the document made."""
    reading = Reading("+".join(command.languages), command.mode)
    pages = PagesWanted(command.which, tuple(command.chosen), command.ranges)
    wanted = FilingRequest(command.destination, command.level, reading, command.dated, command.format, pages)
    return filing.request_filing(caller, ctx.store, mappe_id, wanted, datetime.now().astimezone())


@router.get("/mappen/{mappe_id}/levels/{page_id}")
def estimate(ctx: Ctx, caller: Asks, mappe_id: Id, page_id: Id) -> levels.Estimate:
    """Return what is known so far about the levels of a Mappe."""
    return levels.estimate(caller, ctx.store, mappe_id, page_id)


@router.post("/mappen/{mappe_id}/levels/{page_id}")
def request_estimate(ctx: Ctx, caller: Asks, mappe_id: Id, page_id: Id) -> None:
    """Have the levels estimated."""
    levels.request_estimate(caller, ctx.store, mappe_id, page_id)


@router.get("/levels/{picture}/{level}.png", response_class=PngResponse)
def sample(ctx: Ctx, picture: Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")], level: Level) -> Response:
    """Send the sample of a page at a level."""
    return PngResponse(levels.sample(ctx.store, picture, level), headers=FOR_EVER)


@router.post("/filings/{filing_id}/try-again")
def try_again(ctx: Ctx, caller: Asks, filing_id: Id) -> None:
    """Have a document that failed made, or delivered, again."""
    filing.try_again(caller, ctx.store, filing_id)


@router.post("/filings/{filing_id}/stop")
def stop(ctx: Ctx, caller: Asks, filing_id: Id) -> None:
    """Stop the making of a document."""
    filing.stop(caller, ctx.store, filing_id)


@router.get("/filings/{filing_id}/{how}", response_class=Response, responses=DOCUMENT)
def document(ctx: Ctx, caller: Asks, filing_id: Id, how: Literal["open", "download"]) -> Response:
    """Send a filed document, to be shown or to be saved."""
    filed = delivering.filed_document(caller, ctx.store, filing_id)
    shown = "inline" if how == "open" else "attachment"
    headers = {"Content-Disposition": f"{shown}; filename*=UTF-8''{quote(filed.file_name)}"}
    return Response(filed.data, media_type=filed.format.media_type, headers=headers)
