"""One round: something is done at the desk, processes are killed in the middle, and a person goes by what is said."""

import random
import threading
import time
from collections.abc import Callable, Mapping
from typing import NamedTuple, Protocol

from sqlalchemy import select

from benchmarks.faulting.desk import CLERK, Desk, Window
from benchmarks.faulting.filing import Filer
from benchmarks.faulting.ordering import Sorter
from benchmarks.faulting.scanning import PATIENCE_S, Feeder, Glass, Stuck
from benchmarks.faulting.sending import Sender
from papiermappe.services import mappen
from papiermappe.services.patience import patiently
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.models import Capture, Page


class Player(Protocol):
    """A person at the desk."""

    def step(self) -> bool:
        """Look, and do what is to be done; return whether all is done."""

    def state(self) -> str:
        """Return how far it is."""

    def faults(self) -> list[str]:
        """Return what must not be."""


class Scenario(NamedTuple):
    """What is done in a round."""

    within_s: float
    """The kill falls into this time from its beginning."""
    begin: Callable[[Desk, int, random.Random], Player]


SCENARIOS: Mapping[str, Scenario] = {
    "feeder": Scenario(3.0, lambda desk, mappe, _: Feeder(desk, mappe)),
    "glass": Scenario(2.5, lambda desk, mappe, _: Glass(desk, mappe)),
    "filing": Scenario(1.2, lambda desk, mappe, _: Filer(desk, mappe, read=False)),
    "reading": Scenario(6.0, lambda desk, mappe, _: Filer(desk, mappe, read=True)),
    "sending": Scenario(2.5, lambda desk, mappe, _: Sender(desk, mappe)),
    "ordering": Scenario(0.6, Sorter),
}


class Outcome(NamedTuple):
    """What came of a round."""

    faults: list[str]
    """What must not be; empty where all is well."""
    mappe: int
    recovery_s: float | None
    """From the kill until a window shows progress or what to do; None where nothing was left to do."""


def play(desk: Desk, scenario: str, victims: tuple[str, ...], rng: random.Random) -> Outcome:
    """Play a round."""
    _clear_away(desk)
    mappe = patiently(lambda: mappen.open_mappe(CLERK, desk.store, f"{scenario} {'+'.join(victims)}"))
    window = Window(desk, mappe)
    try:
        player = SCENARIOS[scenario].begin(desk, mappe, rng)
    except (Stuck, RuntimeError, TimeoutError) as exc:
        window.close()
        return Outcome([f"{type(exc).__name__} before the kill: {exc}"], mappe, None)
    kill = _Kill(desk, window, victims, rng.uniform(0.05, SCENARIOS[scenario].within_s))
    faults: list[str] = []
    try:
        _play_to_the_end(player, kill)
    except (Stuck, RuntimeError, TimeoutError) as exc:
        faults.append(f"{type(exc).__name__}: {exc}")
    kill.done.wait()
    faults += patiently(player.faults)
    faults += patiently(lambda: _missing(desk, kill.shown_before))
    window.close()
    later = [moment_s for moment_s in window.moments_s if moment_s > kill.at_s]
    return Outcome(faults, mappe, later[0] - kill.at_s if later else None)


def _play_to_the_end(player: Player, kill: "_Kill") -> None:
    until_s = time.monotonic() + PATIENCE_S
    while not (player.step() and kill.done.is_set()):
        if time.monotonic() > until_s:
            raise Stuck(player.state())
        time.sleep(0.05)


def _clear_away(desk: Desk) -> None:
    """Take away the paper that the last round has left."""
    for _ in range(20):
        try:
            desk.drawer.reset("zaunkoenig")
        except Exception:  # noqa: BLE001 (the stand-in is just starting)
            time.sleep(0.5)
        else:
            return


class _Kill:
    """A kill some time from now, whatever is being done then."""

    def __init__(self, desk: Desk, window: Window, victims: tuple[str, ...], after_s: float) -> None:
        self.done = threading.Event()
        self.at_s = 0.0
        self.shown_before: set[int] = set()
        self._desk, self._window, self._victims = desk, window, victims
        threading.Timer(after_s, self._strike).start()

    def _strike(self) -> None:
        self.shown_before = set(self._window.shown)
        self.at_s = time.monotonic()
        try:
            for victim in self._victims:
                self._desk.kill(victim)
        finally:
            self.done.set()


def _missing(desk: Desk, shown: set[int]) -> list[str]:
    """Return which pages that a window was shown are not there, or not with their scan."""
    with desk.store.begin() as session:
        found = session.execute(
            select(Page.id, Capture.sha256).join(Capture, Page.capture_id == Capture.id).where(Page.id.in_(shown))
        ).all()
    lost = shown - {row.id for row in found}
    torn = [row.id for row in found if sha256_of(desk.store.blobs.get(Blobs.capture_key(row.sha256))) != row.sha256]
    return [f"lost page {page}" for page in lost] + [f"torn page {page}" for page in torn]
