"""The eSCL client: one device, one job at a time, pages pulled one by one."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from urllib.parse import urlsplit

import httpx

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.picture import read_head
from papiermappe.devices.errors import (
    AddressRefused,
    AnswerRefused,
    DeviceBusy,
    DeviceError,
    DeviceUnreachable,
    FeederStuck,
    SettingsRefused,
)
from papiermappe.devices.escl_xml import parse_abilities, parse_status, settings_xml
from papiermappe.devices.model import Abilities, DeviceStatus, JobStatus, TicketSettings

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
    except ValueError as exc:
        raise AddressRefused("address_refused", typed=typed[:80]) from exc
    if parts.scheme not in {"http", "https"} or not parts.hostname or parts.username or any(c.isspace() for c in typed):
        raise AddressRefused("address_refused", typed=typed[:80])
    host = f"[{parts.hostname}]" if ":" in parts.hostname else parts.hostname
    return f"{parts.scheme}://{host}{f':{port}' if port else ''}{parts.path.rstrip('/') or '/eSCL'}"


class EsclClient:
    """Talks to one device. Not for use from two threads.

    Args:
        url: the eSCL root, as `device_url` gives it.
        limits: on its answers.
        transport: for tests.
        sleep: for tests.
    """

    def __init__(
        self,
        url: str,
        limits: Limits | None = None,
        transport: httpx.BaseTransport | None = None,
        sleep: Callable[[float], None] = time.sleep,
    ) -> None:
        self._url = url
        self._limits = limits or Limits()
        self._sleep = sleep
        timeout = httpx.Timeout(self._limits.answer_s, connect=self._limits.connect_s)
        self._http = httpx.Client(timeout=timeout, transport=transport, trust_env=False, headers={"Accept": "*/*"})

    def __enter__(self) -> "EsclClient":
        return self

    def __exit__(self, *_: object) -> None:
        self._http.close()

    def abilities(self) -> Abilities:
        """Return what the device can do. Raises DeviceError."""
        return parse_abilities(self._get_xml("ScannerCapabilities"))

    def status(self) -> DeviceStatus:
        """Return the state of the device. Raises DeviceError."""
        return parse_status(self._get_xml("ScannerStatus"))

    def start(self, ticket: TicketSettings) -> str:
        """Begin a job; wait while the device is busy.

        Returns:
            The job's URL, always on the device that was asked.

        Raises:
            SettingsRefused: it cannot do that, or there is no paper.
            DeviceBusy: it was still busy after `busy_s`.
            DeviceError: anything else.
        """
        able = self.abilities().source(ticket.source)
        if able is None:
            raise SettingsRefused("source_absent", source=ticket.source.value)
        body = settings_xml(ticket, able)
        status, _, headers = self._patiently(
            "POST", f"{self._url}/ScanJobs", self._limits.answer_s, self._limits.xml_bytes, body
        )
        if status == 409:
            raise SettingsRefused("job_refused")
        location = headers.get("location", "")
        if status != 201 or not location:
            raise AnswerRefused("job_not_accepted", status=status)
        return self._same_device(location)

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
        status, body, _ = self._patiently(
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

    def job_status(self, job_url: str) -> JobStatus | None:
        """Return the status of a job; None if the device does not know the job. Raises DeviceError."""
        return self.status().job(job_url)

    def job_url(self, job: JobStatus) -> str:
        """Return the URL of a job that the device has listed. Raises AnswerRefused."""
        return self._same_device(job.uri)

    def cancel(self, job_url: str) -> None:
        """Cancel a job; do nothing if the device does not know it. Raises DeviceError."""
        self._ask("DELETE", job_url, self._limits.answer_s, self._limits.xml_bytes)

    def _stuck(self) -> DeviceError:
        adf_state = self.status().adf_state or ""
        return FeederStuck(STUCK_CODES.get(adf_state, "sheet_did_not_come"), adf_state)

    def _get_xml(self, name: str) -> bytes:
        status, body, _ = self._ask("GET", f"{self._url}/{name}", self._limits.answer_s, self._limits.xml_bytes)
        if status == 503:
            raise DeviceBusy("device_not_ready")
        if status != 200:
            raise AnswerRefused("no_scanner_there", status=status)
        return body

    def _patiently(
        self, method: str, url: str, time_s: float, max_bytes: int, body: bytes | None = None
    ) -> tuple[int, bytes, httpx.Headers]:
        """Repeat a request while the answer is 503, for at most `busy_s`."""
        until_s = time.monotonic() + self._limits.busy_s
        while True:
            status, answer, headers = self._ask(method, url, time_s, max_bytes, body)
            if status != 503:
                return status, answer, headers
            pause_s = _retry_after_s(headers)
            if time.monotonic() + pause_s > until_s:
                raise DeviceBusy("device_busy")
            self._sleep(pause_s)

    def _ask(
        self, method: str, url: str, time_s: float, max_bytes: int, body: bytes | None = None
    ) -> tuple[int, bytes, httpx.Headers]:
        """Send a request once; read the answer in pieces, so that its size and duration are bounded."""
        until_s = time.monotonic() + time_s
        headers = {"Content-Type": "text/xml"} if body else None
        timeout = httpx.Timeout(time_s, connect=self._limits.connect_s)
        try:
            with self._http.stream(method, url, content=body, headers=headers, timeout=timeout) as response:
                read = bytearray()
                for piece in response.iter_bytes():
                    read += piece
                    if len(read) > max_bytes:
                        raise AnswerRefused("answer_too_large", limit_bytes=max_bytes)
                    if time.monotonic() > until_s:
                        raise DeviceUnreachable("answer_too_slow", limit_s=round(time_s))
                return response.status_code, bytes(read), response.headers
        except httpx.TimeoutException as exc:
            raise DeviceUnreachable("device_timeout") from exc
        except httpx.TransportError as exc:
            raise DeviceUnreachable("device_unreachable") from exc
        except (httpx.DecodingError, httpx.InvalidURL) as exc:
            raise AnswerRefused("answer_unreadable") from exc

    def _same_device(self, location: str) -> str:
        """Return a job's URL on the host that was asked: an answer must not lead to another host."""
        parts = urlsplit(location)
        if not parts.path.startswith("/"):
            raise AnswerRefused("job_address_unreadable")
        root = urlsplit(self._url)
        return f"{root.scheme}://{root.netloc}{parts.path.rstrip('/')}"


def _retry_after_s(headers: httpx.Headers) -> float:
    try:
        return min(max(float(headers.get("retry-after", "1")), 0.2), 10.0)
    except ValueError:
        return 1.0
