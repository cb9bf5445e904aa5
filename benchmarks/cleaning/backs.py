"""Blank backs: none with a mark may be called blank."""

import numpy as np

from benchmarks.corpus.backs import DPI, backs
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.clean import judge_blank

PAGES = 1000


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    count = scaled(PAGES, share)
    blank, marked = of_all(_of_blank, count, seed), of_all(_of_marked, count, seed)
    rows = [
        Row("blank backs called blank", percent(float(np.mean([called for _, called in blank]))), ">= 97 %"),
        Row("marked backs called blank", str(sum(called for _, called in marked)), "0"),
    ]
    kinds = dict.fromkeys(kind for kind, _ in marked)
    return rows + [
        Row(f"    {kind}", str(sum(called for one, called in marked if one == kind)), "called blank") for kind in kinds
    ]


def _of_blank(numbers: range, seed: int) -> list[tuple[str, bool]]:
    return [(kind, judge_blank(page, DPI).is_blank) for kind, page in backs(numbers, seed, mark=False)]


def _of_marked(numbers: range, seed: int) -> list[tuple[str, bool]]:
    return [(kind, judge_blank(page, DPI).is_blank) for kind, page in backs(numbers, seed, mark=True)]
