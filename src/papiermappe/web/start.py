"""The start page: open Mappen, filed documents."""

from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from papiermappe.services import filing, mappen
from papiermappe.services.desk import LANE_PX
from papiermappe.web.context import Ctx, templates

router = APIRouter()


@router.get("/")
def start_page(request: Request, ctx: Ctx, find: Annotated[str, Query(max_length=200)] = "") -> Response:
    """Show all Mappen and the filed documents."""
    return templates.TemplateResponse(
        request,
        "start.html",
        {
            "mappen": mappen.list_open(ctx.store),
            "filed": filing.list_filed(ctx.store, find),
            "find": find,
            "lane_px": LANE_PX,
        },
    )


@router.post("/mappen")
def open_mappe(ctx: Ctx, subject: Annotated[str, Form(max_length=200)] = "") -> Response:
    """Open a new Mappe and go to its Intake."""
    return RedirectResponse(f"/mappen/{mappen.open_mappe(ctx.store, subject)}/intake", 303)


@router.get("/favicon.ico")
def favicon() -> Response:
    """Send browsers that look for it in the usual place to the mark."""
    return RedirectResponse("/static/mark.svg", 301)


@router.get("/health")
def health(ctx: Ctx) -> dict[str, str]:
    """Answer where web server and database work."""
    filing.list_destinations(ctx.store)
    return {"state": "well"}
