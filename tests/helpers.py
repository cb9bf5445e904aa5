"""What tests do over and over: laying paper, waiting, reading the truth."""

import contextlib
import hashlib
import io
import os
import pickle
import threading
import time
from collections.abc import Callable, Container, Sequence
from datetime import datetime
from decimal import Decimal
from typing import Any, NamedTuple
from zlib import crc32

import cv2
import httpx
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from sqlalchemy import select, text

from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.plain import Readable
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import Operation
from papiermappe.core.order.places import Side
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, RecognitionMode, Word
from papiermappe.core.treatment import Treatment
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Sides, Source, TicketSettings
from papiermappe.local.ports import free_run
from papiermappe.recognition.errors import RecogniserFailed
from papiermappe.recognition.model import TextRecogniser
from papiermappe.services import analysing, delivering, filing, journal, making, mappen, runs, undoing
from papiermappe.services.caller import Caller
from papiermappe.services.filing import FilingRequest
from papiermappe.services.making import Tools
from papiermappe.services.page_cache import PageCache
from papiermappe.services.page_details import PageDetail, page_detail
from papiermappe.services.page_views import PageView
from papiermappe.services.printed import PrintedView, printed_view
from papiermappe.services.receiving import receive
from papiermappe.services.views import mappe_view
from papiermappe.store.database import Store
from papiermappe.store.models import Document
from papiermappe.store.queue import JobKind
from papiermappe.store.secrets import SecretBox
from papiermappe.words import Words

ANNA, BEN = Caller("anna"), Caller("ben")
WORDS = Words.of("en-GB")
PATIENCE_S = 180.0
"""How long a test waits for what must come: a shared machine can be twenty times slower than a quiet one."""
LOOK_EVERY_S = 0.03
PORTS = {"kiebitz": 1, "zaunkoenig": 2, "stieglitz": 3}
QUICK = TicketSettings(source=Source.FEEDER, sides=Sides.BOTH, dpi=100)
QUICK_ONE_SIDE = TicketSettings(source=Source.FEEDER, sides=Sides.ONE, dpi=100)
QUICK_GLASS = TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=100)


def free_ports(count: int = 1) -> int:
    """Return the first of `count` free ports, from a range that only this process of the tests takes ports from."""
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
    run = crc32(os.environ.get("PYTEST_XDIST_TESTRUNUID", str(os.getpid())).encode())  # another run may be under way
    start = 10_000 + 100 * ((run + worker) % 100)
    return free_run(count, start, start + 100)


def here(function: Callable[..., Any], /, *arguments: object) -> Any:
    """Compute in this process."""
    return function(*arguments)


_COMPUTED: dict[bytes, Any] = {}


def once(function: Callable[..., Any], /, *arguments: object) -> Any:
    """Compute in this process what has not been computed before: many tests scan the same paper."""
    key = hashlib.sha256(pickle.dumps((function.__qualname__, arguments))).digest()
    if key not in _COMPUTED:
        _COMPUTED[key] = function(*arguments)
    return _COMPUTED[key]


def wait_until(
    condition: Callable[[], object], patience_s: float = PATIENCE_S, not_yet: tuple[type[Exception], ...] = ()
) -> None:
    """Wait for something to become true.

    Between two questions it waits twice as long as the first took: what is waited for needs the machine, too.

    Args:
        condition: asked until it holds.
        patience_s: for so long.
        not_yet: where asking raises one of these, it does not hold.
    """
    until_s = time.monotonic() + patience_s
    while True:
        asked_s = time.monotonic()
        with contextlib.suppress(*not_yet):
            if condition():
                return
        now_s = time.monotonic()
        assert now_s < until_s, "it did not happen in time"
        time.sleep(max(LOOK_EVERY_S, 2 * (now_s - asked_s)))


def _seen_by_a_camera() -> NDArray[np.float64]:
    """Return where a camera sees the corners of a sheet of A4 that lies slanting, half a metre away."""
    sheet_mm = np.array([(-105, -148.5, 0), (105, -148.5, 0), (105, 148.5, 0), (-105, 148.5, 0)])
    turn = cv2.Rodrigues(np.array([0.4, 0.2, 0.1]))[0]
    placed = sheet_mm @ turn.T + np.array([0, 0, 500])
    return np.asarray(placed[:, :2] / placed[:, 2:] * 1400 + np.array([749.5, 599.5]))


PHOTOGRAPHED = _seen_by_a_camera()
"""Where the corners of the sheet are on a `photograph`, (4, 2), in px, pixel centres at whole numbers."""


def photograph(page: Pixels, names_camera: bool = True) -> bytes:
    """Return a JPEG, 1500 x 1200 px, of a sheet of A4 that lies on a dark table and is seen slanting.

    Args:
        page: what is on it, grey (h, w) or RGB (h, w, 3).
        names_camera: whether the file says that a camera took it.
    """
    sheet = page if page.ndim == 3 else np.dstack([page] * 3)
    height, width = sheet.shape[:2]
    own = np.array([(-0.5, -0.5), (width - 0.5, -0.5), (width - 0.5, height - 0.5), (-0.5, height - 0.5)], np.float32)
    carry = cv2.getPerspectiveTransform(own, np.array(PHOTOGRAPHED, np.float32))
    seen = cv2.warpPerspective(sheet, carry, (1500, 1200), flags=cv2.INTER_AREA)
    cover = cv2.warpPerspective(np.full(sheet.shape, 255, np.uint8), carry, (1500, 1200)) / 255
    table = np.random.default_rng(3).normal((62, 50, 41), 3, seen.shape)
    return camera_jpeg((table * (1 - cover) + seen * cover).clip(0, 255).astype(np.uint8), names_camera)


def camera_jpeg(pixels: Pixels, names_camera: bool = True) -> bytes:
    """Return a picture as a camera would save it, or as one that does not say what took it."""
    file = io.BytesIO()
    exif = Image.Exif()
    if names_camera:
        exif.get_ifd(0x8769)[0x829A] = 0.02  # exposed for a fiftieth of a second
    Image.fromarray(pixels).save(file, "JPEG", quality=92, exif=exif, dpi=(72, 72))
    return file.getvalue()


class Drawer:
    """The paper drawer of stand-in scanners at a port."""

    def __init__(self, port: int) -> None:
        self.port = port
        self._http = httpx.Client(base_url=f"http://127.0.0.1:{port}", trust_env=False, timeout=PATIENCE_S)

    def wait(self, patience_s: float = PATIENCE_S) -> None:
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

    def is_gone(self, key: str) -> bool:
        """Tell whether a device is gone from the network."""
        return bool(self.paper(key)["gone"])

    def paper(self, key: str) -> dict[str, Any]:
        """Return what lies in a device, and what is wrong with it."""
        return dict(self._http.get(f"/devices/{key}/paper").json())

    def forget_jobs(self, key: str = "zaunkoenig") -> None:
        """Switch a device off and on."""
        self._post(f"/devices/{key}/restart", {})

    def reset(self, key: str) -> None:
        """Empty a device and make it well."""
        for step in (self.clear, self.take_out, self.trouble):
            step(key)
        http = httpx.Client(base_url=self.escl(key), trust_env=False)
        until_s = time.monotonic() + PATIENCE_S
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

    def on_glass(self, key: str) -> int:
        """Count the originals on the glass."""
        paper = self._http.get(f"/devices/{key}/paper").json()
        return (paper["glass"] is not None) + len(paper["beside"])

    def truth(self, key: str = "zaunkoenig") -> list[dict[str, Any]]:
        """Return what is really on the pictures of the newest job."""
        jobs: dict[str, list[dict[str, Any]]] = self._http.get(f"/devices/{key}/truth").json()
        return list(jobs.values())[-1]

    def _post(self, path: str, body: dict[str, Any]) -> None:
        self._http.post(path, json=body).raise_for_status()


class Desk:
    """A Mappe as a window shows it.

    Args:
        store: of the Mappe.
        mappe_id: of the Mappe.
        caller: who looks.
    """

    def __init__(self, store: Store, mappe_id: int, caller: Caller) -> None:
        self.cursor, rows = PageCache().pages_of(caller, store, mappe_id)
        self.view = mappe_view(caller, store, mappe_id)
        self.printed: PrintedView = printed_view([row.printed for row in rows])
        self.pages: list[PageView] = sorted((row.view for row in rows), key=_place)
        self.runs = self.view.runs
        self.filings = self.view.filings
        self.set_aside = [page.id for page in self.pages if page.set_aside]
        self.order = [page.id for page in self.pages if not page.set_aside]
        self.history = [WORDS.text(line.message) for line in self.view.history]
        self._store, self._caller = store, caller

    @property
    def lanes(self) -> list[tuple[int | None, int | None]]:
        """Front and back of each sheet."""
        lanes: dict[str, list[int | None]] = {}
        for page in self.pages:
            if not page.set_aside:
                lanes.setdefault(page.rank, [None, None])[page.side is Side.BACK] = page.id
        return [(front, back) for front, back in lanes.values()]

    @property
    def analysed(self) -> bool:
        """Whether all pages are."""
        return all(page.analysed for page in self.pages)

    def treatments(self) -> list[Treatment]:
        """Return those of all pages, in reading order."""
        return [self.detail(page.id).treatment for page in self.pages]

    def detail(self, page_id: int) -> PageDetail:
        """Return all that is told of a page."""
        return page_detail(self._caller, self._store, page_id)

    @property
    def undo(self) -> str | None:
        """What undo would do, in words."""
        line = self.view.undo[self._caller.author].undo
        return WORDS.text(line.message) if line else None

    @property
    def redo(self) -> str | None:
        """What redo would do, in words."""
        line = self.view.undo[self._caller.author].redo
        return WORDS.text(line.message) if line else None


def _place(page: PageView) -> tuple[Decimal, bool]:
    return Decimal(page.rank), page.side is Side.BACK


def desk(store: Store, mappe_id: int, caller: Caller = ANNA) -> Desk:
    """Return a Mappe as it is."""
    return Desk(store, mappe_id, caller)


def do(store: Store, mappe_id: int, operation: Operation, seen: int | None = None, caller: Caller = ANNA) -> int | None:
    """Do an operation; unless told otherwise, by somebody who has seen everything."""
    known = desk(store, mappe_id).cursor if seen is None else seen
    return journal.apply_operation(caller, store, mappe_id, operation, known)


def undo(store: Store, mappe_id: int, caller: Caller = ANNA) -> int:
    """Take back what the person did last."""
    return undoing.undo(caller, store, mappe_id)


def redo(store: Store, mappe_id: int, caller: Caller = ANNA) -> int:
    """Do again what the person took back last."""
    return undoing.redo(caller, store, mappe_id)


def scan(store: Store, mappe_id: int, device_id: int, ticket: TicketSettings = QUICK) -> int:
    """Scan what lies in a device, as a worker would; return the run."""
    run = runs.start_run(ANNA, store, mappe_id, device_id, ticket)
    receive(store, run, Limits())
    return run


def scan_booklet(store: Store, device_id: int, ticket: TicketSettings, spreads: int = 2) -> int:
    """Scan the cover and some spreads of the booklet on a glass; return the Mappe, whose pages are analysed."""
    mappe = mappen.open_mappe(ANNA, store, "Pruning handbook")
    run = runs.start_run(ANNA, store, mappe, device_id, ticket)
    receive(store, run, Limits())
    for _ in range(spreads):
        runs.next_sheet(ANNA, store, run)
        receive(store, run, Limits())
    runs.stop(ANNA, store, run)
    analyse_all(store, mappe)
    return mappe


def analyse_all(store: Store, mappe_id: int) -> None:
    """Analyse all pages, as a worker would."""
    for page in desk(store, mappe_id).pages:
        analysing.analyse_page(store, page.id, once, DEFAULT_LIMIT_PX)


def drop_jobs(store: Store, *kinds: JobKind) -> None:
    """Take jobs out of the queue, as they are once a worker has done them."""
    with store.begin() as session:
        session.execute(text("delete from procrastinate_jobs where task_name = any(:kinds)"), {"kinds": list(kinds)})


def request(store: Store, mappe_id: int, destination: int, now: datetime, **wanted: Any) -> int:
    """Ask for a document."""
    return filing.request_filing(ANNA, store, mappe_id, FilingRequest((destination,), **wanted), now)


def make(
    store: Store, filing_id: int, recogniser: TextRecogniser | None = None, secrets: SecretBox | None = None
) -> None:
    """Make a document and deliver it, as workers would."""
    making.make_documents(store, filing_id, Tools(here, recogniser, DEFAULT_LIMIT_PX, secrets, WORDS))
    with store.begin() as session:
        deliveries = [delivery.id for delivery in filing.deliveries_of(session, filing_id)]
    for delivery in deliveries:
        delivering.deliver(store, delivery, secrets, WORDS)


def document_id(store: Store, filing_id: int, number: int = 1) -> int:
    """Return the number of a document that a filing makes."""
    with store.begin() as session:
        of_filing = select(Document.id).where(Document.filing_id == filing_id, Document.number == number)
        return session.scalars(of_filing).one()


class MadeDocument(NamedTuple):
    """A document that a filing has made."""

    file_name: str
    data: bytes


def made_document(store: Store, filing_id: int, number: int = 1) -> MadeDocument:
    """Return a document that a filing has made."""
    made = delivering.filed_document(ANNA, store, document_id(store, filing_id, number))
    return MadeDocument(made.file_name, b"".join(delivering.bytes_of(store, made.sha256, 0, made.byte_size)))


def page_saying(*lines: str, at_mm: float = 20.0) -> PageText:
    """Return an A4 page of what was read in German: a paragraph of lines, the first at a height."""
    made = []
    for number, said in enumerate(lines):
        top = at_mm + 8 * number
        box = BoxMm(left=20, top=top, right=100, bottom=top + 6)
        made.append(Line(words=tuple(Word(text=word, box=box, confidence=0.9) for word in said.split()), box=box))
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
        self, page: Readable, languages: Sequence[str], mode: RecognitionMode, cancelled: threading.Event | None = None
    ) -> PageText:
        """Read, or break off."""
        self.asked += 1
        if self.asked in self.breaks_off_at:
            raise RecogniserFailed("recogniser_too_slow", None, "", limit_s=120)
        return self.text
