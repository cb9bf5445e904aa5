"""Skew: how exact, how sure, how fast."""

import statistics
import time

import numpy as np

from benchmarks.corpus.pages import DPI, pages_without_print, skewed_pages
from benchmarks.table import Row, kinds_of, of_all, percent, scaled
from papiermappe.core.clean import estimate_skew

PAGES = 330
EMPTY = 80
TIMED = 44


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    found = of_all(_errors, scaled(PAGES, share), seed)
    off, sure = np.array([error for _, error, _ in found]), np.array([confidence >= 0.5 for *_, confidence in found])
    empty = of_all(_confidence, scaled(EMPTY, share), seed)
    times_ms = _times_ms(scaled(TIMED, share), seed)
    return [
        Row("mean error, degrees", f"{off.mean():.4f}", "<= 0.01"),
        Row("within 0.05 degrees", percent(float((off <= 0.05).mean())), ">= 99 %"),
        Row("over 0.1 degrees though sure", str(int((off[sure] > 0.1).sum())), "0"),
        Row("sure", percent(float(sure.mean()))),
        Row("no print: highest confidence", f"{max(empty):.3f}", "< 0.2"),
        Row("time, median", f"{statistics.median(times_ms):.0f} ms", "<= 60 ms"),
        Row("time, worst", f"{max(times_ms):.0f} ms", "<= 100 ms"),
        *kinds_of([(kind, error) for kind, error, _ in found]),
    ]


def _errors(numbers: range, seed: int) -> list[tuple[str, float, float]]:
    found = []
    for page in skewed_pages(numbers, 15.0, seed):
        skew = estimate_skew(page.pixels, DPI)
        found.append((page.kind, abs(skew.skew_deg - page.skew_deg), skew.confidence))
    return found


def _confidence(numbers: range, seed: int) -> list[float]:
    return [estimate_skew(page.pixels, DPI).confidence for page in pages_without_print(numbers, seed)]


def _times_ms(count: int, seed: int) -> list[float]:
    times_ms = []
    for page in skewed_pages(range(count), 15.0, seed + 1):
        start_s = time.perf_counter()
        estimate_skew(page.pixels, DPI)
        times_ms.append(1000 * (time.perf_counter() - start_s))
    return times_ms
