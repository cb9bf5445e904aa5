"""The spectra of what is a side's own: what all sides of its run show tells nothing, and is taken out."""

from collections.abc import Sequence

import numpy as np

from papiermappe.core.order.imprint import Imprint
from papiermappe.core.order.paper_of_run import PaperOfRun
from papiermappe.core.order.shared_print import shared_parts, without
from papiermappe.core.order.show_through import Comparison, Spectrum, Turn

SAMPLE = 24  # pages that tell what the print of all has in common


class SideSpectra:
    """Makes the spectra of a run's sides.

    Args:
        sides: as they came; None where nothing is known of one.
        comparison: that will compare them.
        paper: of this run.
        other: the paper of the run that it is compared with.
    """

    def __init__(
        self, sides: Sequence[Imprint | None], comparison: Comparison, paper: PaperOfRun, other: PaperOfRun
    ) -> None:
        self._sides, self._comparison, self._paper, self._other = sides, comparison, paper, other
        known = [at for at, imprint in enumerate(sides) if imprint is not None]
        spread = sorted({round(at) for at in np.linspace(0, len(known) - 1, SAMPLE)}) if known else []
        self._shared = {turn: shared_parts([self._print(known[at], turn) for at in spread]) for turn in Turn}

    def shade(self, at: int) -> Spectrum:
        """Return the spectrum of what shows on the paper of a side, by its place in the run."""
        return self._comparison.spectrum(self._paper.own_shade(self._known(at)))

    def print_behind(self, at: int, turn: Turn) -> Spectrum:
        """Return the spectrum of the print of a side as it shines through where the sheet is turned over at an edge."""
        return without(self._print(at, turn), self._shared[turn])

    def _print(self, at: int, turn: Turn) -> Spectrum:
        return self._comparison.spectrum(self._other.seen_through(self._known(at).printed, turn))

    def _known(self, at: int) -> Imprint:
        imprint = self._sides[at]
        assert imprint is not None  # noqa: S101 (only sides that are known are compared)
        return imprint
