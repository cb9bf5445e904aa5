"""Putting the web application together."""

import asyncio
import contextlib
from collections.abc import AsyncIterator

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.middleware.trustedhost import TrustedHostMiddleware

from papiermappe.core.languages import language
from papiermappe.devices.errors import DeviceError
from papiermappe.devices.escl import Limits
from papiermappe.errors import PapiermappeError
from papiermappe.recognition.tesseract import readable_languages
from papiermappe.services.errors import ChangedMeanwhile, NotFound
from papiermappe.settings import Settings
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.errors import BlobMissing, DatabaseGone
from papiermappe.web import desks, devices, filings, intake, pictures, start
from papiermappe.web.context import HERE, Context, templates
from papiermappe.web.events import Hub
from papiermappe.web.security import Guard

log = structlog.get_logger()

_STATUS: tuple[tuple[type[PapiermappeError], int], ...] = (
    (NotFound, 404),
    (BlobMissing, 404),
    (ChangedMeanwhile, 409),
    (DatabaseGone, 503),
    (DeviceError, 502),
)


def create_app(settings: Settings, database_url: str) -> FastAPI:
    """Return the application."""
    store = Store(database_url, Blobs.in_folder(settings.blob_dir))
    hub = Hub(database_url)

    @contextlib.asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        listening = asyncio.create_task(hub.run())
        yield
        listening.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await listening
        store.close()

    app = FastAPI(title="Papiermappe", lifespan=lifespan, openapi_url=None)
    limits = Limits(page_bytes=settings.most_page_bytes, page_px=settings.most_pixels)
    quick = Limits(connect_s=1.5, answer_s=2.0, busy_s=0.0)
    languages = sorted(map(language, readable_languages()), key=lambda one: one.name)
    app.state.context = Context(settings, store, hub, limits, quick, tuple(languages))
    app.add_middleware(Guard)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=list(settings.allowed_hosts), www_redirect=False)
    for module in (start, desks, intake, devices, pictures, filings):
        app.include_router(module.router)
    app.mount("/static", StaticFiles(directory=HERE / "static"), "static")
    app.add_exception_handler(PapiermappeError, _papiermappe_error)
    app.add_exception_handler(HTTPException, _http_error)
    app.add_exception_handler(RequestValidationError, _not_valid)
    return app


def _papiermappe_error(request: Request, exc: Exception) -> Response:
    message = exc.message if isinstance(exc, PapiermappeError) else str(exc)
    status = next((code for kind, code in _STATUS if isinstance(exc, kind)), 422)
    log.info("refused", action="web.refused", path=request.url.path, cause=repr(exc))
    return _said(request, status, message)


def _http_error(request: Request, exc: Exception) -> Response:
    status = exc.status_code if isinstance(exc, HTTPException) else 500
    message = "This page is not there." if status == 404 else f"This cannot be done ({status})."
    return _said(request, status, message)


def _not_valid(request: Request, exc: Exception) -> Response:
    log.info("not valid", action="web.invalid", path=request.url.path, cause=str(exc))
    return _said(request, 422, "What was sent cannot be read. Nothing was changed.")


def _said(request: Request, status: int, message: str) -> Response:
    """Answer with a page where a person looks, with JSON where a script asks."""
    if "text/html" in request.headers.get("accept", ""):
        return templates.TemplateResponse(request, "problem.html", {"message": message}, status_code=status)
    return JSONResponse({"message": message}, status_code=status)
