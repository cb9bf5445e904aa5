"""What the pages of a run have in common in their paper does not count as a page's own."""

import numpy as np
import pytest

from papiermappe.core.order.imprint import Imprint
from papiermappe.core.order.paper_of_run import PaperOfRun
from papiermappe.core.order.show_through import Turn

SHAPE = (60, 40)
PAGES = 9
STAIN, OWN = np.s_[10:14, 5:30], np.s_[40:44, 8:20]


def side(shade: np.ndarray) -> Imprint:
    """Return a side without print, on whose paper something shows."""
    return Imprint(np.zeros(SHAPE, np.int8), shade.astype(np.int8), b"", (250.0, 250.0, 250.0))


def stained(hand: np.random.Generator, has_own: bool = False) -> Imprint:
    """Return a side of grainy paper that shows what all show, and perhaps something of its own."""
    shade = hand.normal(0, 5, SHAPE)
    shade[STAIN] += 60
    if has_own:
        shade[OWN] += 60
    shade = shade.round()
    return side(np.where(shade == 0, 1, shade))  # 0 means hidden


def test_what_all_pages_show_is_taken_out_and_what_one_shows_stays() -> None:
    hand = np.random.default_rng(4)
    page = stained(hand, has_own=True)
    own = PaperOfRun([page, *(stained(hand) for _ in range(PAGES - 1))]).own_shade(page)
    # of 60 levels, 8 other pages leave 60 / (8 + 1); along the stain's edge a little more, being smoothed
    assert abs(own[11:13, 8:27]).mean() < 15
    assert own[41:43, 10:18].mean() > 50


def test_one_page_alone_keeps_all_that_it_shows() -> None:
    page = stained(np.random.default_rng(5))
    assert np.allclose(PaperOfRun([page]).own_shade(page), page.shade, atol=0.01)


def test_print_counts_as_far_as_it_can_be_seen_from_behind() -> None:
    paper = np.full(SHAPE, 3)
    paper[:20, :10] = 0  # covered on all pages: at the top left
    run = PaperOfRun([side(paper)] * PAGES)
    printed = np.full(SHAPE, 100, np.int8)
    printed[:, 30:] = 50  # at the right: behind the left of a sheet that is turned at its long edge
    at_long_edge, at_short_edge = (run.seen_through(printed, turn) for turn in (Turn.LONG_EDGE, Turn.SHORT_EDGE))
    for seen, at_the_left, at_the_right in ((at_long_edge, 50, 100), (at_short_edge, 100, 50)):
        assert seen[5, 3] < 5
        assert seen[40, 3] == pytest.approx(at_the_left)
        assert seen[40, -3] == pytest.approx(at_the_right)


def test_a_page_larger_than_the_other_run_is_seen_no_farther_than_that_reaches() -> None:
    run = PaperOfRun([side(np.full(SHAPE, 3))] * 3)
    seen = run.seen_through(np.full((90, 50), 100, np.int8), Turn.LONG_EDGE)
    assert seen.shape == (90, 50)
    assert seen[70:].max() == 0
