"""A whole desk of separate processes, and a headless browser."""

import re
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path

import httpx
import pytest
from selenium import webdriver
from selenium.common.exceptions import JavascriptException, NoSuchElementException, StaleElementReferenceException
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from tests.conftest import TEMPLATE
from tests.helpers import ANNA, PATIENCE_S, Desk, Drawer, desk, free_ports, wait_until

from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Colour, Sides, Source, TicketSettings
from papiermappe.local.postgres import PrivatePostgres
from papiermappe.local.processes import Child
from papiermappe.services import destinations, devices, mappen, moving, runs, tickets
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import RunState

VENDOR = Path(__file__).parent / "vendor"


class Stack:
    """Stand-in, worker and web server on a test's own database; each can be killed and started again."""

    def __init__(self, database_url: str, folder: Path, environment: dict[str, str]) -> None:
        self.folder = folder
        self.store = Store(database_url, Blobs.in_folder(folder / "blobs"))
        web_port, standin_port = free_ports(), free_ports(4)
        self.url = f"http://127.0.0.1:{web_port}"
        self.drawer = Drawer(standin_port)
        self._scanned: dict[str, int] = {}
        settings = {
            "PAPIERMAPPE_READS_AHEAD": "false", **environment, "PAPIERMAPPE_DATABASE_URL": database_url,
            "PAPIERMAPPE_DATA_DIR": str(folder), "PAPIERMAPPE_PORT": str(web_port),
        }  # fmt: skip
        standin = ["standin", "--port", str(standin_port), "--pace", "0", "--paper", str(folder / "paper.json")]
        self.children = {
            name: Child(name, arguments, settings, folder / f"{name}.log")
            for name, arguments in (("standin", standin), ("worker", ["worker"]), ("web", ["web"]))
        }

    def start(self) -> None:
        """Start everything and wait until it answers."""
        for child in self.children.values():
            child.start()
        self.drawer.wait()
        self._wait_for_web()
        self.devices = {
            key: devices.add_device(ANNA, self.store, self.drawer.escl(key), Limits())
            for key in ("kiebitz", "zaunkoenig")
        }
        destinations.add_folder(ANNA, self.store, "Leases", self.folder / "filed")

    def start_one(self, name: str) -> None:
        """Start a process; wait for it where others need it at once."""
        self.children[name].start()
        if name == "standin":
            self.drawer.wait()
        elif name == "web":
            self._wait_for_web()

    def kill(self, name: str) -> None:
        """SIGKILL."""
        process = self.children[name].process
        assert process is not None
        process.kill()
        process.wait()

    def stop(self) -> None:
        """End everything; there is nothing to keep."""
        for name, child in self.children.items():
            if child.process is not None and child.process.poll() is None:
                self.kill(name)
        self.drawer.close()
        self.store.close()

    def desk(self, mappe: int) -> Desk:
        """Return a Mappe as it is."""
        return desk(self.store, mappe)

    def copy_of(self, name: str, scan: Callable[[], int]) -> int:
        """Return a new Mappe with the pages of one that is scanned the first time it is asked for, and left alone."""
        if name not in self._scanned:
            self._scanned[name] = scan()
        original = self._scanned[name]
        pages = self.desk(original).order
        into = moving.Into(subject=name)
        return moving.send(ANNA, self.store, original, pages, into, self.desk(original).view.cursor, as_copies=True)

    def logs(self) -> str:
        """Return what the processes have said."""
        return "\n".join(f"== {name}\n{child.log_file.read_text()[-3000:]}" for name, child in self.children.items())

    def _wait_for_web(self) -> None:
        until_s = time.monotonic() + PATIENCE_S
        while True:
            try:
                httpx.get(f"{self.url}/health", trust_env=False)
            except httpx.TransportError:
                assert time.monotonic() < until_s, self.logs()
                time.sleep(0.05)
            else:
                return


@contextmanager
def running(found: Stack) -> Iterator[Stack]:
    """Run a desk."""
    try:
        found.start()
        yield found
    finally:
        found.stop()
        sys.stdout.write(found.logs())


@pytest.fixture(scope="session")
def kept_stack(
    postgres: PrivatePostgres, tmp_path_factory: pytest.TempPathFactory, environment: dict[str, str]
) -> Iterator[Stack]:
    """A running desk for all tests that harm none of it: starting one takes ten seconds."""
    database_url = postgres.create_database("kept_stack", TEMPLATE)
    with running(Stack(database_url, tmp_path_factory.mktemp("desk"), environment)) as found:
        yield found


@pytest.fixture
def stack(request: pytest.FixtureRequest) -> Iterator[Stack]:
    """A running desk: a new one, or for a test marked `shared_desk` the one that is kept, with empty scanners."""
    if request.node.get_closest_marker("shared_desk"):
        kept: Stack = request.getfixturevalue("kept_stack")
        for key in kept.devices:
            kept.drawer.reset(key)
        yield kept
        return
    database_url, folder, environment = map(request.getfixturevalue, ("database_url", "tmp_path", "environment"))
    with running(Stack(database_url, folder, environment)) as found:
        yield found


@pytest.fixture
def own_tickets(stack: Stack) -> Iterator[None]:
    """Takes away the tickets that a test keeps: others find the default one that they knew."""
    before = tickets.list_tickets(ANNA, stack.store)
    yield
    tickets.make_default(ANNA, stack.store, before[0].id)
    for kept in {ticket.id for ticket in tickets.list_tickets(ANNA, stack.store)} - {ticket.id for ticket in before}:
        tickets.remove_ticket(ANNA, stack.store, kept)


@pytest.fixture(scope="session")
def downloads(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where the browser puts what it downloads."""
    return tmp_path_factory.mktemp("downloads")


def chrome(downloads: Path, *arguments: str) -> webdriver.Chrome:
    """Return a headless Chromium, 1280 x 800, with arguments of its own."""
    options = Options()
    options.binary_location = "/usr/bin/chromium"
    for argument in (
        "--headless=new", "--no-sandbox", "--disable-background-networking", "--disable-sync", "--no-first-run",
        "--disable-component-update", "--disable-quic", *arguments,
    ):  # fmt: skip
        options.add_argument(argument)
    options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    started = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    metrics = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    started.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
    return started


@pytest.fixture(scope="session")
def chromium(downloads: Path) -> Iterator[webdriver.Chrome]:
    """One browser for the session."""
    started = chrome(downloads)
    yield started
    started.quit()


@pytest.fixture
def driver(chromium: webdriver.Chrome) -> Iterator[webdriver.Chrome]:
    """The browser; a test's page does not go on asking the next one's server."""
    yield chromium
    chromium.get("about:blank")


@pytest.fixture
def until() -> Callable[[Callable[[], object], float], None]:
    """Waits for something to become true in the browser, over changes of page in between."""
    between_pages = (NoSuchElementException, StaleElementReferenceException, JavascriptException)
    return partial(wait_until, not_yet=between_pages)


@pytest.fixture
def complaints(driver: webdriver.Chrome) -> Callable[[], list[str]]:
    """What the browser has complained of: errors of scripts, refusals by the Content-Security-Policy.

    That a picture was not made yet is no complaint: it is asked for again, and comes.
    """
    late = re.compile(r"/pages/\d+/\S+\.jpg .*\b503\b")
    driver.get_log("browser")  # type: ignore[no-untyped-call]  # selenium leaves it out

    def read() -> list[str]:
        rows = driver.get_log("browser")  # type: ignore[no-untyped-call]  # as above
        return [row["message"] for row in rows if row["level"] == "SEVERE" and not late.search(row["message"])]

    return read


def next_name(driver: webdriver.Chrome) -> str:
    """Return the name that the station File tells."""
    return driver.find_element("css selector", ".naming [role=status]").get_attribute("textContent") or ""


def assert_accessible(driver: webdriver.Chrome, what: str) -> None:
    """The screen keeps WCAG 2.2 AA, as far as axe-core can tell."""
    driver.execute_script((VENDOR / "axe.min.js").read_text())
    found = driver.execute_async_script(
        "const levels = ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'];"
        "axe.run({runOnly: levels}).then((result) => arguments[0](result.violations))"
    )
    assert [(rule["id"], rule["nodes"][0]["html"]) for rule in found] == [], what


@pytest.fixture
def sized(driver: webdriver.Chrome) -> Iterator[Callable[[int, int], None]]:
    """Makes the window another size for a test."""

    def size(width: int, height: int) -> None:
        metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
        driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)

    yield size
    size(1280, 800)


FROM_GLASS = TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=200, colour=Colour.COLOUR)


def scan_booklet(stack: Stack, until: Callable[..., None], spreads: int, ticket: TicketSettings = FROM_GLASS) -> int:
    """Scan the cover and some spreads of a booklet from the glass; return the Mappe once they have been examined."""
    mappe = mappen.open_mappe(ANNA, stack.store, "Pruning handbook")
    stack.drawer.lay("handbook", into="kiebitz", where="glass")
    device = next(card.id for card in devices.list_devices(ANNA, stack.store) if card.name == "Kiebitz F1")
    run = runs.start_run(ANNA, stack.store, mappe, device, ticket)

    def waits(pages: int) -> bool:
        now = stack.desk(mappe)
        return now.view.runs[-1].state is RunState.WAITING and len(now.order) == pages

    for taken in range(1, spreads + 2):
        until(lambda taken=taken: waits(taken))
        if taken <= spreads:
            runs.next_sheet(ANNA, stack.store, run)
    runs.stop(ANNA, stack.store, run)
    until(lambda: all(page.analysed for page in stack.desk(mappe).pages))
    return mappe
