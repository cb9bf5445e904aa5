"""The eSCL server of one device. It keeps the case of its headers, which some clients need."""

import asyncio
from collections.abc import Awaitable, Callable

from aiohttp import web

from papiermappe.core.geometry import mm_to_px
from papiermappe.standin.scanner import escl
from papiermappe.standin.scanner.device import (
    Busy,
    Colour,
    Device,
    Exposure,
    Job,
    JobState,
    SettingsRefused,
    Stuck,
    SwitchedOff,
)
from papiermappe.standin.scanner.pictures import PDF, PictureShelf, as_pdf

Handler = Callable[[web.Request], Awaitable[web.StreamResponse]]

XML = "text/xml"
MAX_SETTINGS_BYTES = 64_000
ABANDONED_S = 90.0
WAKING_S = 8.0
DPI_OF_PACE = 300
LEAST_SHARE = 0.5
"""Of the time of 300 dpi, however few are wanted: the paper has to be moved."""
COLOUR_SHARES = {Colour.COLOUR: 1.0, Colour.GREY: 0.7, Colour.BILEVEL: 0.7}


class EsclServer:
    """Serves a device under /eSCL.

    Args:
        device: the scanner.
        shelf: where pictures are made.
        changed: called after the paper has moved.
        admin_url: where the device's own page is.
        pace: 1 is the device's own speed, 0 is without waiting.
    """

    def __init__(
        self, device: Device, shelf: PictureShelf, changed: Callable[[], None], admin_url: str, pace: float
    ) -> None:
        self._device = device
        self._shelf = shelf
        self._changed = changed
        self._admin_url = admin_url
        self._pace = pace

    def app(self) -> web.Application:
        """Return the application with its routes."""
        app = web.Application(client_max_size=MAX_SETTINGS_BYTES, middlewares=[self._waking])
        app.add_routes(
            [
                web.get("/eSCL/ScannerCapabilities", self._capabilities),
                web.get("/eSCL/ScannerStatus", self._status),
                web.post("/eSCL/ScanJobs", self._start),
                web.get("/eSCL/ScanJobs/{uuid}/NextDocument", self._next_document),
                web.get("/eSCL/ScanJobs/{uuid}/ScanImageInfo", self._image_info),
                web.delete("/eSCL/ScanJobs/{uuid}", self._delete),
            ]
        )
        return app

    @web.middleware
    async def _waking(self, request: web.Request, handler: Handler) -> web.StreamResponse:
        """Have whoever asks first wait while the device wakes up."""
        if self._device.paper.asleep:
            await asyncio.sleep(WAKING_S * self._pace)
            self._device.paper.asleep = False
            self._changed()
        return await handler(request)

    async def _capabilities(self, _: web.Request) -> web.Response:
        return web.Response(text=escl.capabilities(self._device, self._admin_url), content_type=XML)

    async def _status(self, _: web.Request) -> web.Response:
        self._give_up_abandoned()
        return web.Response(text=escl.status(self._device, _now_s()), content_type=XML)

    async def _start(self, request: web.Request) -> web.Response:
        self._give_up_abandoned()
        try:
            job = self._device.start(escl.parse_settings(await request.read()))
        except escl.NotXml:
            return web.Response(status=400, text="This is no ScanSettings document.")
        except SettingsRefused as exc:
            return web.Response(status=409, text=f"Cannot be met: {exc}")
        except Busy as exc:
            return web.Response(status=503, headers={"Retry-After": "1"}, text=f"Not ready: {exc}")
        job.touched_s = _now_s()
        self._foresee(job)
        location = f"http://{request.host}/eSCL/ScanJobs/{job.uuid}"
        return web.Response(status=201, headers={"Location": location})

    async def _next_document(self, request: web.Request) -> web.StreamResponse:
        job = self._job(request)
        job.touched_s = _now_s()
        try:
            if job.request.document_format == PDF:
                body, kind = await self._whole_pdf(job), PDF
            else:
                body, kind = await self._next_picture(job), job.request.document_format
        except SwitchedOff:
            self._changed()
            if request.transport is not None:
                request.transport.abort()
            raise web.HTTPServiceUnavailable from None
        except Stuck as exc:
            self._changed()
            return web.Response(status=409, text=str(exc))
        if body is None:
            return web.Response(status=404, text="No more pages.")
        response = web.Response(body=body, content_type=kind)
        await response.prepare(request)
        await response.write_eof()
        self._device.delivered(job)
        self._changed()
        self._foresee(job)
        return response

    async def _next_picture(self, job: Job) -> bytes | None:
        exposure = self._device.expose(job)
        return None if exposure is None else await self._developed(exposure)

    async def _whole_pdf(self, job: Job) -> bytes | None:
        pages: list[tuple[bytes, Exposure]] = []
        while exposure := self._device.expose(job):
            pages.append((await self._developed(exposure), exposure))
        return await asyncio.to_thread(as_pdf, pages) if pages else None

    async def _developed(self, exposure: Exposure) -> bytes:
        """Wait as long as the side takes to pass the sensor, or to be drawn."""
        asked = exposure.request
        share = max(LEAST_SHARE, asked.dpi / DPI_OF_PACE) * COLOUR_SHARES[asked.colour]
        side_s = self._device.profile.side_s * self._pace * share
        data, _ = await asyncio.gather(asyncio.wrap_future(self._shelf.order(exposure)), asyncio.sleep(side_s))
        return data

    def _foresee(self, job: Job) -> None:
        """Have the next picture drawn while the last one is on its way."""
        if exposure := self._device.foresee(job):
            self._shelf.order(exposure)

    async def _image_info(self, request: web.Request) -> web.Response:
        job = self._job(request)
        exposure = self._device.foresee(job)
        if exposure is None and not job.truths:
            raise web.HTTPNotFound
        region = exposure.region if exposure else job.request.region
        if region is None:
            raise web.HTTPNotFound
        width_px, height_px = (round(mm_to_px(side, job.request.dpi)) for side in (region.width_mm, region.height_mm))
        line = {Colour.COLOUR: 3 * width_px, Colour.GREY: width_px}.get(job.request.colour, (width_px + 7) // 8)
        return web.Response(text=escl.image_info(width_px, height_px, line, job.uuid), content_type=XML)

    async def _delete(self, request: web.Request) -> web.Response:
        self._device.cancel(self._job(request))
        return web.Response(status=200)

    def _job(self, request: web.Request) -> Job:
        wanted = request.match_info["uuid"]
        job = next((job for job in self._device.jobs if job.uuid == wanted), None)
        if job is None:
            raise web.HTTPNotFound
        return job

    def _give_up_abandoned(self) -> None:
        job = self._device.active
        if job and _now_s() - job.touched_s > ABANDONED_S:
            job.state, job.reason = JobState.CANCELED, "JobTimedOut"


def _now_s() -> float:
    return asyncio.get_running_loop().time()
