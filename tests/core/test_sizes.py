"""Sizes of documents, told from some of their pages."""

import numpy as np
import pytest

from papiermappe.core.encode.level import Level
from papiermappe.core.sizes import PageKnown, mean_sizes, pages_to_make


def weighing(size: float) -> dict[Level, float]:
    """Return the same size at each level."""
    return dict.fromkeys(Level, size)


@pytest.mark.parametrize("count", [0, 1, 5, 6, 7, 12, 26, 500])
def test_few_pages_stand_for_all(count: int) -> None:
    """Of fronts full of print and blank backs, and whatever lies between, about as many of each as there are."""
    hand = np.random.default_rng(count)
    scans = [int(hand.integers(800, 1200) if at % 2 == 0 else hand.integers(90, 110)) for at in range(count)]
    chosen = pages_to_make([PageKnown("colour", size) for size in scans], 6)
    assert len(chosen) == len(set(chosen)) == min(count, 6)
    if count > 6 and count % 2 == 0:
        assert np.mean([scans[at] for at in chosen]) == pytest.approx(np.mean(scans), rel=0.1)


def test_each_kind_of_page_is_there_in_its_share() -> None:
    pages = [PageKnown("colour", 1000 + at) for at in range(30)] + [PageKnown("bilevel", 1000 + at) for at in range(10)]
    chosen = pages_to_make(pages, 8)
    assert sum(pages[at].kind == "bilevel" for at in chosen) == 2  # a quarter


def test_nothing_is_told_before_a_page_was_made() -> None:
    assert mean_sizes([PageKnown("colour", 1000)]) == {}
    assert mean_sizes([]) == {}


def test_pages_that_were_not_made_weigh_as_their_kind_does() -> None:
    pages = [
        PageKnown("colour", 900, weighing(100)),
        PageKnown("colour", 700, weighing(60)),
        PageKnown("colour", 800),
        PageKnown("bilevel", 300, weighing(10)),
        PageKnown("bilevel", 310),
        PageKnown("grey", 500),
    ]
    # 100 + 60 + 80 + 10 + 10, and the grey one as the mean of the three that were made: 170 / 3.
    assert mean_sizes(pages) == pytest.approx(weighing((260 + 170 / 3) / 6))
