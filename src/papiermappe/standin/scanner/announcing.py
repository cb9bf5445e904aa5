"""Announcing the devices by mDNS on loopback, as scanners do on a network."""

import asyncio
import contextlib
import socket
from collections.abc import Coroutine

from zeroconf import Error, IPVersion
from zeroconf.asyncio import AsyncServiceInfo, AsyncZeroconf

from papiermappe.standin.scanner.profiles import Profile

SERVICE = "_uscan._tcp.local."
HOST = "127.0.0.1"


class Announcer:
    """Announces devices while it is open."""

    def __init__(self) -> None:
        self._zeroconf = AsyncZeroconf(interfaces=[HOST], ip_version=IPVersion.V4Only)
        self._infos: dict[str, AsyncServiceInfo] = {}
        self._tasks: set[asyncio.Task[None]] = set()

    async def close(self) -> None:
        """Say that all are gone, and stop."""
        for task in self._tasks:
            task.cancel()
        await self._zeroconf.async_unregister_all_services()
        await self._zeroconf.async_close()

    def come(self, profile: Profile, port: int, admin_url: str) -> None:
        """Announce a device."""
        info = AsyncServiceInfo(
            SERVICE,
            f"{profile.name} {profile.uuid[-4:]}.{SERVICE}",
            port=port,
            addresses=[socket.inet_aton(HOST)],
            server=f"{profile.key}-{profile.uuid[-4:]}.local.",
            properties=_properties(profile, admin_url),
        )
        self._infos[profile.key] = info
        self._start(self._register(info))

    def go(self, profile: Profile) -> None:
        """Say that a device is gone."""
        if info := self._infos.pop(profile.key, None):
            self._start(self._unregister(info))

    async def _register(self, info: AsyncServiceInfo) -> None:
        with contextlib.suppress(Error):  # it is found by its address then
            await (await self._zeroconf.async_register_service(info, allow_name_change=True))

    async def _unregister(self, info: AsyncServiceInfo) -> None:
        with contextlib.suppress(Error):
            await (await self._zeroconf.async_unregister_service(info))

    def _start(self, work: Coroutine[None, None, None]) -> None:
        task = asyncio.get_running_loop().create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)


def _properties(profile: Profile, admin_url: str) -> dict[str, str]:
    """Return the TXT record that eSCL asks for."""
    sources = [name for name, source in (("platen", profile.glass), ("adf", profile.feeder)) if source]
    return {
        "txtvers": "1",
        "ty": profile.name,
        "rs": "eSCL",
        "pdl": "image/jpeg,application/pdf",
        "cs": "color,grayscale,binary",
        "is": ",".join(sources),
        "duplex": "T" if profile.duplex else "F",
        "UUID": profile.uuid,
        "adminurl": admin_url,
    }
