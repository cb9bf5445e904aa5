"""Doing things ahead of their turn, a few at a time, and having them in order."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import islice
from typing import TypeVar

S = TypeVar("S")
T = TypeVar("T")


def in_order(make: Callable[[S], T], things: Iterable[S], ahead: int) -> Iterator[T]:
    """Yield what a function makes of things, in their order; `ahead` are being made while one is used."""
    rest = iter(things)
    with ThreadPoolExecutor(ahead) as workers:
        waiting: deque[Future[T]] = deque(workers.submit(make, thing) for thing in islice(rest, ahead))
        try:
            while waiting:
                made = waiting.popleft().result()
                waiting.extend(workers.submit(make, thing) for thing in islice(rest, 1))
                yield made
        finally:
            for job in waiting:
                job.cancel()
