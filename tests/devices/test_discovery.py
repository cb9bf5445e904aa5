"""Scanners that announce themselves, as they are and as somebody hostile would."""

import asyncio
import dataclasses
import threading
import uuid
from collections.abc import Callable

import pytest

from papiermappe.devices.discovery import Announced, Discovery, announced_of
from papiermappe.devices.model import Reach
from papiermappe.standin.scanner.announcing import Announcer
from papiermappe.standin.scanner.profiles import PROFILES

TXT: dict[bytes, bytes | None] = {b"ty": b"Dohle M3", b"rs": b"eSCL", b"UUID": b"0B8F2C5E-6a51-4c8e-9d4b-2f10a7c9e1ff"}


def announced(**changed: bytes | None) -> Announced | None:
    """Return what is made of a TXT record."""
    record = {**TXT, **{name.encode(): value for name, value in changed.items()}}
    return announced_of("http", "Dohle M3 (2)._uscan._tcp.local.", ["192.168.1.20"], 80, record)


def test_name_address_and_uuid_are_taken_from_the_record() -> None:
    assert announced() == Announced("Dohle M3", "0b8f2c5e-6a51-4c8e-9d4b-2f10a7c9e1ff", "http://192.168.1.20:80/eSCL")


def test_what_a_record_does_not_tell() -> None:
    found = announced_of("https", "Dohle M3 (2)._uscans._tcp.local.", ["192.168.1.20"], 443, {})
    assert found == Announced("Dohle M3 (2)", None, "https://192.168.1.20:443/eSCL")


@pytest.mark.parametrize(
    "hostile",
    [
        {"rs": b"../../x?y#z"},
        {"rs": b"\xff\xfe"},
        {"rs": b"@other.example/"},
        {"rs": b"e" * 200},
    ],
)
def test_a_path_that_is_none_is_not_taken(hostile: dict[str, bytes]) -> None:
    assert announced(**hostile) is None


def test_names_and_uuids_are_made_safe() -> None:
    odd = announced(ty=b"\x00Doh\nle\xff" + b"x" * 300, UUID=b"' or 1=1")
    assert odd is not None
    assert odd.uuid is None
    assert odd.name.startswith("Doh le")
    assert len(odd.name) == 80
    assert odd.name.isprintable()


def test_without_an_address_there_is_no_device() -> None:
    assert announced_of("http", "x._uscan._tcp.local.", [], 80, TXT) is None
    assert announced_of("http", "x._uscan._tcp.local.", ["192.168.1.20"], None, TXT) is None


class Loopback:
    """Announces a device on loopback from a thread of its own, as another program would."""

    def __init__(self) -> None:
        self.profile = dataclasses.replace(PROFILES[0], key="dohle", name="Dohle M3", uuid=str(uuid.uuid4()))
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._loop.run_forever)
        self._thread.start()
        self._announcer = asyncio.run_coroutine_threadsafe(self._made(), self._loop).result(20)

    @staticmethod
    async def _made() -> Announcer:
        return Announcer()

    def come(self, port: int) -> None:
        """Announce the device."""
        self._loop.call_soon_threadsafe(self._announcer.come, self.profile, port, "http://127.0.0.1/")

    def go(self) -> None:
        """Say that it is gone."""
        self._loop.call_soon_threadsafe(self._announcer.go, self.profile)

    def close(self) -> None:
        """End it."""
        asyncio.run_coroutine_threadsafe(self._announcer.close(), self._loop).result(20)
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join()
        self._loop.close()


@pytest.mark.slow
def test_the_stand_in_is_found_on_loopback_and_its_going_is_noticed(
    until: Callable[[Callable[[], object], float], None],
) -> None:
    changes = threading.Semaphore(0)
    discovery, loopback = Discovery(Reach.LOOPBACK, changes.release), Loopback()
    discovery.start()
    try:
        loopback.come(9999)
        mine = Announced("Dohle M3", loopback.profile.uuid, "http://127.0.0.1:9999/eSCL")
        until(lambda: mine in discovery.announced(), 20)
        assert changes.acquire(timeout=5)
        loopback.go()
        until(lambda: mine not in discovery.announced(), 20)
    finally:
        loopback.close()
        discovery.close()


def test_nothing_is_looked_for_where_that_is_set() -> None:
    discovery = Discovery(Reach.NOWHERE, lambda: None)
    discovery.start()
    assert discovery.announced() == []
    discovery.close()
