"""One round: something is done at the desk, processes are killed in the middle, and a person goes by what is said."""

import random
import time
from collections.abc import Callable
from typing import NamedTuple

from sqlalchemy import select

from benchmarks.faulting.desk import CLERK, Desk, Window
from papiermappe.devices.model import Sides, Source, TicketSettings
from papiermappe.services import mappen, runs
from papiermappe.services.patience import patiently
from papiermappe.services.views import mappe_changes
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.errors import StoreError
from papiermappe.store.models import Capture, Delivery, DeliveryState, Document, Filing, FilingState, Page, RunState
from papiermappe.words import Words

WORDS = Words.of("en-GB")
PAPERS = ("lease", "delivery-118", "hail", "german")
GLASS_SHEETS = 4
FEEDER = TicketSettings(source=Source.FEEDER, sides=Sides.BOTH, dpi=100)
GLASS = TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=100)
PATIENCE_S = 90.0
WITHIN_S = {"feeder": 3.0, "glass": 2.5, "filing": 1.2, "reading": 6.0}
"""Kills fall into this time from the beginning of each."""


class Outcome(NamedTuple):
    """What came of a round."""

    faults: list[str]
    """What must not be; empty where all is well."""
    recovery_s: float | None
    """From the kill until a window shows progress or what to do; None where nothing was left to do."""


class Stuck(Exception):
    """Nothing goes on."""


def play(desk: Desk, scenario: str, victims: tuple[str, ...], rng: random.Random) -> Outcome:
    """Play a round."""
    for _ in range(20):  # what the last round has left lies there no more
        try:
            desk.drawer.reset("zaunkoenig")
            break
        except Exception:  # noqa: BLE001 (the stand-in is just starting)
            time.sleep(0.5)
    mappe = patiently(lambda: mappen.open_mappe(CLERK, desk.store, f"{scenario} {'+'.join(victims)}"))
    window = Window(desk, mappe)
    killed: list[tuple[float, set[int]]] = []
    end = {"feeder": _Feeder, "glass": _Glass}.get(scenario, _Filing)(desk, mappe, scenario)
    at_s = time.monotonic() + rng.uniform(0.05, WITHIN_S[scenario])

    def kill_in_time() -> None:
        if not killed and time.monotonic() >= at_s:
            killed.append((time.monotonic(), set(window.shown)))
            for victim in victims:
                desk.kill(victim)

    faults: list[str] = []
    try:
        until_s = time.monotonic() + PATIENCE_S
        while not (end.step() and killed):
            kill_in_time()
            _must_go_on(until_s, end.state)
            time.sleep(0.05)
    except (Stuck, RuntimeError, TimeoutError) as exc:
        faults.append(f"{type(exc).__name__}: {exc}")
    faults += patiently(lambda: end.faults())
    faults += patiently(lambda: _missing(desk, killed[0][1] if killed else set()))
    window.close()
    later = [moment_s for moment_s in window.moments_s if killed and moment_s > killed[0][0]]
    return Outcome(faults, later[0] - killed[0][0] if later else None)


def _must_go_on(until_s: float, state: Callable[[], str]) -> None:
    if time.monotonic() > until_s:
        raise Stuck(state())


def _missing(desk: Desk, shown: set[int]) -> list[str]:
    """Return which pages that a window was shown are not there, or not with their scan."""
    with desk.store.begin() as session:
        found = session.execute(
            select(Page.id, Capture.sha256).join(Capture, Page.capture_id == Capture.id).where(Page.id.in_(shown))
        ).all()
    lost = shown - {row.id for row in found}
    torn = [row.id for row in found if sha256_of(desk.store.blobs.get(Blobs.capture_key(row.sha256))) != row.sha256]
    return [f"lost page {page}" for page in lost] + [f"torn page {page}" for page in torn]


class _Run:
    """A run, and a person who does what is said."""

    ticket: TicketSettings
    pages: int

    def __init__(self, desk: Desk, mappe: int, _: str) -> None:
        self.desk = desk
        self.mappe = mappe
        self.wrong: list[str] = []
        self.lay(1)
        self.run = desk.command(
            f"/mappen/{mappe}/runs", {"device": desk.device, "ticket": self.ticket.model_dump(mode="json")}
        )

    def lay(self, sheet: int) -> None:
        """Lay this sheet and those after it."""
        raise NotImplementedError

    def waiting(self, sheets_in: int) -> bool:
        """Do what is to be done while the device waits; return whether all is done."""
        raise NotImplementedError

    def step(self) -> bool:
        """Look at the run, and do what a person would; return whether it has come to its end."""
        try:
            run, so_far = runs.read_run(self.desk.store, self.run)
        except StoreError:
            return False
        if run.state is RunState.WAITING:
            return self.waiting(so_far.next - 1)
        if run.state is RunState.INTERRUPTED:
            said = WORDS.text(run.message or {"code": "went_wrong"})
            if f"sheet {so_far.next}" not in said.lower():
                self.wrong.append(f"wrong message: {said} though sheet {so_far.next} is next")
            self.lay(so_far.next)
            self.run = self.desk.command(f"/runs/{self.run}/continue")
            return False
        return run.state in {RunState.DONE, RunState.STOPPED}

    def state(self) -> str:
        """Return how far it is."""
        run, so_far = patiently(lambda: runs.read_run(self.desk.store, self.run))
        return f"{run.state} with {so_far}"

    def faults(self) -> list[str]:
        """Return what must not be."""
        changes, _ = mappe_changes(CLERK, self.desk.store, self.mappe, 0)
        there = sum(not page.set_aside for page in changes.pages)
        return self.wrong + ([f"{there} pages instead of {self.pages}: {self.state()}"] if there != self.pages else [])


class _Feeder(_Run):
    ticket = FEEDER
    pages = 14  # lease 3 sheets, delivery 1, hail 2, german 1, both sides

    def lay(self, sheet: int) -> None:
        drawer = self.desk.drawer
        for _ in range(60):
            try:
                drawer.reset("zaunkoenig")
                drawer.lay(*PAPERS)
                papers = drawer.feeder("zaunkoenig")[sheet - 1 :]
                self.pages = 2 * len(drawer.feeder("zaunkoenig"))
                drawer.reset("zaunkoenig")
                for paper in papers:
                    drawer.lay_sheet("zaunkoenig", paper)
            except Exception:  # noqa: BLE001 (the stand-in is just starting)
                time.sleep(0.5)
            else:
                return

    def waiting(self, sheets_in: int) -> bool:
        raise Stuck(f"a feeder waits after {sheets_in} sheets")


class _Glass(_Run):
    ticket = GLASS
    pages = GLASS_SHEETS

    def lay(self, sheet: int) -> None:
        for _ in range(60):
            try:
                self.desk.drawer.lay(PAPERS[(sheet - 1) % len(PAPERS)], where="glass")
            except Exception:  # noqa: BLE001 (as above)
                time.sleep(0.5)
            else:
                return

    def waiting(self, sheets_in: int) -> bool:
        if sheets_in >= GLASS_SHEETS:
            self.desk.command(f"/runs/{self.run}/stop")
            return False
        self.lay(sheets_in + 1)
        self.desk.command(f"/runs/{self.run}/next-sheet")
        return False


class _Filing:
    """A document that is made and delivered, read or not."""

    def __init__(self, desk: Desk, mappe: int, scenario: str) -> None:
        self.desk = desk
        self.mappe = mappe
        desk.drawer.lay("lease", "german")
        run = desk.command(f"/mappen/{mappe}/runs", {"device": desk.device, "ticket": FEEDER.model_dump(mode="json")})
        until_s = time.monotonic() + PATIENCE_S
        while runs.read_run(desk.store, run)[0].state.live:
            if time.monotonic() > until_s:
                raise Stuck("the pages to be filed do not come in")
            time.sleep(0.1)
        self.before = set(self._files())
        wanted = {"destination": desk.place, "mode": "fast", "languages": ["eng"] if scenario == "reading" else []}
        self.filing = desk.command(f"/mappen/{mappe}/filings", wanted)

    def step(self) -> bool:
        """Return whether it has come to its end; a failure is tried again, as a person would."""
        try:
            with self.desk.store.begin() as session:
                state = session.get_one(Filing, self.filing).state
                delivered = session.scalar(
                    select(Delivery.state)
                    .join(Document, Document.id == Delivery.document_id)
                    .where(Document.filing_id == self.filing)
                )
        except StoreError:
            return False
        if state is FilingState.FAILED or delivered is DeliveryState.FAILED:
            raise Stuck(f"{state}, {delivered}: a kill must not fail a filing")
        return state is FilingState.MADE and delivered is DeliveryState.DELIVERED

    def state(self) -> str:
        """Return how far it is."""
        with self.desk.store.begin() as session:
            filing = session.get_one(Filing, self.filing)
            return f"{filing.state}, {filing.pages_done} of {filing.page_count}"

    def faults(self) -> list[str]:
        """Return what must not be: none or two files, one that is half, something left behind."""
        new = set(self._files()) - self.before
        whole = [name for name in new if name.endswith(".pdf") and not name.startswith(".")]
        rest = sorted(new - set(whole))
        return ([f"{len(whole)} documents"] if len(whole) != 1 else []) + [f"left behind: {name}" for name in rest]

    def _files(self) -> list[str]:
        folder = self.desk.folder / "filed"
        return [file.name for file in folder.iterdir()] if folder.is_dir() else []
