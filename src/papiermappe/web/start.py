"""The start page: open Mappen, filed documents, what was cleared away."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from papiermappe.services import delivering, destinations, finding, mappen
from papiermappe.services.mappen import MappeOrder
from papiermappe.services.pictures import PictureSize
from papiermappe.web.author import Asks
from papiermappe.web.context import MAX_ID, Ctx

router = APIRouter()

Find = Annotated[str, Query(max_length=200, pattern=r"^[^\x00]*$")]


@router.get("/", include_in_schema=False)
def start_page(
    request: Request,
    ctx: Ctx,
    caller: Asks,
    find: Find = "",
    order: MappeOrder = MappeOrder.NEWEST,
    page: Annotated[int, Query(ge=1, le=100_000)] = 1,
    cleared: Annotated[int | None, Query(ge=1, le=MAX_ID)] = None,
) -> Response:
    """Show the open Mappen, the filed documents, and what can be taken back."""
    context = {
        "listed": mappen.list_open(caller, ctx.store, find, order, page),
        "filed": delivering.list_filed(caller, ctx.store, find),
        "found": finding.find_pages(caller, ctx.store, find),
        "cleared": mappen.list_cleared(caller, ctx.store, datetime.now(UTC)),
        "just_cleared": cleared,
        "find": find,
        "order": order.value,
        "page": page,
        "lane": PictureSize.LANE.value,
    }
    return ctx.templates.TemplateResponse(request, "start.html", context)


@router.post("/mappen", status_code=303, response_class=RedirectResponse)
def open_mappe(ctx: Ctx, caller: Asks, subject: Annotated[str, Form(max_length=200)] = "") -> Response:
    """Open a new Mappe and go to its Intake."""
    return RedirectResponse(f"/mappen/{mappen.open_mappe(caller, ctx.store, subject)}/intake", 303)


@router.get("/favicon.ico", include_in_schema=False)
def favicon() -> Response:
    """Send browsers that look for it in the usual place to the mark."""
    return RedirectResponse("/static/mark.svg", 301)


@router.get("/health")
def health(ctx: Ctx, caller: Asks) -> dict[str, str]:
    """Answer where web server and database work."""
    destinations.list_destinations(caller, ctx.store)
    return {"state": "well"}
