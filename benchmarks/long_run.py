"""One run of 200 sheets at a feeder's speed: how soon pages are seen and judged, memory, answers, the browser.

A4 in colour at 300 dpi, both sides, 60 pages a minute, every picture its own; the feeder holds 60 sheets and is filled
up as it goes. The pictures are drawn before the run, so that drawing them takes nothing from it.

    python -m benchmarks.long_run [--sheets 200]
"""

import argparse
import os
import statistics
import tempfile
import threading
import time
from contextlib import ExitStack
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

import httpx
from selenium import webdriver
from sqlalchemy import select

from benchmarks.desk import chromium, memory
from benchmarks.processes import proportional_mb
from benchmarks.whole_way import CLERK, PAPERS, SEED, TICKET, Bench, running
from papiermappe.devices.escl import EsclClient
from papiermappe.services import runs
from papiermappe.services.views import mappe_changes
from papiermappe.store.models import Capture, Page

PAGE_S = 1.0
SIDE_S = 0.6
"""Of the stand-in's feeder, at its own speed."""
FILL_BELOW, FILL_BY = 30, 20
EVERY_S = 0.1
SEEN_S = 600.0


@dataclass
class Watched:
    """What was seen of a run while it went."""

    shown_s: dict[int, float] = field(default_factory=dict)
    """Of each page by its id: from its keeping until its picture is in a window."""
    judged_s: dict[int, float] = field(default_factory=dict)
    """The same until it is analysed."""
    answers_ms: list[float] = field(default_factory=list)
    resident_mb: list[float] = field(default_factory=list)
    browser: list[tuple[float, int]] = field(default_factory=list)
    """Memory of scripts in MB and nodes, at the first quarter and at the end."""


def main() -> None:
    """Measure and print."""
    options = argparse.ArgumentParser(description="One long run at a feeder's speed.")
    options.add_argument("--sheets", type=int, default=200)
    sheets = options.parse_args().sheets
    with tempfile.TemporaryDirectory(prefix="papiermappe-bench-") as folder, ExitStack() as stack:
        bench = stack.enter_context(running(Path(folder), PAGE_S / SIDE_S))
        laid = [{"original": PAPERS[at % len(PAPERS)], "seed": SEED + at} for at in range(sheets)]
        draw_all(bench, laid)
        watched, after_s = scan(bench, laid, stack.enter_context(chromium()))
    print(f"{os.cpu_count()} cores, {datetime.now(UTC):%Y-%m-%d}, {2 * sheets} pages, one every {PAGE_S} s")
    for name, value in rows(watched, after_s):
        print(f"  {name:<62} {value}")


def rows(watched: Watched, after_s: float) -> list[tuple[str, str]]:
    """Return the figures."""
    shown_s, judged_s = sorted(watched.shown_s.values()), sorted(watched.judged_s.values())
    quarter = max(1, len(watched.answers_ms) // 4)
    first_ms, last_ms = (
        statistics.median(part) for part in (watched.answers_ms[:quarter], watched.answers_ms[-quarter:])
    )
    (before_mb, before_nodes), (after_mb, after_nodes) = watched.browser
    return [
        ("from keeping a page until its picture can be seen, median", f"{statistics.median(shown_s):.2f} s"),
        ("    worst", f"{shown_s[-1]:.2f} s"),
        ("until it is judged, median", f"{statistics.median(judged_s):.2f} s"),
        ("    worst", f"{judged_s[-1]:.2f} s"),
        ("until the queue is empty, from the last page", f"{after_s:.1f} s"),
        ("answer with a station, median, first and last quarter", f"{first_ms:.0f}, {last_ms:.0f} ms"),
        ("memory of worker, web server and PostgreSQL, most", f"{max(watched.resident_mb):.0f} MB"),
        ("scripts of the browser, first quarter and end", f"{before_mb:.1f}, {after_mb:.1f} MB"),
        ("nodes of the browser, first quarter and end", f"{before_nodes}, {after_nodes}"),
    ]


def draw_all(bench: Bench, laid: list[dict[str, object]]) -> None:
    """Have the stand-in draw all pictures once, by scanning them past the desk."""
    filler = Filler(bench, laid)
    while filler.fill():
        with EsclClient(bench.escl_url) as client:
            job = client.start(TICKET)
            while client.next_page(job) is not None:
                pass


class Filler:
    """Lays sheets into the feeder, as many as it holds at a time."""

    def __init__(self, bench: Bench, laid: list[dict[str, object]]) -> None:
        self._drawer = bench.drawer_url
        self._waiting = list(laid)
        httpx.post(f"{self._drawer}/take-out", json={}, trust_env=False)

    def fill(self) -> bool:
        """Lay in some more where few are left; say whether there was paper to lay."""
        if not self._waiting:
            return False
        in_feeder = len(httpx.get(f"{self._drawer}/paper", trust_env=False).json()["feeder"])
        if in_feeder < FILL_BELOW:
            now, self._waiting = self._waiting[:FILL_BY], self._waiting[FILL_BY:]
            for sheet in now:
                httpx.post(f"{self._drawer}/lay-sheet", json=sheet, trust_env=False).raise_for_status()
        return True


def scan(bench: Bench, laid: list[dict[str, object]], driver: webdriver.Chrome) -> tuple[Watched, float]:
    """Scan all in one run with a window open; return what was seen, and how long after the last page all was judged."""
    mappe = bench.open("A long run")
    watched = Watched()
    driver.get(f"{bench.web_url}/mappen/{mappe}/intake")
    filler = Filler(bench, laid)
    filler.fill()
    runs.start_run(CLERK, bench.store, mappe, bench.device, TICKET)
    over = threading.Event()
    sampler = threading.Thread(target=_sample, args=(bench, mappe, watched, over))
    sampler.start()
    pages, seen_at, live = 2 * len(laid), 0, True
    deadline_s = time.monotonic() + SEEN_S + PAGE_S * pages
    last_in_s = 0.0
    while time.monotonic() < deadline_s:
        filler.fill()
        live, seen_at = _changes(bench, mappe, seen_at, watched, live)
        if not watched.browser and len(watched.shown_s) >= pages // 4:
            watched.browser.append(memory(driver))
        if not live and not last_in_s:
            last_in_s = time.monotonic()
        if last_in_s and len(watched.judged_s) >= pages:
            break
        time.sleep(EVERY_S)
    else:
        raise TimeoutError(f"{len(watched.judged_s)} of {pages} pages are judged")
    after_s = time.monotonic() - last_in_s
    watched.browser.append(memory(driver))
    over.set()
    sampler.join()
    return watched, after_s


def _changes(bench: Bench, mappe: int, since: int, watched: Watched, live: bool) -> tuple[bool, int]:
    """Note the pages that have come or been judged since; return whether the run goes on, and how far was looked."""
    changes, _ = mappe_changes(CLERK, bench.store, mappe, since)
    for page in changes.pages:
        if page.id not in watched.shown_s:
            small = f"{bench.web_url}/pages/{page.id}/scan-{page.scan}-lane.jpg"
            httpx.get(small, trust_env=False, timeout=60).raise_for_status()
            watched.shown_s[page.id] = _age_s(bench, page.id)
        if page.analysed and page.id not in watched.judged_s:
            watched.judged_s[page.id] = _age_s(bench, page.id)
    return (any(run.live for run in changes.runs) if changes.runs else live), changes.cursor


def _age_s(bench: Bench, page_id: int) -> float:
    with bench.store.begin() as session:
        arrived = session.scalars(select(Capture.arrived_at).join(Page).where(Page.id == page_id)).one()
    return (datetime.now(UTC) - arrived).total_seconds()


def _sample(bench: Bench, mappe: int, watched: Watched, over: threading.Event) -> None:
    """Ask for a station and add up the memory, once a second, until it is over."""
    while not over.wait(1.0):
        began_s = time.perf_counter()
        httpx.get(f"{bench.web_url}/mappen/{mappe}/order", trust_env=False, timeout=60).raise_for_status()
        watched.answers_ms.append(1000 * (time.perf_counter() - began_s))
        watched.resident_mb.append(proportional_mb(list(bench.processes.values())))


if __name__ == "__main__":
    main()
