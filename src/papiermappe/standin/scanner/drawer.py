"""The paper drawer: a small page where paper is laid into the devices, and the interface that tests use."""

import asyncio
import random
from collections.abc import Awaitable, Callable
from functools import lru_cache
from pathlib import Path
from typing import Annotated, Literal

from aiohttp import web
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from pydantic import BaseModel, BeforeValidator, Field, ValidationError

from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.order.places import Side
from papiermappe.standin.paper.originals import ORIGINALS
from papiermappe.standin.scanner.device import Device, Faults, LaidSheet

STATIC = Path(__file__).parent / "static"
VENDOR = Path(__file__).parents[2] / "web" / "static" / "vendor"
MAX_SHEETS = 500
PICTURE_DPI, PICTURE_QUALITY = 30, 80
POLICY = "default-src 'none'; style-src 'self'; font-src 'self'; img-src 'self' data:; form-action 'self'"

Handler = Callable[[web.Request], Awaitable[web.StreamResponse]]

_templates = Environment(
    loader=FileSystemLoader(Path(__file__).parent / "templates"), autoescape=True, undefined=StrictUndefined
)


SheetNumber = Annotated[Annotated[int, Field(ge=1)] | None, BeforeValidator(lambda text: text or None)]
"""A field of a form that may be left empty."""


class Load(BaseModel):
    """Paper to be laid into a device: originals by their keys, in order, as often as asked for."""

    originals: list[str] = Field(min_length=1)
    times: int = Field(default=1, ge=1, le=MAX_SHEETS)
    where: Literal["feeder", "glass"] = "feeder"
    upside_down: bool = False
    turned_over: bool = False
    reversed: bool = False
    seed: int | None = None

    def sheets(self) -> list[LaidSheet]:
        """Return the sheets, the first one on top. Raises KeyError for an unknown original."""
        keys = self.originals * self.times
        first_seed = self.seed if self.seed is not None else random.randrange(1_000_000)  # noqa: S311 (no secret)
        laid = [(key, number) for key in keys for number in range(len(ORIGINALS[key].sheets))][:MAX_SHEETS]
        pile = [
            LaidSheet(
                original=key,
                sheet=number,
                seed=first_seed + at,
                upside_down=self.upside_down,
                turned_over=self.turned_over,
            )
            for at, (key, number) in enumerate(laid)
        ]
        return pile[::-1] if self.reversed else pile


class Trouble(BaseModel):
    """What is to go wrong, or is wrong now."""

    jam_at: SheetNumber = None
    double_at: SheetNumber = None
    too_long_at: SheetNumber = None
    mispick_at: SheetNumber = None
    cover_at: SheetNumber = None
    gone_at: SheetNumber = None
    restart_at: SheetNumber = None
    cover_open: bool = False
    lid_raised: bool = False
    gone: bool = False
    asleep: bool = False


@lru_cache
def _small_picture(key: str) -> bytes:
    front = LaidSheet(original=key).side(Side.FRONT)
    return encode_jpeg(front.raster(PICTURE_DPI), PICTURE_QUALITY)


class Drawer:
    """The page and its interface.

    Args:
        devices: by their keys.
        changed: called after the paper has moved or a device has come or gone.
    """

    def __init__(self, devices: dict[str, Device], changed: Callable[[], None]) -> None:
        self._devices = devices
        self._changed = changed

    def app(self) -> web.Application:
        """Return the application with its routes."""
        app = web.Application(middlewares=[_guarded], client_max_size=64_000)
        app.add_routes(
            [
                web.get("/", self._first),
                web.get("/devices/{key}", self._page),
                web.get("/originals/{key}.jpg", self._picture),
                web.get("/devices/{key}/truth", self._truth),
                web.get("/devices/{key}/paper", self._paper),
                web.post("/devices/{key}/load", self._load),
                web.post("/devices/{key}/lay-sheet", self._lay_sheet),
                web.post("/devices/{key}/trouble", self._set_trouble),
                web.post("/devices/{key}/clear", self._clear),
                web.post("/devices/{key}/restart", self._restart),
                web.post("/devices/{key}/take-out", self._take_out),
                web.static("/static", STATIC),
                web.static("/vendor", VENDOR),
            ]
        )
        return app

    def _device(self, request: web.Request) -> Device:
        try:
            return self._devices[request.match_info["key"]]
        except KeyError:
            raise web.HTTPNotFound from None

    async def _first(self, _: web.Request) -> web.Response:
        raise web.HTTPFound(f"/devices/{next(iter(self._devices))}")

    async def _page(self, request: web.Request) -> web.Response:
        device = self._device(request)
        html = _templates.get_template("drawer.html").render(
            device=device, devices=self._devices.values(), originals=ORIGINALS
        )
        return web.Response(text=html, content_type="text/html")

    async def _picture(self, request: web.Request) -> web.Response:
        """Answer with a small picture of an original's first page."""
        key = request.match_info["key"]
        if key not in ORIGINALS:
            raise web.HTTPNotFound
        headers = {"Cache-Control": "max-age=86400"}
        return web.Response(
            body=await asyncio.to_thread(_small_picture, key), content_type="image/jpeg", headers=headers
        )

    async def _truth(self, request: web.Request) -> web.Response:
        """Answer with what is really on every picture of the device's jobs, by job, the oldest first."""
        jobs = self._device(request).jobs
        return web.json_response({job.uuid: [truth.model_dump() for truth in job.truths] for job in jobs})

    async def _paper(self, request: web.Request) -> web.Response:
        return web.Response(text=self._device(request).paper.model_dump_json(), content_type="application/json")

    async def _load(self, request: web.Request) -> web.Response:
        device = self._device(request)
        load = Load.model_validate(await _sent(request, lists={"originals"}))
        try:
            sheets = load.sheets()
        except KeyError as exc:
            raise web.HTTPUnprocessableEntity(text=f"There is no original {exc}.") from exc
        if load.where == "glass":
            device.lay_on_glass(sheets)
        else:
            device.lay_in_feeder(sheets)
        return self._done(request)

    async def _lay_sheet(self, request: web.Request) -> web.Response:
        """Lay one sheet that was taken out elsewhere."""
        sheet = LaidSheet.model_validate(await _sent(request))
        if sheet.original not in ORIGINALS or not 0 <= sheet.sheet < len(ORIGINALS[sheet.original].sheets):
            raise web.HTTPUnprocessableEntity(text="There is no such sheet.")
        self._device(request).lay_in_feeder([sheet])
        return self._done(request)

    async def _set_trouble(self, request: web.Request) -> web.Response:
        device = self._device(request)
        trouble = Trouble.model_validate(await _sent(request))
        device.paper.faults = Faults(**trouble.model_dump(include=set(Faults.model_fields)))
        device.paper.cover_open, device.paper.gone = trouble.cover_open, trouble.gone
        device.paper.asleep, device.paper.lid_raised = trouble.asleep, trouble.lid_raised
        return self._done(request)

    async def _restart(self, request: web.Request) -> web.Response:
        self._device(request).restart()
        return self._done(request)

    async def _clear(self, request: web.Request) -> web.Response:
        self._device(request).clear_path()
        return self._done(request)

    async def _take_out(self, request: web.Request) -> web.Response:
        paper = self._device(request).paper
        paper.feeder, paper.glass, paper.beside, paper.leaves = [], None, [], []
        return self._done(request)

    def _done(self, request: web.Request) -> web.Response:
        self._changed()
        if request.content_type == "application/json":
            return web.json_response({"feeder": len(self._device(request).paper.feeder)})
        raise web.HTTPSeeOther(f"/devices/{request.match_info['key']}")


async def _sent(request: web.Request, lists: frozenset[str] | set[str] = frozenset()) -> object:
    """Return what was sent: JSON as it is; a form as a dictionary, the named fields as lists."""
    if request.content_type == "application/json":
        return await request.json()
    form = await request.post()
    return {name: form.getall(name) if name in lists else form[name] for name in form}


@web.middleware
async def _guarded(request: web.Request, handler: Handler) -> web.StreamResponse:
    """Refuse forms that other sites send, and say what is wrong with what was sent."""
    site = request.headers.get("Sec-Fetch-Site", "same-origin")
    if request.method != "GET" and site not in {"same-origin", "none"}:
        raise web.HTTPForbidden
    try:
        response = await handler(request)
    except ValidationError as exc:
        raise web.HTTPUnprocessableEntity(text=str(exc)) from exc
    response.headers["Content-Security-Policy"] = POLICY
    return response
