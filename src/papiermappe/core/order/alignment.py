"""The likeliest way to lay backs to fronts, both in order, where sheets may be missing or come twice.

Pair hidden Markov model (Durbin, Eddy, Krogh, Mitchison, Biological Sequence Analysis, 1998, chapter 4): Viterbi's way
for the answer, forward and backward sums for how sure each step is. The state is how many fronts and backs have been
laid, and where printed page numbers stand: the number that a sheet would have, had all sheets before it come once.
"""

from enum import IntEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.order.pair_sums import aligned


class Step(IntEnum):
    """What comes next along both runs."""

    PAIR = 0
    FRONT_ALONE = 1
    """Its back is missing."""
    BACK_ALONE = 2
    """Its front is missing."""
    FRONT_TWICE = 3
    """The same side as the front before."""
    BACK_TWICE = 4


class Numbering(NamedTuple):
    """How pages are numbered, as far as it is known."""

    fronts: NDArray[np.int64]
    """For each front the numbers that may be its own, (fronts, most), NO_NUMBER where there are fewer."""
    backs: NDArray[np.int64]
    """The same of the backs."""
    bases: NDArray[np.int64]
    """What the first front's number may be, (bases,), rising; numbers that tell nothing are always tried as well."""
    step: int
    """From one front to the next."""
    back_plus: int
    """From a front to its back."""


class Alignment(NamedTuple):
    """Both runs laid to each other."""

    steps: list[Step]
    confidences: list[float]
    """For each step, the share of all ways, by their likelihood, that take it."""
    log_likelihood: float
    """Of all ways together."""


def align(
    pairs: NDArray[np.float64],
    front_twice: NDArray[np.float64],
    back_twice: NDArray[np.float64],
    numbering: Numbering,
    reach: tuple[int, int],
) -> Alignment:
    """Return the likeliest way through both runs.

    Args:
        pairs: for each front and back the log likelihood ratio of their being one sheet, (fronts, backs).
        front_twice: for each front the log likelihood ratio of its being the one before, taken again.
        back_twice: the same for the backs.
        numbering: what is printed.
        reach: by how much fewer and how many more backs than fronts may have been laid at any time; 0, and the
            difference of their counts, lie within.

    >>> from papiermappe.core.order.pair_sums import NO_NUMBER
    >>> nothing = np.full((1, 1), NO_NUMBER)
    >>> numbers = Numbering(nothing, nothing, np.array([], np.int64), 2, 1)
    >>> align(np.array([[3.0]]), np.zeros(1), np.zeros(1), numbers, (-3, 3)).steps
    [<Step.PAIR: 0>]
    """
    steps, confidences, total = aligned(
        np.ascontiguousarray(pairs, np.float64),
        np.ascontiguousarray(front_twice, np.float64),
        np.ascontiguousarray(back_twice, np.float64),
        np.ascontiguousarray(numbering.fronts, np.int64),
        np.ascontiguousarray(numbering.backs, np.int64),
        np.ascontiguousarray(numbering.bases, np.int64),
        numbering.step,
        numbering.back_plus,
        *reach,
    )
    return Alignment([Step(int(step)) for step in steps], [float(share) for share in confidences], float(total))
