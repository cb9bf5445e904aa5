"""Pages a minute of the whole way, and where the time goes.

A4 in colour at 300 dpi, both sides, from the feeder of a stand-in without waiting whose pictures are drawn beforehand;
through device client, store, looking at the page, to a filed PDF. Everything runs as separate processes on this
machine: stand-in, PostgreSQL (with fsync), one worker with its two processes, web server, and a window that listens.

    python -m benchmarks.whole_way [--sheets 20] [--level lean] [--read fast]

Where the time goes is told as the CPU that each kind of process takes: cores are kept busy if it adds up to two.
"""

import argparse
import json
import os
import platform
import statistics
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

import httpx
from sqlalchemy import Select, func, select

from benchmarks.processes import cpu_used_s
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.encode.level import Level
from papiermappe.core.pages import examine, page_jpeg
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.devices.escl import EsclClient, Limits
from papiermappe.devices.model import TicketSettings
from papiermappe.local.ports import free_run
from papiermappe.local.postgres import PrivatePostgres
from papiermappe.local.processes import Child
from papiermappe.services import destinations, devices, filing, keeping, mappen, runs
from papiermappe.services.caller import Caller
from papiermappe.services.filing import FilingRequest
from papiermappe.services.pictures import PictureSize
from papiermappe.services.reading import NOT_READ, Reading
from papiermappe.services.views import mappe_changes
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.migration import migrate
from papiermappe.store.models import Delivery, DeliveryState, Document, Page, Run, RunOrigin, RunState

PAPERS = ("lease", "delivery-118", "hail", "letter-share", "german", "invoice", "letter-store", "picture")
TICKET = TicketSettings()
SEED = 300
LEAST_TOLD_S = 0.1
WARMING_SHEETS, WARMING_SEED = 4, 900
ALONE_PAGES = 12
PREVIEW_PX = 1000

T = TypeVar("T")
CLERK = Caller("clerk")


def main() -> None:
    """Measure and print."""
    options = argparse.ArgumentParser(description="Pages a minute of the whole way.")
    options.add_argument("--sheets", type=int, default=20)
    options.add_argument("--level", type=Level, choices=list(Level), default=Level.LEAN)
    options.add_argument("--read", type=RecognitionMode, choices=list(RecognitionMode), help="make it searchable")
    asked = options.parse_args()
    sheets: int = asked.sheets
    wanted = FilingRequest((), asked.level, Reading("eng", asked.read) if asked.read else NOT_READ)
    with tempfile.TemporaryDirectory(prefix="papiermappe-bench-") as folder, running(Path(folder)) as bench:
        rows = bench.whole_way(sheets, wanted)
        alone = bench.alone()
    print(f"{os.cpu_count()} cores, Python {platform.python_version()}, {datetime.now(UTC):%Y-%m-%d}")
    said = f"{asked.level}, {f'read, {asked.read}' if asked.read else 'not read'}"
    print(f"{sheets} sheets, {2 * sheets} pages, A4 colour 300 dpi, feeder, both sides, {said}\n")
    for title, table in (("whole way", rows), ("one page alone, median", alone)):
        print(f"{title:<58} value")
        for name, value in table:
            print(f"  {name:<56} {value}")
        print()


class Bench:
    """A running desk.

    Args:
        store: rows and files.
        standin_port: of the paper drawer.
        web_url: of the web server.
        folder: where files go.
        processes: by what they are called; not the stand-in's.
    """

    def __init__(
        self, store: Store, standin_port: int, web_url: str, folder: Path, processes: Mapping[str, int]
    ) -> None:
        self.processes = processes
        self.store = store
        self.drawer_url = f"http://127.0.0.1:{standin_port}/devices/zaunkoenig"
        self.escl_url = f"http://127.0.0.1:{standin_port + 2}/eSCL"
        self.web_url = web_url
        self.device = devices.add_device(CLERK, store, self.escl_url, Limits())
        self._destination = destinations.add_folder(CLERK, store, "Bench", folder / "filed")

    def open(self, subject: str) -> int:
        """Open a Mappe."""
        return mappen.open_mappe(CLERK, self.store, subject)

    def all_analysed(self, mappe: int) -> float:
        """Wait until all pages of a Mappe are analysed; return when that was."""
        until(lambda: all(page.analysed for page in mappe_changes(CLERK, self.store, mappe, 0)[0].pages))
        return time.perf_counter()

    def lay(self, sheets: int, seed: int) -> None:
        """Lay sheets into the feeder: the same ones for a seed."""
        httpx.post(f"{self.drawer_url}/take-out", json={}, trust_env=False)
        for at in range(sheets):
            sheet = {"original": PAPERS[at % len(PAPERS)], "seed": seed + at}
            httpx.post(f"{self.drawer_url}/lay-sheet", json=sheet, trust_env=False).raise_for_status()

    def draw(self, sheets: int, seed: int) -> None:
        """Have the stand-in draw the pictures of sheets, by scanning them past the desk."""
        self.lay(sheets, seed)
        with EsclClient(self.escl_url) as client:
            job = client.start(TICKET)
            while client.next_page(job) is not None:
                pass

    def file_sheets(self, sheets: int, wanted: FilingRequest) -> None:
        """Scan and file sheets that are not measured."""
        self.lay(sheets, WARMING_SEED)
        self._scan_and_file(wanted, lambda _: None)

    def whole_way(self, sheets: int, wanted: FilingRequest) -> list[tuple[str, str]]:
        """Scan and file sheets that are new to the desk, listening as a window does; others come before them."""
        self.draw(sheets, SEED)
        self.file_sheets(WARMING_SHEETS, wanted)
        self.lay(sheets, SEED)
        delays: list[float] = []
        pages = 2 * sheets

        def listen(mappe: int) -> None:
            threading.Thread(target=self._listen, args=(mappe, pages, delays), daemon=True).start()

        before = cpu_used_s(self.processes)
        taken_s, looked_s, filed_s, size = self._scan_and_file(wanted, listen)
        after = cpu_used_s(self.processes)
        used = {who: cpu_s for who in after if (cpu_s := after[who] - before.get(who, 0.0)) >= LEAST_TOLD_S}
        whole_s = looked_s + filed_s
        return [
            ("pages a minute, feeder to filed PDF", f"{60 * pages / whole_s:.0f}"),
            ("pages a minute taken in", f"{60 * pages / taken_s:.0f}"),
            ("until the last page is in", f"{taken_s:.1f} s"),
            ("until all pages are analysed, counted from the start", f"{looked_s:.1f} s"),
            ("making and filing the PDF", f"{filed_s:.1f} s, {size / 1e6:.2f} MB"),
            ("kept until its picture is in a window, median", f"{1000 * statistics.median(delays):.0f} ms"),
            ("kept until its picture is in a window, worst", f"{1000 * max(delays):.0f} ms"),
            ("cores in use, mean", f"{sum(used.values()) / whole_s:.2f}"),
            *((f"CPU a page: {who}", f"{1000 * cpu_s / pages:.0f} ms") for who, cpu_s in used.items()),
        ]

    def alone(self) -> list[tuple[str, str]]:
        """Time the steps one after the other, in this process, with nothing else running."""
        self.lay(ALONE_PAGES // 2, SEED)
        mappe = mappen.open_mappe(CLERK, self.store, "Alone")
        with EsclClient(self.escl_url) as client, self.store.begin() as session:
            run = Run(
                mappe_id=mappe, number=1, origin=RunOrigin.SCANNER, device_id=self.device,
                ticket=TICKET.model_dump(mode="json"), first_sheet=1, state=RunState.RECEIVING,
            )  # fmt: skip
            session.add(run)
            session.flush()
            run_id = run.id
            job = client.start(TICKET)
            captures = []
            fetching: list[float] = []
            while (data := timed(fetching, client.next_page, job)) is not None:
                captures.append(CapturedPicture(data, TICKET.dpi))
        steps: dict[str, list[float]] = {"kept": [], "looked": [], "made": [], "preview": []}
        for capture in captures:
            place = runs.next_place(*runs.read_run(self.store, run_id))
            timed(steps["kept"], keeping.keep_capture, self.store, run_id, place, capture)
            found = timed(steps["looked"], examine, capture, (PictureSize.LANE.width_px,), THUMBNAIL_QUALITY)
            timed(steps["made"], page_jpeg, capture, found.analysis.treatment)
            timed(steps["preview"], page_jpeg, capture, found.analysis.treatment, PREVIEW_PX)
        runs.end(CLERK, self.store, run_id, RunState.DONE)
        names = {
            "kept": "kept: small picture, flushed to disk, committed",
            "looked": "analysed: all that is found, treated small picture",
            "made": "made for the file: straightened, cropped, JPEG",
            "preview": "preview 1000 px wide",
        }
        return [
            ("handed over by the device, loopback", milliseconds(fetching[:-1])),
            *((names[step], milliseconds(times)) for step, times in steps.items()),
        ]

    def _scan_and_file(self, wanted: FilingRequest, listen: Callable[[int], None]) -> tuple[float, float, float, int]:
        mappe = mappen.open_mappe(CLERK, self.store, "Bench")
        listen(mappe)
        start_s = time.perf_counter()
        runs.start_run(CLERK, self.store, mappe, self.device, TICKET)
        until(lambda: not self._asked(select(Run.state).where(Run.mappe_id == mappe)).live)
        taken_s = time.perf_counter() - start_s
        waiting = select(func.count()).where(Page.mappe_id == mappe, Page.analysis.is_(None))
        until(lambda: self._asked(waiting) == 0)
        looked_s = time.perf_counter() - start_s
        start_s = time.perf_counter()
        there = wanted._replace(destinations=(self._destination,))
        made = filing.request_filing(CLERK, self.store, mappe, there, datetime.now(UTC))
        delivered = (
            select(Document.byte_size)
            .join(Delivery)
            .where(Document.filing_id == made, Delivery.state == DeliveryState.DELIVERED)
        )
        until(lambda: self._asked(delivered) is not None)
        return taken_s, looked_s, time.perf_counter() - start_s, self._asked(delivered)

    def _asked(self, question: Select[Any]) -> Any:
        """Return what the database says; a view of the Mappe would take a third of a core, asked for so often."""
        with self.store.begin() as session:
            return session.scalar(question)

    def _listen(self, mappe: int, pages: int, delays: list[float]) -> None:
        """Be a window: fetch the small picture of each page that arrives, note how long after its keeping that was."""
        seen: set[int] = set()
        with (
            httpx.Client(trust_env=False, timeout=60) as http,
            http.stream("GET", f"{self.web_url}/mappen/{mappe}/events") as events,
        ):
            for line in events.iter_lines():
                if not line.startswith('data: {"changes"'):
                    continue
                for page in json.loads(line.removeprefix("data: "))["changes"]["pages"]:
                    if page["id"] in seen:
                        continue
                    seen.add(page["id"])
                    httpx.get(f"{self.web_url}/pages/{page['id']}/scan-{page['scan']}-lane.jpg", trust_env=False)
                    delays.append(self._age_s(page["id"]))
                if len(seen) == pages:
                    return

    def _age_s(self, page_id: int) -> float:
        with self.store.begin() as session:
            arrived: datetime = session.get_one(Page, page_id).capture.arrived_at
        return (datetime.now(UTC) - arrived).total_seconds()


def timed(times: list[float], step: Callable[..., T], *arguments: object) -> T:
    """Run a step and note its time."""
    start_s = time.perf_counter()
    result = step(*arguments)
    times.append(time.perf_counter() - start_s)
    return result


def milliseconds(times: list[float]) -> str:
    """Return the median for people."""
    return f"{1000 * statistics.median(times):.0f} ms"


def until(condition: Callable[[], bool]) -> None:
    """Wait."""
    while not condition():
        time.sleep(0.05)


@contextmanager
def running(folder: Path, pace: float = 0.0) -> Iterator[Bench]:
    """Start everything in a folder; stop it in the end. With a pace of 1 the stand-in has its own speed."""
    folder.chmod(0o755)
    server = PrivatePostgres(folder / "postgres")
    children: list[Child] = []
    try:
        server.start()
        url = server.create_database("bench")
        migrate(url)
        web_port, standin_port = free_run(1, 24_000), free_run(4, 25_000)
        environment = {
            **os.environ, "PAPIERMAPPE_DATABASE_URL": url, "PAPIERMAPPE_DATA_DIR": str(folder),
            "PAPIERMAPPE_PORT": str(web_port), "PAPIERMAPPE_DISCOVERY": "nowhere",
        }  # fmt: skip
        commands = {
            "standin": ["standin", "--port", str(standin_port), "--pace", str(pace)],
            "worker": ["worker"],
            "web": ["web"],
        }
        children = [Child(name, arguments, environment, folder / f"{name}.log") for name, arguments in commands.items()]
        for child in children:
            child.start()
        store = Store(url, Blobs.in_folder(folder / "blobs"))
        web_url = f"http://127.0.0.1:{web_port}"
        for address in (f"{web_url}/health", f"http://127.0.0.1:{standin_port}/devices/zaunkoenig/paper"):
            until(partial(answers, address))
        processes = {child.name: child.process.pid for child in children if child.process and child.name != "standin"}
        processes["database"] = int(next(folder.glob("postgres/**/postmaster.pid")).read_text().split()[0])
        yield Bench(store, standin_port, web_url, folder, processes)
        store.close()
    finally:
        for child in reversed(children):
            child.stop()
        server.stop()


def answers(address: str) -> bool:
    """Whether something answers well at an address."""
    try:
        return httpx.get(address, trust_env=False).status_code == 200
    except httpx.HTTPError:
        return False


if __name__ == "__main__":
    main()
