"""What tests do over and over: laying paper, waiting, reading the truth."""

import threading
import time
from collections.abc import Callable, Container, Sequence
from typing import Any

import httpx

from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.plain import Readable
from papiermappe.core.page_text import Block, BoxMm, Care, Line, PageText, Paragraph, Word
from papiermappe.devices.model import Sides, Source, TicketSettings
from papiermappe.recognition.errors import RecogniserFailed
from papiermappe.services.desk import Desk, desk
from papiermappe.store.database import Store

PORTS = {"kiebitz": 1, "zaunkoenig": 2, "stieglitz": 3}
QUICK = TicketSettings(source=Source.FEEDER, sides=Sides.BOTH, dpi=100)
QUICK_ONE_SIDE = TicketSettings(source=Source.FEEDER, sides=Sides.ONE, dpi=100)
QUICK_GLASS = TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=100)


def here(function: Callable[..., Any], /, *arguments: object) -> Any:
    """Compute in this process."""
    return function(*arguments)


class Drawer:
    """The paper drawer of stand-in scanners at a port."""

    def __init__(self, port: int) -> None:
        self.port = port
        self._http = httpx.Client(base_url=f"http://127.0.0.1:{port}", trust_env=False, timeout=10)

    def wait(self, patience_s: float = 20.0) -> None:
        """Wait until it answers."""
        until_s = time.monotonic() + patience_s
        while True:
            try:
                self._http.get("/devices/kiebitz/paper")
            except httpx.TransportError:
                assert time.monotonic() < until_s, "the stand-in does not start"
                time.sleep(0.05)
            else:
                return

    def close(self) -> None:
        """Close the connection."""
        self._http.close()

    def escl(self, key: str) -> str:
        """Return a device's address."""
        return f"http://127.0.0.1:{self.port + PORTS[key]}/eSCL"

    def lay(self, *originals: str, into: str = "zaunkoenig", **how: object) -> None:
        """Lay paper into a device."""
        self._post(f"/devices/{into}/load", {"originals": list(originals), "seed": 7, **how})

    def trouble(self, key: str = "zaunkoenig", **what: object) -> None:
        """Make something go wrong; with nothing named, make it well."""
        self._post(f"/devices/{key}/trouble", what)

    def clear(self, key: str = "zaunkoenig") -> None:
        """Take out what is stuck and put it back on top."""
        self._post(f"/devices/{key}/clear", {})

    def take_out(self, key: str = "zaunkoenig") -> None:
        """Take all paper out."""
        self._post(f"/devices/{key}/take-out", {})

    def reset(self, key: str) -> None:
        """Empty a device and make it well."""
        for step in (self.clear, self.take_out, self.trouble):
            step(key)
        http = httpx.Client(base_url=self.escl(key), trust_env=False)
        until_s = time.monotonic() + 5
        while time.monotonic() < until_s:
            try:
                status = http.get("/ScannerStatus").text
            except httpx.TransportError:
                time.sleep(0.05)
                continue
            for job in status.split("<pwg:JobUuid>")[1:]:
                if "Processing" in job.split("</scan:JobInfo>")[0]:
                    http.delete(f"/ScanJobs/{job.split('<')[0]}")
            break
        http.close()

    def feeder(self, key: str = "zaunkoenig") -> list[dict[str, Any]]:
        """Return the sheets in the feeder, the top one first."""
        sheets: list[dict[str, Any]] = self._http.get(f"/devices/{key}/paper").json()["feeder"]
        return sheets

    def lay_sheet(self, key: str, sheet: dict[str, Any]) -> None:
        """Lay a single sheet, as `feeder` gives it, under those that are in the feeder."""
        self._post(f"/devices/{key}/lay-sheet", sheet)

    def in_feeder(self, key: str = "zaunkoenig") -> int:
        """Count the sheets in the feeder."""
        return len(self.feeder(key))

    def truth(self, key: str = "zaunkoenig") -> list[dict[str, Any]]:
        """Return what is really on the pictures of the newest job."""
        jobs: dict[str, list[dict[str, Any]]] = self._http.get(f"/devices/{key}/truth").json()
        return list(jobs.values())[-1]

    def _post(self, path: str, body: dict[str, Any]) -> None:
        self._http.post(path, json=body).raise_for_status()


def orders(store: Store, mappe_id: int) -> list[int]:
    """Return the pages in reading order."""
    return [page for sheet in desk(store, mappe_id).lanes for page in sheet if page is not None]


def page_ids(now: Desk) -> list[int]:
    """Return all pages of a desk in reading order."""
    return [page for sheet in now.lanes for page in sheet if page is not None]


def page_saying(*lines: str, at_mm: float = 20.0) -> PageText:
    """Return an A4 page of what was read in German: a paragraph of lines, the first at a height."""
    made = []
    for number, text in enumerate(lines):
        top = at_mm + 8 * number
        box = BoxMm(left=20, top=top, right=100, bottom=top + 6)
        made.append(Line(words=tuple(Word(text=word, box=box, confidence=0.9) for word in text.split()), box=box))
    return PageText(
        width_mm=210, height_mm=297, languages=("deu",), blocks=(Block(paragraphs=(Paragraph(lines=tuple(made)),)),)
    )


class FakeRecogniser:
    """A recogniser that reads the same on every page, except where it breaks off; counts how often it is asked.

    Args:
        text: what it reads.
        breaks_off_at: at which times of being asked.
    """

    def __init__(self, text: PageText, breaks_off_at: Container[int] = ()) -> None:
        self.text = text
        self.breaks_off_at = breaks_off_at
        self.asked = 0

    def find_upright(self, picture: bytes, dpi: float) -> TurnEstimate:
        """Tell nothing."""
        return TurnEstimate(0, 0.0)

    def languages(self) -> frozenset[str]:
        """Return what it can read."""
        return frozenset({"deu", "eng"})

    def in_background(self) -> "FakeRecogniser":
        """Return itself."""
        return self

    def read(
        self, page: Readable, languages: Sequence[str], care: Care, cancelled: threading.Event | None = None
    ) -> PageText:
        """Read, or break off."""
        self.asked += 1
        if self.asked in self.breaks_off_at:
            raise RecogniserFailed("The recogniser took longer than 120 s.", None, "")
        return self.text
