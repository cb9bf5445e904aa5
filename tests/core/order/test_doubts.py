"""Pairs that a person should compare, though nothing lies better: by how little speaks for them among the others."""

import numpy as np
import pytest
from numpy.typing import NDArray

from papiermappe.core.order.doubts import ShinesThrough, doubted_pairs


def pile(*of_pairs: float, elsewhere: float = -3.0) -> NDArray[np.float64]:
    """Return evidence by what shines through, (fronts, backs): of the pairs in turn, and of all others."""
    evidence = np.full((len(of_pairs), len(of_pairs)), elsewhere)
    np.fill_diagonal(evidence, of_pairs)
    return evidence


def doubted(
    evidence: NDArray[np.float64],
    scores: NDArray[np.float64] | None = None,
    numbered: tuple[int, ...] = (),
    twice: tuple[tuple[int, ...], tuple[int, ...]] = ((), ()),
) -> list[int]:
    """Return which of the pairs on the diagonal are doubted. Scores are the evidence where none are given."""
    pairs = [(at, at) for at in range(len(evidence)) if at not in twice[0] and at not in twice[1]]
    shines = ShinesThrough(evidence, evidence if scores is None else scores, twice)
    told = np.array([evidence[pair] for pair in pairs])
    found = doubted_pairs(pairs, told, np.array([front in numbered for front, _ in pairs]), shines)
    return [pairs[at][0] for at in np.flatnonzero(found)]


def test_pairs_that_all_show_plainly_are_not_doubted() -> None:
    assert doubted(pile(9.0, 12.0, 16.0, 11.0)) == []


def test_a_pair_that_shows_little_among_plain_ones_is() -> None:
    assert doubted(pile(9.0, 12.0, 1.5, 11.0)) == [2]


def test_a_back_that_another_front_shows_as_well_is_doubted_at_both() -> None:
    """The front of sheet 2 and the back of sheet 3 look alike by chance: 9.3 against 8.8 of the next front."""
    evidence = pile(9.5, 6.1, 9.3, 16.0)
    evidence[3, 2] = 8.8
    assert doubted(evidence) == [2]
    assert doubted(evidence, numbered=(2,)) == []  # their printed numbers say so, too


def test_a_side_that_came_twice_is_no_rival_of_the_first() -> None:
    evidence = pile(9.5, 9.3, 9.3, 12.0)
    evidence[2, 1] = 9.3
    assert doubted(evidence, twice=((2,), ())) == []


@pytest.mark.parametrize(
    ("scores", "odd"),
    [
        ((36, 32, 33, 32, 34, 7.0, 40, 37), [5]),  # all others are alike
        ((36, 32, 33, 32, 34, 12.0, 40, 37), []),  # eight sheets may scatter as much
        ((4.2, 8.6, 6.7, 13.5, 9.1, 10.6, 5.0, 18.0), []),  # they scatter by themselves
        ((36, 10.6), []),  # two tell nothing of how they scatter
    ],
)
def test_a_score_far_below_those_of_sheets_that_are_alike_is_odd(scores: tuple[float, ...], odd: list[int]) -> None:
    assert doubted(pile(*[10.0] * len(scores)), pile(*scores)) == odd


def test_sheets_that_were_not_compared_are_judged_by_what_else_tells() -> None:
    assert doubted(pile(0.0, 0.0, 0.0, elsewhere=0.0)) == []
    assert doubted(np.zeros((0, 0))) == []
