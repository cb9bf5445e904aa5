"""What goes wrong at the device at a given sheet of a run, and a person who does what is said."""

import time
from collections import Counter
from collections.abc import Mapping

from sqlalchemy import select

from benchmarks.faulting.desk import CLERK, Desk
from benchmarks.faulting.scanning import PATIENCE_S, WORDS, Feeder, Glass, Scanning
from papiermappe.services import mappen
from papiermappe.store.models import Capture, Page, Run, RunState

NETWORK = ("The scanner is not reachable", "does not answer", "does not know this run", "ended the run early",
           "cannot be read", "switched off")  # fmt: skip
SAID: Mapping[str, tuple[str, ...]] = {
    "jam": ("is jammed",),
    "mispick": ("could not be picked up",),
    "double": ("came together with the next one",),
    "too_long": ("is too long for both sides",),
    "cover": ("the cover is open",),
    "gone": NETWORK,
    "restart": NETWORK,
}
"""Of each fault, what its message says, one of several where it shows itself in different ways."""
SOURCES: Mapping[str, tuple[str, ...]] = {"feeder": tuple(SAID), "glass": ("gone", "restart")}
PAPERS = ("invoice", "german", "hail", "delivery-118", "letter-store", "picture")


class LongPile(Feeder):
    """A pile of a number of different sheets."""

    sheets = 10

    def _lay(self, sheet: int) -> None:
        drawer = self.desk.drawer
        drawer.reset("zaunkoenig")
        self.pages = 2 * self.sheets
        for at in range(sheet, self.sheets + 1):
            drawer.lay_sheet("zaunkoenig", {"original": PAPERS[at % len(PAPERS)], "seed": at})


class LongLoop(Glass):
    """A number of different sheets on the glass, one after the other."""

    sheets = 10

    def _lay(self, sheet: int) -> None:
        if sheet == 1 or self.desk.drawer.is_gone("zaunkoenig"):
            self.desk.drawer.trouble("zaunkoenig")
        self.pages = self.sheets
        self.desk.drawer.lay(PAPERS[sheet % len(PAPERS)], where="glass", seed=sheet)

    def _waiting(self, sheets_in: int) -> bool:
        if sheets_in >= self.sheets:
            self.desk.command(f"/runs/{self.run}/stop")
        else:
            self._lay(sheets_in + 1)
            self.desk.command(f"/runs/{self.run}/next-sheet")
        return False


def at_sheet(desk: Desk, source: str, fault: str, sheet: int, sheets: int) -> list[str]:
    """Scan a number of sheets, with a fault at one of them; return what was wrong, nothing if all was well."""
    kind = LongPile if source == "feeder" else LongLoop
    mappe = mappen.open_mappe(CLERK, desk.store, f"{fault} at sheet {sheet}")
    desk.drawer.forget_jobs("zaunkoenig")
    scanning = _faulty(kind, fault, sheet, sheets)(desk, mappe)
    until_s = time.monotonic() + PATIENCE_S
    while not scanning.step():
        if time.monotonic() > until_s:
            return [f"stuck: {scanning.state()}"]
        time.sleep(0.1)
    return scanning.faults() + _unfit(desk, mappe, fault, sheet, sheets) + _doubled(desk, mappe)


def _faulty(kind: type[Scanning], fault: str, sheet: int, sheets: int) -> type[Scanning]:
    """Return the run with a fault that is set before its first sheet."""

    class Faulty(kind):  # type: ignore[misc, valid-type]  # one of two known classes
        def _lay(self, number: int) -> None:
            self.sheets = sheets
            super()._lay(number)
            if not hasattr(self, "run"):
                desk = self.desk
                # Two sheets come together only where another one follows: there the last one jams.
                known = "jam" if fault == "double" and sheet == sheets else fault
                desk.drawer.trouble("zaunkoenig", **{f"{known}_at": sheet})

    return Faulty


def _unfit(desk: Desk, mappe: int, fault: str, sheet: int, sheets: int) -> list[str]:
    """Return the messages that do not fit the fault; there is one interruption, at the sheet that did not come."""
    with desk.store.begin() as session:
        stopped = session.scalars(
            select(Run.message).where(Run.mappe_id == mappe, Run.state == RunState.INTERRUPTED)
        ).all()
    said = [WORDS.text(message) for message in stopped if message]
    expected = SAID["jam" if fault == "double" and sheet == sheets else fault]
    if len(said) != 1:
        return [f"{len(said)} interruptions: {said}"]
    return [] if any(words in said[0] for words in expected) else [f"unfit: {said[0]}"]


def _doubled(desk: Desk, mappe: int) -> list[str]:
    """Return the pictures that are twice among the pages."""
    with desk.store.begin() as session:
        pictures = Counter(
            session.scalars(
                select(Capture.sha256).join(Page, Page.capture_id == Capture.id)
                .where(Page.mappe_id == mappe, Page.set_aside.is_(False))
            )
        )  # fmt: skip
    return [f"{count} times the same picture" for count in pictures.values() if count > 1]
