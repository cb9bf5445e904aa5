"""Bringing a document within a size: a smaller level on as many pages as it takes, and on no more."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from papiermappe.core.encode.level import Level
from papiermappe.errors import PapiermappeError

SMALLER = {Level.FAITHFUL: Level.BALANCED, Level.BALANCED: Level.LEAN}
MOST_TRIES = 3
"""Of a mixture, since what pages have in common makes their sizes depend on one another."""


class LimitOutOfReach(PapiermappeError):
    """A document cannot be made as small as it is to be."""


class Written(NamedTuple):
    """What came of a document at levels that were tried."""

    byte_size: int
    page_sizes: Sequence[int]
    """What each page adds."""
    levels: Sequence[Level]
    """Of each page."""


Write = Callable[[Sequence[Level]], Written]
"""Makes a document with a level for each page, and keeps it if it may be the one."""


def fitted(write: Write, page_count: int, wanted: Level, limit_bytes: int) -> Written:
    """Find levels with which a document is no larger than a limit.

    Where it is too large at the level that is wanted, it is made at the next smaller one. Then those pages that weigh
    most against it get that level, as many as are needed, and the others keep the better one.

    Args:
        write: makes the document; never twice with the same levels.
        page_count: of it.
        wanted: the best level that pages get.
        limit_bytes: how large it may be.

    Raises:
        LimitOutOfReach: it is larger at the smallest level; the message says how large.
    """
    better = write([wanted] * page_count)
    while better.byte_size > limit_bytes:
        level = SMALLER.get(better.levels[0])
        if level is None:
            raise LimitOutOfReach("limit_out_of_reach", limit_bytes=limit_bytes, bytes=better.byte_size)
        smaller = write([level] * page_count)
        if smaller.byte_size <= limit_bytes:
            return _mixed(write, better, smaller, limit_bytes)
        better = smaller
    return better


def _mixed(write: Write, better: Written, smaller: Written, limit_bytes: int) -> Written:
    """Try mixtures of two neighbouring levels; all pages get the smaller one where no mixture fits."""
    budget = limit_bytes
    for _ in range(MOST_TRIES):
        levels, expected = _levels_within(better, smaller, budget)
        if levels == list(smaller.levels):
            break
        tried = write(levels)
        if tried.byte_size <= limit_bytes:
            return tried
        budget = expected - (tried.byte_size - limit_bytes)  # less than before: one page more at least
    return smaller


def _levels_within(better: Written, smaller: Written, budget: int) -> tuple[list[Level], int]:
    """Return levels with which a document should fit, the largest savings taken first, and its size by then."""
    savings = [large - small for large, small in zip(better.page_sizes, smaller.page_sizes, strict=True)]
    expected, levels = better.byte_size, list(better.levels)
    for at in sorted(range(len(savings)), key=lambda at: -savings[at]):
        if expected <= budget:
            break
        expected -= savings[at]
        levels[at] = smaller.levels[at]
    return levels, expected
