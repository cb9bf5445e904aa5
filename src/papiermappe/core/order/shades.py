"""Scores of what shines through, for the pairs of a pile that may belong together: each worked out once."""

from collections.abc import Callable, Sequence
from functools import lru_cache
from itertools import product

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.order.imprint import Imprint
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.order.paper_of_run import PaperOfRun
from papiermappe.core.order.show_through import Comparison, Spectra, Turn, can_be_seen
from papiermappe.core.order.side_spectra import SideSpectra

WIDEST = 40  # runs whose counts differ by more are not compared
SAMPLE = 16  # fronts that tell the turn and the order
CLEAR = 1.3  # what the better order must stand above the other, so that only it is looked at closely
SHORTER_EDGE_CLEAR = 1.1
FEW = 24  # fronts: with no more both orders are looked at closely in any case
SPECTRA_KEPT = 48  # of each kind: a front is compared with backs near it, then the next with nearly the same ones


class Shades:
    """The shades of a pile's fronts and backs.

    Args:
        fronts: as they came; None where nothing is known of one.
        backs: as they came.
        reach: by how much fewer and how many more backs than fronts may have been laid at any time.
    """

    def __init__(
        self, fronts: Sequence[Imprint | None], backs: Sequence[Imprint | None], reach: tuple[int, int]
    ) -> None:
        self._fronts, self._backs, self._reach = fronts, backs, reach
        self._comparison = Comparison([imprint for imprint in (*fronts, *backs) if imprint is not None])
        self._scores: dict[tuple[Turn, int, int], float] = {}
        papers = [PaperOfRun([imprint for imprint in sides if imprint is not None]) for sides in (fronts, backs)]
        self._front = _keeping(SideSpectra((fronts, backs), self._comparison, papers))
        self._back = _keeping(SideSpectra((backs, fronts), self._comparison, papers[::-1]))
        self.turn, self._orders = self._sampled()

    def scores(self, order: BacksOrder) -> NDArray[np.float64]:
        """Return the scores of pairs, (fronts, backs), the backs laid in an order; not a number where unknown.

        An order that a sample has shown to be wrong is not looked at.
        """
        if order not in self._orders:
            return np.full((len(self._fronts), len(self._backs)), np.nan)
        rows = range(len(self._fronts))
        self._compare_rows(rows, [(self.turn, likely) for likely in self._orders])
        return self._scored(self.turn, order, rows)

    def _sampled(self) -> tuple[Turn, tuple[BacksOrder, ...]]:
        """Return the edge at which the sheets were turned over, and the orders of the backs that may be right."""
        count = len(self._fronts)
        rows = sorted({round(at) for at in np.linspace(0, count - 1, min(count, SAMPLE))}) if count else []
        self._compare_rows(rows, [(turn, order) for order, turn in product(BacksOrder, Turn)])
        heights = {}
        for order, turn in product(BacksOrder, Turn):
            scores = self._scored(turn, order, rows)[rows]
            peaks = np.where(np.isfinite(scores), scores, 0.0).max(axis=1, initial=0.0)
            heights[turn, order] = float(peaks.mean()) if len(peaks) else 0.0
        best = {turn: max(heights[turn, order] for order in BacksOrder) for turn in Turn}
        is_short = best[Turn.SHORT_EDGE] > SHORTER_EDGE_CLEAR * best[Turn.LONG_EDGE]
        turn = Turn.SHORT_EDGE if is_short else Turn.LONG_EDGE
        clear = [order for order in BacksOrder if heights[turn, order] * CLEAR > best[turn]]
        return turn, tuple(BacksOrder) if count <= FEW else tuple(clear)

    def _compare_rows(self, rows: Sequence[int], ways: Sequence[tuple[Turn, BacksOrder]]) -> None:
        """Work out the scores of some rows of pairs: a front's in all ways, while the spectra of its sides are kept."""
        for row in rows:
            for turn, order in ways:
                backs = self._near(row, order).values()
                self._compare(turn, row, [back for back in backs if (turn, row, back) not in self._scores])

    def _scored(self, turn: Turn, order: BacksOrder, rows: Sequence[int]) -> NDArray[np.float64]:
        """Return the scores of some rows of pairs that have been compared; the others are not numbers."""
        scores = np.full((len(self._fronts), len(self._backs)), np.nan)
        for row in rows:
            near = self._near(row, order)
            scores[row, list(near)] = [self._scores[turn, row, back] for back in near.values()]
        return scores

    def _near(self, row: int, order: BacksOrder) -> dict[int, int]:
        """Return the backs that may belong to a front: their places as they are laid, and as they came."""
        count, (least, most) = len(self._backs), self._reach
        if most - least > WIDEST:
            return {}
        places = range(max(0, row + least), min(count, row + most + 1))
        return {at: at if order is BacksOrder.AS_LAID else count - 1 - at for at in places}

    def _compare(self, turn: Turn, front: int, backs: Sequence[int]) -> None:
        """Work out the scores of a front and some backs."""
        self._scores.update({(turn, front, back): np.nan for back in backs})
        here = self._fronts[front]
        seen = [
            back
            for back in backs
            if here is not None and (there := self._backs[back]) is not None and can_be_seen(here, there, turn)
        ]
        if not seen:
            return
        found = self._comparison.scores(self._front(front, turn), [self._back(back, turn) for back in seen], turn)
        self._scores.update({(turn, front, back): float(score) for back, score in zip(seen, found, strict=True)})


def _keeping(run: SideSpectra) -> Callable[[int, Turn], Spectra]:
    """Return what gives the spectra of a run's sides, and keeps those that were wanted last."""
    shade, behind = lru_cache(SPECTRA_KEPT)(run.shade), lru_cache(SPECTRA_KEPT)(run.print_behind)
    return lambda at, turn: Spectra(shade(at), behind(at, turn))
