"""The spectra of what is a side's own: what other sides of its pile show as well tells nothing, and is taken out."""

from collections.abc import Sequence

import numpy as np

from papiermappe.core.order.imprint import Imprint
from papiermappe.core.order.paper_of_run import PaperOfRun
from papiermappe.core.order.shared_print import shared_parts, without
from papiermappe.core.order.show_through import Comparison, Spectrum, Turn

SAMPLE = 24  # pages of a run that tell what the print of all has in common


class SideSpectra:
    """Makes the spectra of a run's sides.

    Args:
        runs: this run and the one that it is compared with, as they came; None where nothing is known of a side.
        comparison: that will compare them.
        papers: of both runs.
    """

    def __init__(
        self, runs: Sequence[Sequence[Imprint | None]], comparison: Comparison, papers: Sequence[PaperOfRun]
    ) -> None:
        self._sides, self._comparison = runs[0], comparison
        self._paper, self._other = papers
        # of both runs: the frame of the only back of its kind is no sign of a sheet where fronts have such frames
        sample = [side for run in runs for side in _spread([side for side in run if side is not None])]
        self._shared = {turn: shared_parts([self._print(side, turn) for side in sample]) for turn in Turn}

    def shade(self, at: int) -> Spectrum:
        """Return the spectrum of what shows on the paper of a side, by its place in the run."""
        return self._comparison.spectrum(self._paper.own_shade(self._known(at)))

    def print_behind(self, at: int, turn: Turn) -> Spectrum:
        """Return the spectrum of the print of a side as it shines through where the sheet is turned over at an edge."""
        return without(self._print(self._known(at), turn), self._shared[turn])

    def _print(self, side: Imprint, turn: Turn) -> Spectrum:
        return self._comparison.spectrum(self._other.seen_through(side.printed, turn))

    def _known(self, at: int) -> Imprint:
        imprint = self._sides[at]
        assert imprint is not None  # noqa: S101 (only sides that are known are compared)
        return imprint


def _spread(sides: Sequence[Imprint]) -> list[Imprint]:
    """Return some sides, evenly spread over a run."""
    places = sorted({round(at) for at in np.linspace(0, len(sides) - 1, SAMPLE)}) if sides else []
    return [sides[at] for at in places]
