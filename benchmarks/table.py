"""Rows of the printed table, and judging many pages on all cores."""

import os
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from typing import NamedTuple, TypeVar

import cv2

T = TypeVar("T")
CHUNK = 8


class Row(NamedTuple):
    """One figure."""

    what: str
    value: str
    goal: str = ""


def of_all(judge: Callable[[range, int], list[T]], count: int, seed: int, chunk: int = CHUNK) -> list[T]:
    """Return what a function makes of pages 0 to `count`, worked on in parts by a process a core."""
    parts = [range(start, min(start + chunk, count)) for start in range(0, count, chunk)]
    new = get_context("spawn")  # a fork of a process whose libraries have started threads may wait for them for ever
    with ProcessPoolExecutor(os.cpu_count(), new, cv2.setNumThreads, (1,)) as pool:
        return [one for part in pool.map(partial(_call, judge, seed), parts) for one in part]


def _call(judge: Callable[[range, int], list[T]], seed: int, numbers: range) -> list[T]:
    return judge(numbers, seed)


def percent(share: float) -> str:
    """Return a share for people."""
    return f"{100 * share:.2f} %"


def scaled(count: int, share: float) -> int:
    """Return how many pages a share of the corpus is."""
    return max(1, round(count * share))


def kinds_of(pairs: list[tuple[str, float]]) -> Iterator[Row]:
    """Yield the mean and the worst of each kind."""
    for kind in dict.fromkeys(kind for kind, _ in pairs):
        values = [value for one, value in pairs if one == kind]
        yield Row(f"    {kind}", f"{sum(values) / len(values):.4f}", f"worst {max(values):.4f}")
