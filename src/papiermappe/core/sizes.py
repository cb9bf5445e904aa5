"""How large a document becomes at each level: some of its pages are made, the others are estimated from them."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from papiermappe.core.encode.level import Level

BYTES_A_FILE = 4_700
"""Of a PDF, whatever its pages: colours, metadata, tables."""
BYTES_A_PAGE = 300
"""Beside its pictures."""
BYTES_A_PICTURE = 225
"""What a PDF says of one, a stencil too."""
BYTES_OF_TEXT = 1_600
"""Of the unseen font, where pages are read."""
BYTES_A_WORD = 9
WORDS_A_PAGE = 220
"""Where nothing is known of them."""


class PageKnown(NamedTuple):
    """What is known of a page before it is filed."""

    kind: str
    """Pages of one kind are compared with one another."""
    scan_bytes: int
    sizes: Mapping[Level, float] | None = None
    """What it adds to a file; None where it has not been made yet."""


def pages_to_make(pages: Sequence[PageKnown], count: int) -> list[int]:
    """Return the places of pages that stand for all: of each kind in its share, small and large ones.

    Pages are sorted by their kind and the size of their scans and split into as many parts as are wanted; the middle of
    each part is taken.

    >>> pages_to_make([PageKnown("colour", size) for size in (10, 30, 20, 40)], 2)
    [2, 3]
    """
    ordered = sorted(range(len(pages)), key=lambda at: (pages[at].kind, pages[at].scan_bytes, at))
    parts = min(count, len(ordered))
    return [ordered[(2 * part + 1) * len(ordered) // (2 * parts)] for part in range(parts)]


def mean_sizes(pages: Sequence[PageKnown]) -> dict[Level, float]:
    """Return what a page adds to a file in the mean; empty where nothing is known of any.

    What has not been made weighs as the pages of its kind do in the mean, or as all where none of its kind was made.
    """
    made = [page for page in pages if page.sizes is not None]
    if not made:
        return {}
    return {level: sum(_sizes_at(level, pages, made)) / len(pages) for level in Level}


def _sizes_at(level: Level, pages: Sequence[PageKnown], made: Sequence[PageKnown]) -> list[float]:
    def known(page: PageKnown) -> float:
        return page.sizes[level] if page.sizes else 0.0

    means = {kind: _mean([known(page) for page in made if page.kind == kind]) for kind in {page.kind for page in made}}
    overall = _mean([known(page) for page in made])
    return [known(page) if page.sizes else means.get(page.kind, overall) for page in pages]


def _mean(values: Sequence[float]) -> float:
    return sum(values) / len(values)
