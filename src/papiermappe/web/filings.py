"""Filing: asking for a document, and getting it."""

from datetime import date, datetime
from pathlib import PurePath
from typing import Annotated, Literal
from urllib.parse import quote

from fastapi import APIRouter, Path
from fastapi.responses import Response
from pydantic import BaseModel, Field

from papiermappe.core.encode.formats import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.page_text import Care
from papiermappe.services import filing, levels
from papiermappe.services.reading import Reading
from papiermappe.web.context import FOR_EVER, Ctx

router = APIRouter()


class FileIt(BaseModel):
    """Where a document goes, and how."""

    destination: int
    level: Level = Level.BALANCED
    languages: Annotated[list[Annotated[str, Field(pattern=r"^[a-z_]{3,12}$")]], Field(max_length=5)] = []
    care: Care = Care.ACCURATE
    kind: Format = Format.PDF
    dated: date | None = None
    """The day in the name; None: today."""


@router.post("/mappen/{mappe_id}/filings")
def file_it(ctx: Ctx, mappe_id: int, command: FileIt) -> int:
    """Have the document made."""
    now = datetime.now().astimezone()
    reading = Reading("+".join(command.languages), command.care)
    return filing.ask_for_filing(
        ctx.store, mappe_id, command.destination, now, command.level, reading, command.dated, command.kind
    )


@router.get("/mappen/{mappe_id}/levels/{page_id}")
def trial(ctx: Ctx, mappe_id: int, page_id: int) -> levels.Trial:
    """Tell what the levels make of a Mappe, as far as that is known."""
    return levels.trial(ctx.store, mappe_id, page_id)


@router.post("/mappen/{mappe_id}/levels/{page_id}")
def order_trial(ctx: Ctx, mappe_id: int, page_id: int) -> None:
    """Have the levels tried."""
    levels.order_trial(ctx.store, mappe_id, page_id)


@router.get("/levels/{picture}/{level}.png")
def spot(ctx: Ctx, picture: Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")], level: Level) -> Response:
    """Send the spot of a page at a level."""
    return Response(levels.spot(ctx.store, picture, level), media_type="image/png", headers=FOR_EVER)


@router.post("/filings/{filing_id}/try-again")
def try_again(ctx: Ctx, filing_id: int) -> None:
    """Have a document that failed made again."""
    filing.try_again(ctx.store, filing_id)


@router.post("/filings/{filing_id}/stop")
def stop(ctx: Ctx, filing_id: int) -> None:
    """Stop the making of a document."""
    filing.stop(ctx.store, filing_id)


@router.get("/filings/{filing_id}/{how}")
def document(ctx: Ctx, filing_id: int, how: Literal["open", "download"]) -> Response:
    """Send a filed document, to be shown or to be saved."""
    name, data = filing.filed_document(ctx.store, filing_id)
    shown = "inline" if how == "open" else "attachment"
    headers = {"Content-Disposition": f"{shown}; filename*=UTF-8''{quote(name)}"}
    return Response(data, media_type=Format(PurePath(name).suffix).media_type, headers=headers)
