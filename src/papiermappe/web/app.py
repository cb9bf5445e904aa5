"""Putting the web application together."""

import asyncio
import contextlib
from collections.abc import AsyncIterator
from functools import partial

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware

from papiermappe.destinations.errors import DestinationError
from papiermappe.devices.errors import DeviceError
from papiermappe.devices.escl import Limits
from papiermappe.errors import PapiermappeError
from papiermappe.message import Message
from papiermappe.recognition.tesseract import readable_languages
from papiermappe.services.errors import ChangedMeanwhile, LinkOver, NotFound
from papiermappe.services.page_cache import PageCache
from papiermappe.services.pictures import made_pictures
from papiermappe.settings import Settings
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.errors import BlobMissing, StoreError, TextRefused
from papiermappe.store.incoming import Incoming
from papiermappe.store.secrets import SecretBox
from papiermappe.web import (
    camera,
    destinations,
    devices,
    dividers,
    filings,
    imports,
    mappen,
    moving,
    naming_rules,
    pairing,
    phones,
    pictures,
    piles,
    routines,
    runs,
    start,
    tickets,
)
from papiermappe.web.author import Author
from papiermappe.web.context import HERE, Context, templates_in
from papiermappe.web.device_watch import DeviceWatch
from papiermappe.web.events import Hub
from papiermappe.web.intake_list import IntakeList
from papiermappe.web.pictures import PictureLate
from papiermappe.web.problem import PROBLEMS, problem
from papiermappe.web.ranges import PACKED_ALREADY
from papiermappe.web.security import HEADERS, Guard, PhoneDoor, loggable
from papiermappe.web.static_files import ROOT as STATIC_ROOT
from papiermappe.web.static_files import VersionedFiles
from papiermappe.web.under_way import UnderWay
from papiermappe.words import Words

log = structlog.get_logger()

GZIP_LEVEL = 5

_STATUS: tuple[tuple[type[PapiermappeError], int], ...] = (
    (NotFound, 404),
    (BlobMissing, 404),
    (ChangedMeanwhile, 409),
    (LinkOver, 410),
    (PictureLate, 503),
    (TextRefused, 422),
    (StoreError, 503),
    (DeviceError, 502),
    (DestinationError, 502),
)

MODULES = (
    start,
    pairing,
    piles,
    moving,
    dividers,
    routines,
    phones,
    camera,
    filings,
    mappen,
    runs,
    imports,
    devices,
    tickets,
    pictures,
    naming_rules,
    destinations,
)
"""All that have routes."""


def create_app(settings: Settings, database_url: str, words: Words | None = None) -> FastAPI:
    """Return the application.

    Args:
        settings: of the desk.
        database_url: of PostgreSQL.
        words: other than those of the language of the settings, for tests.
    """
    spoken = words or Words.of(settings.language)
    store = Store(database_url, Blobs.in_folder(settings.blob_dir))
    limits = Limits(page_bytes=settings.max_page_bytes, page_px=settings.max_pixels)
    quick = Limits(connect_s=1.5, answer_s=2.0, busy_s=0.0)
    pages = PageCache()
    intake_list = IntakeList(store, settings.discovery, quick)
    hub = Hub(store, pages, spoken, DeviceWatch(store, quick, spoken), intake_list)

    @contextlib.asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        listening, looking = asyncio.create_task(hub.run()), asyncio.create_task(intake_list.run())
        yield
        intake_list.stop()
        listening.cancel()
        await asyncio.gather(listening, looking, return_exceptions=True)
        store.close()

    static = VersionedFiles(HERE / "static")
    app = FastAPI(title="Papiermappe", lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.context = Context(
        settings=settings,
        store=store,
        secrets=SecretBox.kept(settings.data_dir, settings.secret_key),
        incoming=Incoming(settings.incoming_dir),
        hub=hub,
        pages=pages,
        under_way=UnderWay(pictures.PATIENCE_S, partial(made_pictures, store)),
        words=spoken,
        templates=templates_in(spoken, static.root),
        limits=limits,
        quick_limits=quick,
        languages=tuple(readable_languages()),
    )
    app.add_middleware(Author)
    app.add_middleware(GZipMiddleware, compresslevel=GZIP_LEVEL, exclude_content_types=PACKED_ALREADY)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=settings.known_hosts, www_redirect=False)
    if settings.phone_host:
        app.add_middleware(PhoneDoor, port=settings.phone_port)
    app.add_middleware(Guard, words=spoken)  # outermost: its headers are on every answer
    for module in MODULES:
        app.include_router(module.router, responses=PROBLEMS)
    app.mount(STATIC_ROOT, static, "static")
    app.add_exception_handler(PapiermappeError, _papiermappe_error)
    app.add_exception_handler(HTTPException, _http_error)
    app.add_exception_handler(RequestValidationError, _not_valid)
    app.add_exception_handler(Exception, _unexpected)
    return app


def _papiermappe_error(request: Request, exc: Exception) -> Response:
    message = exc.message if isinstance(exc, PapiermappeError) else Message(code="went_wrong")
    status = next((code for kind, code in _STATUS if isinstance(exc, kind)), 422)
    log.info("refused", action="web.refused", path=loggable(request.url.path), cause=str(exc)[:500])
    return _error_response(request, status, message)


def _http_error(request: Request, exc: Exception) -> Response:
    status = exc.status_code if isinstance(exc, HTTPException) else 500
    code = {404: "not_found", 413: "too_large"}.get(status, "not_allowed")
    return _error_response(request, status, Message(code=code, params={"status": status}))


def _unexpected(request: Request, exc: Exception) -> Response:
    """Answer a fault of ours. Starlette answers these outside of all middleware, so the headers are put on here."""
    log.error("unexpected error", action="web.failed", path=loggable(request.url.path), cause=repr(exc)[:500])
    response = _error_response(request, 500, Message(code="went_wrong"))
    response.headers.update(HEADERS)
    return response


def _not_valid(request: Request, exc: Exception) -> Response:
    places = [error["loc"] for error in exc.errors()] if isinstance(exc, RequestValidationError) else []
    log.info("not valid", action="web.invalid", path=loggable(request.url.path), places=repr(places[:5])[:500])
    return _error_response(request, 422, Message(code="not_valid"))


def _error_response(request: Request, status: int, message: Message) -> Response:
    """Answer with a page where a person looks, with JSON where a script asks."""
    context: Context = request.app.state.context
    text = context.words.text(message)
    if "text/html" in request.headers.get("accept", ""):
        return context.templates.TemplateResponse(request, "problem.html", {"message": text}, status_code=status)
    return JSONResponse(problem(message, context.words).model_dump(), status_code=status)
