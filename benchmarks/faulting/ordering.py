"""Sheets that are moved, set aside, brought back, and all of it undone, and what must come of it."""

import random
from decimal import Decimal
from itertools import groupby
from typing import Any

from benchmarks.faulting.desk import CLERK, Desk
from benchmarks.faulting.scanning import PAPERS, scan_in
from papiermappe.services.patience import patiently
from papiermappe.services.views import mappe_changes

COMMANDS = 14
SET_ASIDE = 2
SET_ASIDE_SHARE = 0.3
UNDONE_SHARE = 0.3
Sheet = tuple[int, ...]


class Sorter:
    """A person who moves most sheets, and sets the rest aside and brings it back."""

    def __init__(self, desk: Desk, mappe: int, rng: random.Random) -> None:
        self.desk = desk
        self.mappe = mappe
        self._rng = rng
        self._left = COMMANDS
        scan_in(desk, mappe, *PAPERS)
        sheets, _ = self._seen()
        self._order = sheets[:-SET_ASIDE]
        """What the order of the sheets that are moved must be; the others may lie anywhere between them."""
        self._rest = sheets[-SET_ASIDE:]
        self._aside: set[int] = set()
        """The pages that must be set aside."""

    def step(self) -> bool:
        """Do one thing; return whether all is done."""
        if not self._left:
            return True
        self._left -= 1
        before = self._order, self._aside
        entry = self._operate(self._choose())
        if entry is not None and self._rng.random() < UNDONE_SHARE:
            self.desk.command(f"/mappen/{self.mappe}/undo", {"entry": entry})
            self._order, self._aside = before
        return not self._left

    def _choose(self) -> dict[str, Any]:
        """Choose an operation, and do it to what must be there."""
        if self._rng.random() < SET_ASIDE_SHARE:
            sheet = self._rng.choice(self._rest)
            gone = self._aside.issuperset(sheet)
            self._aside = self._aside ^ set(sheet)
            return {"kind": "bring_back" if gone else "set_aside", "pages": sheet}
        sheet = self._rng.choice(self._order)
        others = [other for other in self._order if other != sheet]
        place = self._rng.randrange(len(others) + 1)
        self._order = [*others[:place], sheet, *others[place:]]
        return {"kind": "move", "pages": sheet, "before": others[place][0] if place < len(others) else None}

    def _operate(self, operation: dict[str, Any]) -> int | None:
        cursor = patiently(lambda: mappe_changes(CLERK, self.desk.store, self.mappe, 0))[0].cursor
        done = self.desk.command(f"/mappen/{self.mappe}/operations", {"operation": operation, "seen": cursor})
        return int(done["entry"]) if done else None

    def state(self) -> str:
        """Return how far it is."""
        return f"{self._left} of {COMMANDS} commands are left"

    def faults(self) -> list[str]:
        """Return what must not be: another order, or another page set aside."""
        sheets, aside = self._seen()
        moved = [sheet for sheet in sheets if sheet in self._order]
        return ([f"{moved} instead of {self._order}"] if moved != self._order else []) + (
            [f"set aside: {sorted(aside)} instead of {sorted(self._aside)}"] if aside != self._aside else []
        )

    def _seen(self) -> tuple[list[Sheet], set[int]]:
        pages = patiently(lambda: mappe_changes(CLERK, self.desk.store, self.mappe, 0))[0].pages
        in_order = sorted(pages, key=lambda page: (Decimal(page.rank), page.side != "front"))
        sheets = [tuple(page.id for page in group) for _, group in groupby(in_order, key=lambda page: page.rank)]
        return sheets, {page.id for page in pages if page.set_aside}
