"""The eSCL client: one device, one job at a time, pages pulled one by one."""

import functools
import math
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Concatenate, ParamSpec, Protocol, TypeVar
from urllib.parse import urlsplit

import structlog

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.picture import read_head
from papiermappe.core.zones import Zone
from papiermappe.devices.bounded import Answer, BoundedHttp, Budget
from papiermappe.devices.errors import (
    AddressRefused,
    AnswerRefused,
    DeviceBusy,
    DeviceError,
    FeederStuck,
    SettingsRefused,
)
from papiermappe.devices.escl_xml import parse_abilities, parse_status, settings_xml
from papiermappe.devices.model import Abilities, DeviceStatus, JobStatus, TicketSettings
from papiermappe.errors import PapiermappeError

log = structlog.get_logger()

P = ParamSpec("P")
T = TypeVar("T")

RETRY_AFTER_S = (0.2, 10.0)
"""The least and the most that is waited for a device that is busy."""

STUCK_CODES = {
    "ScannerAdfJam": "sheet_jammed",
    "ScannerAdfMispick": "sheet_not_picked",
    "ScannerAdfMultipickDetected": "sheets_together",
    "ScannerAdfHatchOpen": "cover_open",
    "ScannerAdfDuplexPageTooShort": "sheet_too_short",
    "ScannerAdfDuplexPageTooLong": "sheet_too_long",
}


@dataclass(frozen=True)
class Limits:
    """Limits on the answers of a device."""

    connect_s: float = 3.0
    answer_s: float = 5.0
    """For everything but pages."""
    page_s: float = 60.0
    """For one page, from the asking to its last byte."""
    busy_s: float = 20.0
    """How long a device may say that it is not ready."""
    xml_bytes: int = 1_000_000
    page_bytes: int = 250_000_000
    page_px: int = DEFAULT_LIMIT_PX


def device_url(address: str) -> str:
    """Return the eSCL root for what a person typed: a host, with a port or a whole address.

    Raises:
        AddressRefused: it cannot be an address.
    """
    typed = address.strip()
    try:
        parts = urlsplit(typed if "://" in typed else f"http://{typed}")
        port = parts.port
        (parts.hostname or "").encode("idna")  # empty labels and labels of more than 63 letters are refused by it
    except ValueError as exc:
        raise AddressRefused("address_refused", typed=typed[:80]) from exc
    plain = typed.isprintable() and not any(letter.isspace() for letter in typed)
    if parts.scheme not in {"http", "https"} or not parts.hostname or parts.username or not plain:
        raise AddressRefused("address_refused", typed=typed[:80])
    host = f"[{parts.hostname}]" if ":" in parts.hostname else parts.hostname
    return f"{parts.scheme}://{host}{f':{port}' if port else ''}{parts.path.rstrip('/') or '/eSCL'}"


class Http(Protocol):
    """Asks a device; `BoundedHttp` does it over the network."""

    def ask(self, method: str, url: str, budget: Budget, body: bytes | None = None) -> Answer:
        """Send a request and return the whole answer. Raises DeviceError."""
        ...

    def close(self) -> None:
        """Close all connections."""
        ...


def _device_errors(
    method: Callable[Concatenate["EsclClient", P], T],
) -> Callable[Concatenate["EsclClient", P], T]:
    """Have whatever goes wrong while a device is asked come out as an error that says so.

    What a device sends reaches parsers and decoders with errors of their own; one that we have not thought of must
    interrupt a run with its message, not leave it without an end.
    """

    @functools.wraps(method)
    def checked(self: "EsclClient", /, *args: P.args, **kwargs: P.kwargs) -> T:
        try:
            return method(self, *args, **kwargs)
        except PapiermappeError:
            raise
        except Exception as exc:
            log.warning("unexpected error", action="device.ask", method=method.__name__, cause=repr(exc)[:500])
            raise AnswerRefused("answer_unreadable") from exc

    return checked


class EsclClient:
    """Talks to one device. Not for use from two threads.

    Args:
        url: the eSCL root, as `device_url` gives it.
        limits: on its answers.
        http: for tests.
        sleep: for tests.
    """

    def __init__(
        self,
        url: str,
        limits: Limits | None = None,
        http: Http | None = None,
        sleep: Callable[[float], None] = time.sleep,
    ) -> None:
        self._url = url
        self._limits = limits or Limits()
        self._sleep = sleep
        self._http = http or BoundedHttp(self._limits.connect_s)

    def __enter__(self) -> "EsclClient":
        return self

    def __exit__(self, *_: object) -> None:
        self._http.close()

    @_device_errors
    def abilities(self) -> Abilities:
        """Return what the device can do. Raises DeviceError."""
        return parse_abilities(self._get_xml("ScannerCapabilities"))

    @_device_errors
    def status(self) -> DeviceStatus:
        """Return the state of the device. Raises DeviceError."""
        return parse_status(self._get_xml("ScannerStatus"))

    @_device_errors
    def start(self, ticket: TicketSettings, area: Zone | None = None) -> str:
        """Begin a job; wait while the device is busy.

        Args:
            ticket: its settings.
            area: of the glass that is taken; None: where the paper lies.

        Returns:
            The job's URL, always on the device that was asked.

        Raises:
            SettingsRefused: it cannot do that, or there is no paper.
            DeviceBusy: it was still busy after `busy_s`.
            DeviceError: anything else.
        """
        body = settings_xml(ticket, self.abilities(), area)
        status, headers, _ = self._patiently(
            "POST", f"{self._url}/ScanJobs", self._limits.answer_s, self._limits.xml_bytes, body
        )
        if status == 409:
            raise SettingsRefused("job_refused")
        location = headers.get("location", "")
        if status != 201 or not location:
            raise AnswerRefused("job_not_accepted", status=status)
        return self._same_device(location)

    @_device_errors
    def next_page(self, job_url: str) -> bytes | None:
        """Pull the next page of a job.

        Returns:
            An encoded picture whose header has been checked; None when the job has no more pages.

        Raises:
            FeederStuck: the feeder cannot deliver the next sheet.
            AnswerRefused: the answer is not a picture, or is too large.
            PictureRefused: the picture is not accepted.
            DeviceError: anything else.
        """
        status, _, body = self._patiently(
            "GET", f"{job_url}/NextDocument", self._limits.page_s, self._limits.page_bytes
        )
        if status in {404, 410}:
            return None
        if status == 409:
            raise self._stuck()
        if status != 200:
            raise AnswerRefused("page_not_delivered", status=status)
        read_head(body, self._limits.page_px)
        return body

    @_device_errors
    def job_status(self, job_url: str) -> JobStatus | None:
        """Return the status of a job; None if the device does not know the job. Raises DeviceError."""
        return self.status().job(job_url)

    @_device_errors
    def job_url(self, job: JobStatus) -> str:
        """Return the URL of a job that the device has listed. Raises AnswerRefused."""
        return self._same_device(job.uri)

    @_device_errors
    def cancel(self, job_url: str) -> None:
        """Cancel a job; do nothing if the device does not know it. Raises DeviceError."""
        self._ask("DELETE", job_url, self._limits.answer_s, self._limits.xml_bytes)

    def _stuck(self) -> DeviceError:
        adf_state = self.status().adf_state or ""
        return FeederStuck(STUCK_CODES.get(adf_state, "sheet_did_not_come"), adf_state)

    def _get_xml(self, name: str) -> bytes:
        status, _, body = self._ask("GET", f"{self._url}/{name}", self._limits.answer_s, self._limits.xml_bytes)
        if status == 503:
            raise DeviceBusy("device_not_ready")
        if status != 200:
            raise AnswerRefused("no_scanner_there", status=status)
        return body

    def _patiently(self, method: str, url: str, time_s: float, max_bytes: int, body: bytes | None = None) -> Answer:
        """Repeat a request while the answer is 503, for at most `busy_s`."""
        until_s = time.monotonic() + self._limits.busy_s
        while True:
            answer = self._ask(method, url, time_s, max_bytes, body)
            if answer.status != 503:
                return answer
            pause_s = _retry_after_s(answer.headers)
            if time.monotonic() + pause_s > until_s:
                raise DeviceBusy("device_busy")
            self._sleep(pause_s)

    def _ask(self, method: str, url: str, time_s: float, max_bytes: int, body: bytes | None = None) -> Answer:
        return self._http.ask(method, url, Budget(time_s, max_bytes), body)

    def _same_device(self, location: str) -> str:
        """Return a job's URL on the host that was asked: an answer must not lead to another host."""
        try:
            parts = urlsplit(location)
        except ValueError as exc:
            raise AnswerRefused("job_address_unreadable") from exc
        if not parts.path.startswith("/") or not parts.path.isprintable() or " " in parts.path:
            raise AnswerRefused("job_address_unreadable")
        root = urlsplit(self._url)
        return f"{root.scheme}://{root.netloc}{parts.path.rstrip('/')}"


def _retry_after_s(headers: Mapping[str, str]) -> float:
    try:
        wanted_s = float(headers.get("retry-after", "1"))
    except ValueError:
        return 1.0
    low_s, high_s = RETRY_AFTER_S
    return min(max(wanted_s, low_s), high_s) if math.isfinite(wanted_s) else 1.0
