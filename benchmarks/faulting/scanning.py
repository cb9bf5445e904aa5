"""A feeder run and a glass loop, and a person who does what is said."""

import time

from benchmarks.faulting.desk import CLERK, Desk
from papiermappe.devices.model import Sides, Source, TicketSettings
from papiermappe.services import runs
from papiermappe.services.patience import patiently
from papiermappe.services.views import mappe_changes
from papiermappe.store.errors import StoreError
from papiermappe.store.models import RunState
from papiermappe.words import Words

WORDS = Words.of("en-GB")
PAPERS = ("lease", "delivery-118", "hail", "german")
GLASS_SHEETS = 4
FEEDER = TicketSettings(source=Source.FEEDER, sides=Sides.BOTH, dpi=100)
GLASS = TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=100)
PATIENCE_S = 90.0


class Stuck(Exception):
    """Nothing goes on."""


def scan_in(desk: Desk, mappe: int, *papers: str) -> None:
    """Scan papers into a Mappe; nothing is killed meanwhile. Raises Stuck."""
    desk.drawer.lay(*papers)
    run = desk.command(f"/mappen/{mappe}/runs", {"device": desk.device, "ticket": FEEDER.model_dump(mode="json")})
    until_s = time.monotonic() + PATIENCE_S
    while (state := (read := patiently(lambda: runs.read_run(desk.store, run))[0]).state).live:
        if time.monotonic() > until_s:
            raise Stuck("the pages do not come in")
        time.sleep(0.1)
    if state is not RunState.DONE:
        raise Stuck(f"{state} though nothing was killed: {read.message}")


class Scanning:
    """A run, and a person who does what is said."""

    ticket: TicketSettings
    pages: int

    def __init__(self, desk: Desk, mappe: int) -> None:
        self.desk = desk
        self.mappe = mappe
        self.wrong: list[str] = []
        self._lay(1)
        self.run = desk.command(
            f"/mappen/{mappe}/runs", {"device": desk.device, "ticket": self.ticket.model_dump(mode="json")}
        )

    def _lay(self, sheet: int) -> None:
        """Lay this sheet and those after it."""
        raise NotImplementedError

    def _waiting(self, sheets_in: int) -> bool:
        """Do what is to be done while the device waits; return whether all is done."""
        raise NotImplementedError

    def step(self) -> bool:
        """Look at the run, and do what a person would; return whether it has come to its end."""
        try:
            run, so_far = runs.read_run(self.desk.store, self.run)
        except StoreError:
            return False
        if run.state is RunState.WAITING:
            return self._waiting(so_far.next - 1)
        if run.state is RunState.INTERRUPTED:
            said = WORDS.text(run.message or {"code": "went_wrong"})
            if f"sheet {so_far.next}" not in said.lower():
                self.wrong.append(f"wrong message: {said} though sheet {so_far.next} is next")
            self._lay(so_far.next)
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


class Feeder(Scanning):
    """A pile."""

    ticket = FEEDER
    pages = 14  # lease 3 sheets, delivery 1, hail 2, german 1, both sides

    def _lay(self, sheet: int) -> None:
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

    def _waiting(self, sheets_in: int) -> bool:
        raise Stuck(f"a feeder waits after {sheets_in} sheets")


class Glass(Scanning):
    """Sheet after sheet."""

    ticket = GLASS
    pages = GLASS_SHEETS

    def _lay(self, sheet: int) -> None:
        for _ in range(60):
            try:
                self.desk.drawer.lay(PAPERS[(sheet - 1) % len(PAPERS)], where="glass")
            except Exception:  # noqa: BLE001 (as above)
                time.sleep(0.5)
            else:
                return

    def _waiting(self, sheets_in: int) -> bool:
        if sheets_in >= GLASS_SHEETS:
            self.desk.command(f"/runs/{self.run}/stop")
            return False
        self._lay(sheets_in + 1)
        self.desk.command(f"/runs/{self.run}/next-sheet")
        return False
