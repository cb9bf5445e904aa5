"""Filing: asking for a document, and getting it."""

from datetime import datetime
from typing import Literal
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import Response
from pydantic import BaseModel

from papiermappe.services import filing
from papiermappe.web.context import Ctx

router = APIRouter()


class FileIt(BaseModel):
    """Where a document goes."""

    destination: int


@router.post("/mappen/{mappe_id}/filings")
def file_it(ctx: Ctx, mappe_id: int, command: FileIt) -> int:
    """Have the document made."""
    return filing.ask_for_filing(ctx.store, mappe_id, command.destination, datetime.now().astimezone())


@router.post("/filings/{filing_id}/try-again")
def try_again(ctx: Ctx, filing_id: int) -> None:
    """Have a document that failed made again."""
    filing.try_again(ctx.store, filing_id)


@router.get("/filings/{filing_id}/{how}")
def document(ctx: Ctx, filing_id: int, how: Literal["open", "download"]) -> Response:
    """Send a filed document, to be shown or to be saved."""
    name, data = filing.filed_document(ctx.store, filing_id)
    shown = "inline" if how == "open" else "attachment"
    headers = {"Content-Disposition": f"{shown}; filename*=UTF-8''{quote(name)}"}
    return Response(data, media_type="application/pdf", headers=headers)
