"""Colour: no coloured mark may be lost, and plain pages should not weigh three channels."""

import numpy as np

from benchmarks.corpus.coloured import DPI, coloured_pages
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.clean import ColourKind, judge_colour

PAGES = 1000


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    count = scaled(PAGES, share)
    marked, plain = of_all(_of_marked, count, seed), of_all(_of_plain, count, seed)
    rows = [
        Row("pages with a coloured mark that lose it", str(sum(not colour for _, colour in marked)), "0"),
        Row(
            "plain pages seen as grey or bilevel",
            percent(float(np.mean([not colour for _, colour in plain]))),
            ">= 95 %",
        ),
    ]
    kinds = dict.fromkeys(kind for kind, _ in marked)
    return rows + [
        Row(f"    {kind}", str(sum(not colour for one, colour in marked if one == kind)), "lost") for kind in kinds
    ]


def _of_marked(numbers: range, seed: int) -> list[tuple[str, bool]]:
    return [
        (kind, judge_colour(page, DPI).kind is ColourKind.COLOUR) for kind, page in coloured_pages(numbers, seed, True)
    ]


def _of_plain(numbers: range, seed: int) -> list[tuple[str, bool]]:
    return [
        (kind, judge_colour(page, DPI).kind is ColourKind.COLOUR) for kind, page in coloured_pages(numbers, seed, False)
    ]
