"""Which way up: how often right, how often sure, how fast where the fast way is sure."""

import statistics
import time

import numpy as np

from benchmarks.corpus.turned import DPI, turned_pages
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.clean import find_upright

PAGES = 800


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    found = of_all(_judged, scaled(PAGES, share), seed)
    right, sure = (np.array([one[at] for one in found]) for at in (1, 2))
    rows = [
        Row("right, of those it is sure of", percent(float(right[sure].mean())), ">= 99.5 %"),
        Row("sure", percent(float(sure.mean())), ">= 97 %"),
        Row("time, median", f"{_median_ms(scaled(24, share), seed):.0f} ms", "<= 150 ms"),
    ]
    for kind in dict.fromkeys(one[0] for one in found):
        mine = np.array([one[0] == kind for one in found])
        rows.append(Row(f"    {kind}", percent(float(sure[mine].mean())), f"{int((sure & mine & ~right).sum())} wrong"))
    return rows


def _judged(numbers: range, seed: int) -> list[tuple[str, bool, bool]]:
    found = []
    for kind, page, turns in turned_pages(numbers, seed):
        turn = find_upright(page, DPI)
        found.append((kind, turn.quarter_turns == turns, turn.confidence >= 0.5))
    return found


def _median_ms(count: int, seed: int) -> float:
    times_ms = []
    for _, page, _ in turned_pages(range(count), seed + 1):
        start_s = time.perf_counter()
        find_upright(page, DPI)
        times_ms.append(1000 * (time.perf_counter() - start_s))
    return statistics.median(times_ms)
