"""Pairs that a person should compare, though no other way to lay the runs is likelier.

Where the front of one sheet is missing, and the back of one beside it, the two sides that are left are laid to each
other: nothing lies better, and two faults are hardly ever as likely as one sheet that shows little. So such a pair is
measured by what the others of its pile show.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

DOUBTED_BELOW = (-1.5, 2.5)  # where what shines through is faint, as between pictures; and where it is plain
FAINT, PLAIN = 4.0, 7.0  # the evidence that most pairs of a pile have then
RIVAL = 1.0  # evidence by which a pair leads all others of its front and of its back
LEAST_SCORE = 0.1
FEWEST = 3  # pairs tell how scores of a pile scatter
LEAST_SCATTER = 0.2  # of the logarithms of scores
USUAL_SCATTER, USUAL_WEIGHT = 0.5, 3.0  # few sheets tell little of it; this is how piles usually do
FAR_OUT = 4.0  # a score is odd that lies so many times the scatter below


class ShinesThrough(NamedTuple):
    """What shines through of a pile, (fronts, backs) each."""

    evidence: NDArray[np.float64]
    """Log likelihood ratios; 0 where sides were not compared."""
    scores: NDArray[np.float64]
    """How much more than chance sides have in common, in scatters of the pile."""
    twice: tuple[Sequence[int], Sequence[int]]
    """Fronts and backs that are the one before, taken again."""


def doubted_pairs(
    pairs: Sequence[tuple[int, int]],
    told: NDArray[np.float64],
    numbered: NDArray[np.bool_],
    shines: ShinesThrough,
) -> NDArray[np.bool_]:
    """Return which pairs are to be compared.

    Args:
        pairs: front and back.
        told: (n,), how much speaks for each in all, as a log likelihood ratio.
        numbered: (n,), whether their printed numbers follow each other.
        shines: through the sheets of the pile.

    >>> shines = ShinesThrough(np.diag([9.0, 9.0]), np.diag([9.0, 9.0]), ((), ()))
    >>> doubted_pairs([(0, 0), (1, 1)], np.array([9.0, 9.0]), np.array([False, False]), shines).tolist()
    [False, False]
    """
    if not pairs:
        return np.zeros(0, np.bool_)
    own = np.array([shines.evidence[pair] for pair in pairs])
    compared = own != 0
    typical = float(np.median(own[compared])) if compared.any() else 0.0
    least = np.where(compared, np.interp(typical, (FAINT, PLAIN), DOUBTED_BELOW), DOUBTED_BELOW[0])
    odd = (own - _best_rivals(pairs, shines) < RIVAL) | _is_odd(
        np.array([shines.scores[pair] for pair in pairs]), compared
    )
    return np.asarray((told < least) | (compared & ~numbered & odd), np.bool_)


def _best_rivals(pairs: Sequence[tuple[int, int]], shines: ShinesThrough) -> NDArray[np.float64]:
    """Return for each pair the most that speaks for another pair of its front or its back, (n,)."""
    evidence = np.pad(shines.evidence, 1, constant_values=-np.inf)[1:, 1:]  # so that there always is another
    evidence[list(shines.twice[0])] = -np.inf
    evidence[:, list(shines.twice[1])] = -np.inf
    rivals = np.empty(len(pairs))
    for at, (front, back) in enumerate(pairs):
        row, column = evidence[front].copy(), evidence[:, back].copy()
        row[back] = column[front] = -np.inf
        rivals[at] = max(row.max(), column.max())
    return rivals


def _is_odd(scores: NDArray[np.float64], compared: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return which scores lie far below those of all other pairs, (n,)."""
    levels = np.log(np.maximum(scores, LEAST_SCORE))
    odd = np.zeros(len(scores), np.bool_)
    known = np.flatnonzero(compared)
    if len(known) < FEWEST:
        return odd
    for at in known:
        others = levels[known[known != at]]
        middle = float(np.median(others))
        scatter = max(1.4826 * float(np.median(np.abs(others - middle))), LEAST_SCATTER)
        weighed = np.sqrt((len(others) * scatter**2 + USUAL_WEIGHT * USUAL_SCATTER**2) / (len(others) + USUAL_WEIGHT))
        odd[at] = levels[at] < middle - FAR_OUT * weighed
    return odd
