"""Scanners that announce themselves on the network: mDNS (RFC 6762) and DNS-SD (RFC 6763), as eSCL asks for."""

import re
import threading
from collections.abc import Callable, Mapping
from typing import NamedTuple

import structlog
from zeroconf import InterfaceChoice, IPVersion, ServiceBrowser, ServiceStateChange, Zeroconf

from papiermappe.core.naming.names import one_line
from papiermappe.devices.errors import AddressRefused
from papiermappe.devices.escl import device_url
from papiermappe.devices.model import Reach, plain_uuid

log = structlog.get_logger()

SCHEMES: Mapping[str, str] = {"_uscan._tcp.local.": "http", "_uscans._tcp.local.": "https"}
"""By the type of service, how the device is spoken to."""
RESOLVE_MS = 3000
MAX_ANNOUNCED = 200
MAX_NAME = 80
PLAIN_PATH = re.compile(r"[A-Za-z0-9._/-]{1,80}")
LOOPBACK = "127.0.0.1"


class Announced(NamedTuple):
    """A scanner as it announces itself; nothing of it has been checked yet."""

    name: str
    uuid: str | None
    url: str


class Discovery:
    """Knows the scanners that announce themselves, from `start` to `close`.

    Args:
        reach: where they are looked for.
        changed: called, on a thread of its own, when one has come, gone, or moved.
    """

    def __init__(self, reach: Reach, changed: Callable[[], None]) -> None:
        self._reach = reach
        self._changed = changed
        self._zeroconf: Zeroconf | None = None
        self._services: dict[tuple[str, str], Announced] = {}
        self._lock = threading.Lock()

    def start(self) -> None:
        """Begin to listen. Where the network cannot be listened to, nothing will be found."""
        if self._reach is Reach.NOWHERE:
            return
        interfaces = [LOOPBACK] if self._reach is Reach.LOOPBACK else InterfaceChoice.All
        try:
            self._zeroconf = Zeroconf(interfaces=interfaces, ip_version=IPVersion.V4Only)
            ServiceBrowser(self._zeroconf, list(SCHEMES), handlers=[self._noticed])
        except OSError as exc:
            log.warning("scanners cannot be looked for", action="discovery.failed", cause=repr(exc))

    def close(self) -> None:
        """Stop listening."""
        if self._zeroconf is not None:
            self._zeroconf.close()
            self._zeroconf = None

    def announced(self) -> list[Announced]:
        """Return the scanners that are there, by name; one that speaks both ways once, unencrypted.

        Devices sign their certificates themselves, so that encryption would prove nothing here.
        """
        with self._lock:
            services = sorted(self._services.values(), key=lambda service: (service.name, service.url))
        return list({service.uuid or service.url: service for service in reversed(services)}.values())[::-1]

    def _noticed(self, zeroconf: Zeroconf, service_type: str, name: str, state_change: ServiceStateChange) -> None:
        found = None
        if state_change is not ServiceStateChange.Removed:
            info = zeroconf.get_service_info(service_type, name, RESOLVE_MS)
            if info is not None:
                addresses = info.parsed_addresses(IPVersion.V4Only)
                found = announced_of(SCHEMES[service_type], name, addresses, info.port, info.properties)
        with self._lock:
            before = dict(self._services)
            if found is None:
                self._services.pop((service_type, name), None)
            elif len(self._services) < MAX_ANNOUNCED or (service_type, name) in self._services:
                self._services[service_type, name] = found
            is_new = before != self._services
        if is_new:
            self._changed()


def announced_of(
    scheme: str, service_name: str, addresses: list[str], port: int | None, properties: Mapping[bytes, bytes | None]
) -> Announced | None:
    """Return what a service announces; None where it tells no address that could be one.

    Args:
        scheme: http or https.
        service_name: its name in DNS-SD, of which the first label is for people.
        addresses: of its host; the first is taken.
        port: of its host.
        properties: the keys of its TXT record (eSCL: `ty` name, `rs` path, `UUID`), as anybody on the network may send.
    """
    texts = {key.decode("utf-8", "replace").lower(): (value or b"").decode("utf-8", "replace")
             for key, value in properties.items()}  # fmt: skip
    path = texts.get("rs", "eSCL").strip("/") or "eSCL"
    if not addresses or not port or not PLAIN_PATH.fullmatch(path):
        return None
    try:
        url = device_url(f"{scheme}://{addresses[0]}:{port}/{path}")
    except AddressRefused:
        return None
    name = texts.get("ty") or service_name.partition("._")[0]
    shown = one_line(name)[:MAX_NAME]
    return Announced(shown or addresses[0], plain_uuid(texts.get("uuid", "")), url)
