"""Levels with which a document stays within a size, found with documents of stated sizes."""

from collections.abc import Mapping, Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.encode.level import Level
from papiermappe.making.fitting import LimitOutOfReach, Written, fitted

SIZES = {Level.FAITHFUL: (100, 400, 100), Level.BALANCED: (40, 100, 50), Level.LEAN: (30, 40, 45)}


class Pages:
    """Pages that weigh at each level what is stated, and a file that adds to them."""

    def __init__(self, sizes: Mapping[Level, Sequence[int]] = SIZES, file_bytes: int = 0, more_mixed: int = 0) -> None:
        self.sizes, self.file_bytes, self.more_mixed = sizes, file_bytes, more_mixed
        self.tried: list[tuple[Level, ...]] = []

    def write(self, levels: Sequence[Level]) -> Written:
        """Return what the document weighs; one of two levels more than its pages, where that is stated."""
        assert tuple(levels) not in self.tried, "made twice"
        self.tried.append(tuple(levels))
        pages = [self.sizes[level][at] for at, level in enumerate(levels)]
        mixed = self.more_mixed if len(set(levels)) > 1 else 0
        return Written(sum(pages) + self.file_bytes + mixed, pages, levels)


def test_what_fits_is_left_as_it_is_wanted() -> None:
    pages = Pages()
    assert fitted(pages.write, 3, Level.FAITHFUL, 600).levels == [Level.FAITHFUL] * 3
    assert len(pages.tried) == 1


def test_the_page_that_weighs_most_gives_way_alone() -> None:
    # 600 in all; the second page saves 300, so 300 is reached with it alone, and 299 is not.
    within = fitted(Pages().write, 3, Level.FAITHFUL, 300)
    assert within.levels == [Level.FAITHFUL, Level.BALANCED, Level.FAITHFUL]
    assert fitted(Pages().write, 3, Level.FAITHFUL, 299).levels == [Level.BALANCED, Level.BALANCED, Level.FAITHFUL]


def test_a_limit_below_one_level_is_sought_between_the_next_two() -> None:
    # All balanced is 190; the second page alone saves 60.
    assert fitted(Pages().write, 3, Level.FAITHFUL, 130).levels == [Level.BALANCED, Level.LEAN, Level.BALANCED]


def test_a_limit_out_of_reach_is_said_with_the_least() -> None:
    with pytest.raises(LimitOutOfReach) as caught:
        fitted(Pages(file_bytes=5).write, 3, Level.BALANCED, 119)
    assert caught.value.message.params == {"limit_bytes": 119, "bytes": 120}


def test_a_mixture_that_weighs_more_than_its_pages_gives_way_to_another_page() -> None:
    pages = Pages(more_mixed=30)
    within = fitted(pages.write, 3, Level.FAITHFUL, 300)
    assert within.byte_size == 270  # 40 + 100 + 100 + 30
    assert within.levels == [Level.BALANCED, Level.BALANCED, Level.FAITHFUL]


def test_where_no_mixture_fits_all_pages_get_the_smaller_level() -> None:
    assert fitted(Pages(more_mixed=500).write, 3, Level.FAITHFUL, 300).levels == [Level.BALANCED] * 3


LEVEL_SIZES = st.tuples(st.integers(1, 900), st.integers(1, 900), st.integers(1, 900))


@given(st.lists(LEVEL_SIZES, min_size=1, max_size=12), st.integers(1, 9000), st.integers(0, 50))
def test_it_fits_or_the_least_is_told(pages: list[tuple[int, int, int]], limit: int, file_bytes: int) -> None:
    sizes = dict(zip(Level, zip(*pages, strict=True), strict=True))
    known = Pages(sizes, file_bytes)
    whole = [sum(sizes[level]) + file_bytes for level in Level]
    if min(whole) > limit:
        with pytest.raises(LimitOutOfReach) as caught:
            fitted(known.write, len(pages), Level.FAITHFUL, limit)
        assert caught.value.message.params["bytes"] == whole[-1]
    else:
        within = fitted(known.write, len(pages), Level.FAITHFUL, limit)
        assert within.byte_size <= limit
        assert within.byte_size == sum(sizes[level][at] for at, level in enumerate(within.levels)) + file_bytes
