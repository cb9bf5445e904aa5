"""The start page: open Mappen, filed documents, what was cleared away."""

from datetime import UTC, date, datetime
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from papiermappe.services import destinations, filed, finding, mappen
from papiermappe.services.filed import Wanted
from papiermappe.services.mappen import MappeOrder
from papiermappe.services.pictures import PictureSize
from papiermappe.web.author import Asks
from papiermappe.web.context import MAX_ID, Ctx

router = APIRouter()

Find = Annotated[str, Query(max_length=200, pattern=r"^[^\x00]*$")]
Day = Annotated[str, Query(pattern=r"^((19|20|21)\d\d-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01]))?$")]
"""As browsers send a day; empty: none."""
Number = Annotated[str, Query(pattern=r"^\d{0,9}$")]


@router.get("/", include_in_schema=False)
def start_page(
    request: Request,
    ctx: Ctx,
    caller: Asks,
    find: Find = "",
    order: MappeOrder = MappeOrder.NEWEST,
    page: Annotated[int, Query(ge=1, le=100_000)] = 1,
    cleared: Annotated[int | None, Query(ge=1, le=MAX_ID)] = None,
    since: Day = "",
    until: Day = "",
    place: Number = "",
    sender: Find = "",
) -> Response:
    """Show the open Mappen, the filed documents, and what can be taken back."""
    wanted = Wanted(find, _day(since), _day(until), int(place or 0) or None, sender)
    context = {
        "listed": mappen.list_open(caller, ctx.store, find, order, page),
        "filed": filed.list_filed(caller, ctx.store, wanted),
        "found": finding.find_pages(caller, ctx.store, wanted),
        "cleared": mappen.list_cleared(caller, ctx.store, datetime.now(UTC)),
        "just_cleared": cleared,
        "find": find,
        "wanted": wanted,
        "places": destinations.list_destinations(caller, ctx.store),
        "order": order.value,
        "page": page,
        "lane": PictureSize.LANE.value,
    }
    return ctx.templates.TemplateResponse(request, "start.html", context)


def _day(text: str) -> date | None:
    """Return a day; None where there is none of that date, as on 31 February."""
    try:
        return date.fromisoformat(text)
    except ValueError:
        return None


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
