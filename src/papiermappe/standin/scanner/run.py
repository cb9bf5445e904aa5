"""Running the stand-in: three devices on three ports, and the drawer on a fourth."""

import asyncio
import json
import signal
from pathlib import Path

from aiohttp import web

from papiermappe.standin.scanner.announcing import Announcer
from papiermappe.standin.scanner.device import Device, Paper
from papiermappe.standin.scanner.drawer import Drawer
from papiermappe.standin.scanner.pictures import PictureShelf
from papiermappe.standin.scanner.profiles import PROFILES
from papiermappe.standin.scanner.server import EsclServer

HOST = "127.0.0.1"


class StandIn:
    """The devices, their servers, and the paper that outlives them.

    Args:
        port: of the drawer; the devices have the ports after it.
        pace: 1 is the devices' own speed, 0 is without waiting.
        paper_file: where it is kept what lies in the devices; None keeps nothing.
        announces: whether the devices announce themselves.
    """

    def __init__(self, port: int, pace: float, paper_file: Path | None, announces: bool) -> None:
        self._port = port
        self._pace = pace
        self._paper_file = paper_file
        self._announces = announces
        self._announcer: Announcer | None = None
        kept = json.loads(paper_file.read_text()) if paper_file and paper_file.exists() else {}
        self._devices = {
            profile.key: Device(profile, Paper.model_validate(kept.get(profile.key, {}))) for profile in PROFILES
        }
        self._sites: dict[str, web.TCPSite] = {}
        self._runners: dict[str, web.AppRunner] = {}
        self._moved = asyncio.Event()

    async def serve(self, stop: asyncio.Event) -> None:
        """Serve until `stop` is set."""
        shelf = PictureShelf()
        self._announcer = Announcer() if self._announces else None
        drawer = web.AppRunner(Drawer(self._devices, self._changed).app())
        await drawer.setup()
        await web.TCPSite(drawer, HOST, self._port).start()
        for key, device in self._devices.items():
            server = EsclServer(device, shelf, self._changed, self._admin_url(key), self._pace)
            self._runners[key] = web.AppRunner(server.app(), shutdown_timeout=0.5)
            await self._runners[key].setup()
        await self._come_and_go()
        following = asyncio.create_task(self._follow())
        await stop.wait()
        following.cancel()
        if self._announcer:
            await self._announcer.close()
        for runner in (*self._runners.values(), drawer):
            await runner.cleanup()

    def _changed(self) -> None:
        if self._paper_file:
            beside = self._paper_file.with_suffix(".new")
            beside.write_text(json.dumps({key: device.paper.model_dump() for key, device in self._devices.items()}))
            beside.replace(self._paper_file)
        self._moved.set()

    async def _follow(self) -> None:
        while True:
            await self._moved.wait()
            self._moved.clear()
            await self._come_and_go()

    async def _come_and_go(self) -> None:
        """Open and close the devices' ports as they are on the network or gone from it."""
        for at, (key, device) in enumerate(self._devices.items(), start=1):
            if device.paper.gone and key in self._sites:
                await self._sites.pop(key).stop()
                if self._announcer:
                    self._announcer.go(device.profile)
            elif not device.paper.gone and key not in self._sites:
                self._sites[key] = web.TCPSite(self._runners[key], HOST, self._port + at)
                await self._sites[key].start()
                if self._announcer:
                    self._announcer.come(device.profile, self._port + at, self._admin_url(key))

    def _admin_url(self, key: str) -> str:
        return f"http://{HOST}:{self._port}/devices/{key}"


async def run(port: int, pace: float, paper_file: Path | None, announces: bool) -> None:
    """Serve the stand-in until SIGINT or SIGTERM."""
    stop = asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    await StandIn(port, pace, paper_file, announces).serve(stop)
