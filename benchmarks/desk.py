"""The desk with a Mappe of 500 pages: what an event weighs and costs, how quick answers are, how the browser keeps up.

A web server of its own process, PostgreSQL with fsync, five windows that listen, pages that arrive once a second.
Pages are small drawings: what is measured is the desk, not the eye.

    python -m benchmarks.desk [--pages 500] [--arrivals 60] [--only server,database,browser,moving]
"""

import argparse
import gzip
import math
import os
import statistics
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from selenium import webdriver
from selenium.webdriver import ActionChains
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.keys import Keys
from sqlalchemy import event

from benchmarks.table import Row
from papiermappe.core.analysis import Analysis
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.operations import Turn
from papiermappe.core.order.places import Side
from papiermappe.core.pages import page_jpeg
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import Cropping, Straightening, Treatment
from papiermappe.devices.model import Abilities, TicketSettings
from papiermappe.local.ports import free_run
from papiermappe.local.postgres import PrivatePostgres
from papiermappe.local.processes import Child
from papiermappe.services import devices, journal, keeping, mappen, runs
from papiermappe.services.analysing import record_analysis
from papiermappe.services.caller import MACHINE, Caller
from papiermappe.services.pictures import PictureSize
from papiermappe.services.views import mappe_changes
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.database import Store
from papiermappe.store.migration import migrate
from papiermappe.store.models import RunState

WINDOWS = 5
CLERK = Caller("clerk")
STATIONS = ("intake", "order", "tidy", "file")
EVERY_S = 1.0
TICKS_S = os.sysconf("SC_CLK_TCK")
KEY_PRESSES, MOVES, CHANGES = 200, 120, 500
MOVED_SHEETS, MANY_MOVES = 300, 9
KEY_EVERY_S = 1 / 30  # as a held key repeats
WARMING_CHANGES = 100  # so that what the browser compiles and remembers once is not counted as growth


class Desk:
    """A web server on a database of its own, with a Mappe that fills."""

    def __init__(self, store: Store, url: str, web: Child) -> None:
        self.store = store
        self.url = url
        self._web = web
        abilities = Abilities(name="Bench")
        self._device = devices.record_device(CLERK, store, "http://127.0.0.1:9/eSCL", abilities)
        self._hand = np.random.default_rng(1)
        self._captures: dict[int, CapturedPicture] = {}

    def mappe(self, pages: int) -> tuple[int, int]:
        """Return a Mappe with so many pages, and the run that goes on bringing them in."""
        mappe = mappen.open_mappe(CLERK, self.store, f"Bench of {pages} pages")
        run = runs.start_run(CLERK, self.store, mappe, self._device, TicketSettings())
        for _ in range(pages):
            self.arrive(run)
        return mappe, run

    def end(self, run: int) -> None:
        """End a run, so that the device is free."""
        runs.end(MACHINE, self.store, run, RunState.DONE)

    def arrive(self, run: int) -> int:
        """Have a page arrive and be analysed, as device and worker would."""
        place = runs.next_place(*runs.read_run(self.store, run))
        capture = self._picture(place.side)
        page = keeping.keep_capture(self.store, run, place, capture)
        self._captures[page] = capture
        self.analysed(page)
        return page

    def analysed(self, page: int) -> None:
        """Have something be found on a page."""
        skew = Straightening(skew_deg=round(float(self._hand.normal(0, 0.3)), 3), confidence=0.97)
        corners = tuple((x + self._hand.normal(0, 0.2), y + self._hand.normal(0, 0.2)) for x, y in CORNERS)
        found = Treatment(straighten=skew, crop=Cropping(corners=corners, confidence=0.98))
        capture = self._captures[page]
        small = page_jpeg(capture, found, PictureSize.LANE.width_px)
        self.store.blobs.cache(Blobs.picture_key(found.picture_key(sha256_of(capture.data)), PictureSize.LANE), small)
        record_analysis(MACHINE, self.store, page, Analysis(treatment=found, findings=(), colour=ColourKind.GREY))

    def cpu_s(self) -> float:
        """Return how much of a core the web server has used."""
        pid = self._web.process.pid if self._web.process else 0
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        return (int(fields[11]) + int(fields[12])) / TICKS_S

    def _picture(self, side: Side) -> CapturedPicture:
        page = np.full((330, 240), 250, np.uint8)
        page[20 : 300 : 12 if side is Side.FRONT else 18, 20:220] = 40
        page[5, 5:9] = self._hand.integers(0, 255, 4)
        return CapturedPicture(encode_png(page), 28.0)


CORNERS = ((2.0, 2.0), (212.0, 2.0), (212.0, 299.0), (2.0, 299.0))


def server(desk: Desk, pages: int, arrivals: int) -> list[Row]:
    """Measure events and answers while pages arrive and five windows listen."""
    mappe, run = desk.mappe(pages)
    sizes: list[int] = []
    first = threading.Event()
    windows = [
        threading.Thread(target=listen, args=(desk.url, mappe, sizes if at == 0 else [], first), daemon=True)
        for at in range(WINDOWS)
    ]
    for window in windows:
        window.start()
    first.wait(20)
    time.sleep(2)
    sizes.clear()
    answers: list[float] = []
    stop = threading.Event()
    asking = threading.Thread(target=ask, args=(desk, mappe, answers, stop), daemon=True)
    idle_from, idle_s = desk.cpu_s(), time.monotonic()
    time.sleep(5)
    idle = (desk.cpu_s() - idle_from) / (time.monotonic() - idle_s)
    before_s, started_s = desk.cpu_s(), time.monotonic()
    for _ in range(arrivals):
        due_s = time.monotonic() + EVERY_S
        desk.arrive(run)
        time.sleep(max(0.0, due_s - time.monotonic()))
    busy_s = desk.cpu_s() - before_s - idle * (time.monotonic() - started_s)
    events = len(sizes)
    weights = list(sizes)
    asking.start()
    for _ in range(min(arrivals, 20)):
        desk.arrive(run)
        time.sleep(EVERY_S)
    stop.set()
    asking.join()
    desk.end(run)
    rows = [
        Row("an event, mean; largest", f"{statistics.mean(weights):.0f} B; {max(weights)} B", "4096 B mean"),
        Row("the web server's CPU an event, five windows", f"{1000 * busy_s / events:.1f} ms", "10 ms"),
        Row("events in all", str(events)),
        Row(f"an answer while pages arrive, {len(answers)} asked, median", milliseconds(statistics.median(answers))),
        Row("an answer while pages arrive, worst", milliseconds(max(answers)), "300 ms"),
    ]
    return rows + stations(desk, mappe)


def stations(desk: Desk, mappe: int) -> list[Row]:
    """Measure the pages of the stations."""
    rows = []
    with httpx.Client(base_url=desk.url, trust_env=False) as http:
        for station in STATIONS:
            times, size = [], 0
            for _ in range(9):
                start_s = time.perf_counter()
                answer = http.get(f"/mappen/{mappe}/{station}", headers={"Accept-Encoding": "gzip"})
                times.append(time.perf_counter() - start_s)
                size = int(answer.headers.get("content-length", len(gzip.compress(answer.content))))
            value = f"{size / 1000:.0f} KB, {milliseconds(statistics.median(times))}"
            rows.append(Row(f"the page of {station}, gzipped, median of 9", value, "60 KB, 80 ms"))
    return rows


def listen(url: str, mappe: int, sizes: list[int], first: threading.Event) -> None:
    """Be a window: note the size of each event."""
    with (
        httpx.Client(trust_env=False, timeout=600) as http,
        suppress(httpx.HTTPError),  # it ends with the server
        http.stream("GET", f"{url}/mappen/{mappe}/events") as lines,
    ):
        for line in lines.iter_lines():
            if line.startswith("data: {"):
                sizes.append(len(line.encode()))
                first.set()


def ask(desk: Desk, mappe: int, answers: list[float], stop: threading.Event) -> None:
    """Be busy in another window: change stations, look at pictures, turn pages."""
    changes, _ = mappe_changes(CLERK, desk.store, mappe, 0)
    with httpx.Client(base_url=desk.url, trust_env=False, headers={"Origin": desk.url}) as http:
        requests: list[Callable[[int], httpx.Response]] = [
            lambda at: http.get(f"/mappen/{mappe}/{STATIONS[at % 4]}"),
            lambda at: http.get(f"/pages/{changes.pages[at].id}/scan-{changes.pages[at].scan}-lane.jpg"),
            lambda at: http.get(f"/mappen/{mappe}/pages/{changes.pages[at].id}"),
            lambda at: http.post(
                f"/mappen/{mappe}/operations",
                json={"operation": {"kind": "turn", "pages": [changes.pages[at].id], "quarter_turns": 1}, "seen": 0},
            ),
            lambda at: http.post(
                f"/mappen/{mappe}/operations",
                json={"operation": {"kind": "nudge", "pages": [changes.pages[at].id], "by": 1}, "seen": 0},
            ),
        ]
        at = 0
        while not stop.is_set():
            start_s = time.perf_counter()
            requests[at % len(requests)](at % 300).raise_for_status()
            answers.append(time.perf_counter() - start_s)
            at += 1
            time.sleep(0.05)


def database(desk: Desk, pages: int) -> list[Row]:
    """Count the statements and rows that one more page takes, of 50 and of many."""
    rows = []
    for count in (50, pages):
        mappe, run = desk.mappe(count)
        cursor = mappe_changes(CLERK, desk.store, mappe, 0)[0].cursor
        with counted(desk.store) as work:
            page = desk.arrive(run)
            mappe_changes(CLERK, desk.store, mappe, cursor)
        rows.append(
            Row(f"one more page of {count}: statements, rows read", f"{work['statements']}, {work['rows']}", "equal")
        )
        with counted(desk.store) as work:
            journal.apply_operation(CLERK, desk.store, mappe, Turn(pages=(page,), quarter_turns=1), 0)
            mappe_changes(CLERK, desk.store, mappe, cursor)
        rows.append(
            Row(f"one turn of {count}: statements, rows read", f"{work['statements']}, {work['rows']}", "equal")
        )
        desk.end(run)
    return rows


@contextmanager
def counted(store: Store) -> Iterator[dict[str, int]]:
    """Count statements, and the rows that queries give."""
    work = {"statements": 0, "rows": 0}

    def note(_: object, cursor: Any, statement: str, *__: object) -> None:
        work["statements"] += 1
        if statement.lstrip().lower().startswith("select"):
            work["rows"] += max(cursor.rowcount, 0)

    event.listen(store.engine, "after_cursor_execute", note)
    try:
        yield work
    finally:
        event.remove(store.engine, "after_cursor_execute", note)


def browser(desk: Desk, pages: int) -> list[Row]:
    """Measure a window of many pages: keys, dragging, memory."""
    mappe, run = desk.mappe(pages)
    with chromium() as driver:
        driver.get(f"{desk.url}/mappen/{mappe}/order")
        until(lambda: driver.execute_script("return !!window.Alpine?.store('mappe')"))
        until(lambda: len(driver.find_elements("css selector", ".sheet")) >= pages // 2)
        time.sleep(2)
        keys = key_times_ms(driver)
        script_ms = drag_script_ms(driver)
        shown = [page.id for page in mappe_changes(CLERK, desk.store, mappe, 0)[0].pages]
        for at in range(WARMING_CHANGES):
            desk.analysed(shown[at % len(shown)])
        time.sleep(3)
        before = memory(driver)
        for at in range(CHANGES):
            desk.analysed(shown[at % len(shown)])
        time.sleep(3)
        after = memory(driver)
        for _ in range(100):
            desk.arrive(run)
        until(lambda: driver.execute_script("return Alpine.store('mappe').pageCount") == pages + 100)
        time.sleep(2)
        grown = memory(driver)
    desk.end(run)
    return [
        Row("key to highlight painted, median; one in twenty; worst", percentiles(keys), "50 ms"),
        Row("script a frame while dragging, mean", f"{script_ms:.1f} ms", "16 ms"),
        Row(f"memory of scripts, before and after {CHANGES} changes", f"{before[0]:.1f}, {after[0]:.1f} MB", "flat"),
        Row(f"nodes, before and after {CHANGES} changes", f"{before[1]}, {after[1]}", "flat"),
        Row("memory of scripts for each page that arrives", f"{(grown[0] - after[0]) * 1000 / 100:.1f} KB"),
    ]


def moving(desk: Desk, sheets: int) -> list[Row]:
    """Measure a move of 300 sheets, both sides, in a Mappe of many."""
    mappe, run = desk.mappe(2 * sheets)
    desk.end(run)
    answered, drawn = [], []
    with chromium() as driver:
        driver.set_script_timeout(60)
        driver.get(f"{desk.url}/mappen/{mappe}/order")
        until(lambda: driver.execute_script("return !!window.Alpine?.store('mappe')"))
        until(lambda: len(driver.find_elements("css selector", ".sheet")) >= sheets)
        time.sleep(3)
        for _ in range(MANY_MOVES):
            answer_ms, painted_ms = driver.execute_async_script(MOVE_FIRST_TO_THE_END, 2 * MOVED_SHEETS)
            answered.append(answer_ms)
            drawn.append(painted_ms)
            time.sleep(1)
    what = f"{MOVED_SHEETS} sheets moved among {sheets}, {MANY_MOVES} times"
    return [
        Row(f"{what}: answered, median; worst", f"{statistics.median(answered):.0f}; {max(answered):.0f} ms", "200 ms"),
        Row(
            "    from the answer until it is painted", f"{statistics.median(drawn):.0f}; {max(drawn):.0f} ms", "100 ms"
        ),
    ]


MOVE_FIRST_TO_THE_END = """
const [count, done] = arguments;
const mappe = Alpine.store("mappe");
const pages = mappe.order.slice(0, count);
const last = pages.at(-1);
const start = performance.now();
let painted = 0;
const unlisten = mappe.on("pages", () => {
  if (painted || mappe.order.at(-1) !== last) return;
  requestAnimationFrame(() => {
    const channel = new MessageChannel();
    channel.port1.onmessage = () => { painted ||= performance.now(); };
    channel.port2.postMessage(0);
  });
});
new PerformanceObserver((list, observer) => {
  const answer = list.getEntries().find(({ name, startTime }) => name.endsWith("/operations") && startTime >= start);
  if (!answer) return;
  observer.disconnect();
  const end = () => {
    if (!painted) { setTimeout(end, 5); return; }
    unlisten();
    done([answer.responseEnd - start, Math.max(0, painted - answer.responseEnd)]);
  };
  end();
}).observe({ type: "resource" });
mappe.operate({ kind: "move", pages, before: null });
"""


def percentiles(times_ms: list[float]) -> str:
    """Return the median, what one in twenty exceeds, and the worst."""
    rare = statistics.quantiles(times_ms, n=20)[-1]
    return f"{statistics.median(times_ms):.0f}; {rare:.0f}; {max(times_ms):.0f} ms"


def key_times_ms(driver: webdriver.Chrome) -> list[float]:
    """Return the times from a key to the paint that shows the page it went to."""
    driver.execute_script(
        "window.times = [];"
        "document.addEventListener('keydown', (event) => {"
        "  const start = event.timeStamp;"
        "  requestAnimationFrame(() => { const channel = new MessageChannel();"
        "    channel.port1.onmessage = () => window.times.push(performance.now() - start);"
        "    channel.port2.postMessage(0); });"
        "}, true);"
    )
    for _ in range(KEY_PRESSES):
        pressed_s = time.monotonic()
        ActionChains(driver).send_keys(Keys.ARROW_RIGHT).perform()
        time.sleep(max(0.0, pressed_s + KEY_EVERY_S - time.monotonic()))
    times: list[float] = driver.execute_script("return window.times")
    return times


def drag_script_ms(driver: webdriver.Chrome) -> float:
    """Return the time of scripts for each frame while a page is dragged across the lanes."""
    box = driver.execute_script(
        "const cell = document.querySelector('[role=gridcell][aria-current]').getBoundingClientRect();"
        "return [cell.x + 30, cell.y + 30]"
    )
    mouse(driver, "mousePressed", box[0], box[1])
    mouse(driver, "mouseMoved", box[0] + 10, box[1] + 10)
    driver.execute_script(
        "window.painted = 0; const count = () => { window.painted += 1; requestAnimationFrame(count); }; count();"
    )
    before = metric(driver, "ScriptDuration")
    for step in range(MOVES):
        mouse(driver, "mouseMoved", box[0] + 40 * math.sin(step / 9), box[1] + 6 * (step % 7))
    spent = metric(driver, "ScriptDuration") - before
    frames: int = driver.execute_script("return window.painted")
    if not driver.execute_script("return document.body.classList.contains('dragging')"):
        raise RuntimeError("nothing is dragged, so nothing was measured")
    driver.execute_script("document.dispatchEvent(new KeyboardEvent('keydown', {key: 'Escape', bubbles: true}))")
    mouse(driver, "mouseReleased", box[0], box[1])
    return 1000 * spent / frames


def mouse(driver: webdriver.Chrome, kind: str, x: float, y: float) -> None:
    """Move or press the mouse."""
    what = {"type": kind, "x": x, "y": y, "button": "left", "buttons": 1, "clickCount": 1}
    driver.execute_cdp_cmd("Input.dispatchMouseEvent", what)


def memory(driver: webdriver.Chrome) -> tuple[float, int]:
    """Return the memory of scripts in MB and the number of nodes, all rubbish collected."""
    for _ in range(2):
        driver.execute_cdp_cmd("HeapProfiler.collectGarbage", {})
        time.sleep(0.5)
    return metric(driver, "JSHeapUsedSize") / 1e6, int(metric(driver, "Nodes"))


def metric(driver: webdriver.Chrome, name: str) -> float:
    """Return what the browser counts."""
    counted_by_browser = driver.execute_cdp_cmd("Performance.getMetrics", {})["metrics"]
    return next(float(row["value"]) for row in counted_by_browser if row["name"] == name)


@contextmanager
def chromium(*arguments: str) -> Iterator[webdriver.Chrome]:
    """A headless browser, with arguments of its own."""
    options = Options()
    options.binary_location = "/usr/bin/chromium"
    for argument in (
        "--headless=new",
        "--no-sandbox",
        "--disable-background-networking",
        "--disable-sync",
        "--no-first-run",
        *arguments,
    ):
        options.add_argument(argument)
    driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    try:
        metrics = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
        driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
        driver.execute_cdp_cmd("Performance.enable", {})
        yield driver
    finally:
        driver.quit()


def until(condition: Callable[[], object]) -> None:
    """Wait."""
    until_s = time.monotonic() + 60
    while not condition():
        if time.monotonic() > until_s:
            raise TimeoutError("it did not happen in time")
        time.sleep(0.1)


def milliseconds(seconds: float) -> str:
    """Return a time for people."""
    return f"{1000 * seconds:.0f} ms"


@contextmanager
def running(folder: Path) -> Iterator[Desk]:
    """Start database and web server in a folder; stop them in the end."""
    folder.chmod(0o755)
    postgres = PrivatePostgres(folder / "postgres")
    postgres.start()
    port = free_run(1, 24_000)
    try:
        url = postgres.create_database("bench")
        migrate(url)
        environment = {
            **os.environ, "PAPIERMAPPE_DATABASE_URL": url, "PAPIERMAPPE_DATA_DIR": str(folder),
            "PAPIERMAPPE_PORT": str(port), "PAPIERMAPPE_DISCOVERY": "nowhere",
        }  # fmt: skip
        web = Child("web", ["web"], environment, folder / "web.log")
        web.start()
        store = Store(url, Blobs.in_folder(folder / "blobs"))
        try:
            until(lambda: answers(f"http://127.0.0.1:{port}/health"))
            yield Desk(store, f"http://127.0.0.1:{port}", web)
        finally:
            store.close()
            web.stop()
    finally:
        postgres.stop()


def answers(address: str) -> bool:
    """Whether something answers well at an address."""
    try:
        return httpx.get(address, trust_env=False).status_code == 200
    except httpx.HTTPError:
        return False


def main() -> None:
    """Measure and print."""
    options = argparse.ArgumentParser(description="The desk with a large Mappe.")
    options.add_argument("--pages", type=int, default=500)
    options.add_argument("--arrivals", type=int, default=60)
    options.add_argument("--only", default="server,database,browser,moving")
    chosen = options.parse_args()
    sections: dict[str, Callable[[Desk], list[Row]]] = {
        "server": lambda desk: server(desk, chosen.pages, chosen.arrivals),
        "database": lambda desk: database(desk, chosen.pages),
        "browser": lambda desk: browser(desk, chosen.pages),
        "moving": lambda desk: moving(desk, chosen.pages),
    }
    with tempfile.TemporaryDirectory(prefix="papiermappe-bench-") as folder, running(Path(folder)) as desk:
        for name in chosen.only.split(","):
            for row in sections[name](desk):
                print(f"{name:<8} {row.what:<62} {row.value:>20}   {row.goal}", flush=True)


if __name__ == "__main__":
    main()
