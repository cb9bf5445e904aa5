"""A Mappe of many pages at 300 dpi on a running desk, and a window that shows it at Tidy."""

import os
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from decimal import Decimal
from functools import partial
from typing import NamedTuple

import cv2
import numpy as np
from selenium import webdriver

from benchmarks.desk import chromium, metric, mouse
from benchmarks.second.recurring import pile
from benchmarks.whole_way import CLERK, TICKET, Bench
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.order.places import Side
from papiermappe.core.picture import CapturedPicture
from papiermappe.services import keeping, runs
from papiermappe.services.views import mappe_changes
from papiermappe.store.models import RunState

PILES = 2
PATIENCE_S = 1200
PAGE_S = 1.0
TO_BIG_DPI = 2


class Pages(NamedTuple):
    """A Mappe whose pages have been examined."""

    bench: Bench
    mappe: int
    order: list[int]
    """Its pages, in reading order."""


def bring_in(bench: Bench, count: int, seed: int) -> Pages:
    """Have pages arrive that are all different, at a feeder's speed, and be examined."""
    with ProcessPoolExecutor(os.cpu_count(), initializer=cv2.setNumThreads, initargs=(1,)) as pool:
        captures = list(pool.map(partial(_page, seed), range(count), chunksize=4))
    mappe = bench.open("Many pages")
    run = runs.start_run(CLERK, bench.store, mappe, bench.device, TICKET)
    began_s = time.monotonic()
    for number, capture in enumerate(captures):
        time.sleep(max(0.0, began_s + number * PAGE_S - time.monotonic()))
        place = runs.next_place(*runs.read_run(bench.store, run))
        keeping.keep_capture(bench.store, run, place, capture)
    runs.end(CLERK, bench.store, run, RunState.DONE)
    wait(lambda: all(page.analysed for page in mappe_changes(CLERK, bench.store, mappe, 0)[0].pages), every_s=1.0)
    pages = mappe_changes(CLERK, bench.store, mappe, 0)[0].pages  # in the order in which the database finds them
    lying = sorted(
        (page for page in pages if not page.set_aside), key=lambda page: (Decimal(page.rank), page.side is Side.BACK)
    )
    return Pages(bench, mappe, [page.id for page in lying])


_PILES: dict[tuple[int, int], list[CapturedPicture]] = {}


def _page(seed: int, number: int) -> CapturedPicture:
    """Return a sheet of the second generator at 300 dpi, with some noise of its own."""
    key = (seed, number % PILES)
    if key not in _PILES:
        _PILES[key] = pile(number % PILES, seed).captures
    sheets = _PILES[key]
    small = sheets[(number // PILES) % len(sheets)]
    hand = np.random.default_rng([seed, number])
    big = cv2.resize(small.pixels(), None, fx=TO_BIG_DPI, fy=TO_BIG_DPI, interpolation=cv2.INTER_LINEAR)
    moved = np.roll(big, tuple(int(by) for by in hand.integers(-9, 10, 2)), (0, 1)).astype(np.int16)
    moved += hand.integers(-3, 4, moved.shape[:2], np.int16)[..., None]
    return CapturedPicture(encode_jpeg(np.clip(moved, 0, 255).astype(np.uint8), 85), small.dpi * TO_BIG_DPI)


@contextmanager
def window(pages: Pages) -> Iterator[webdriver.Chrome]:
    """Show the Mappe at Tidy, and wait until the first page is there."""
    with chromium() as driver:
        driver.set_script_timeout(120)
        # of all that is fetched, not only of the first 250
        all_kept = {"source": "performance.setResourceTimingBufferSize(100000)"}
        driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", all_kept)
        driver.get(f"{pages.bench.web_url}/mappen/{pages.mappe}/tidy")
        wait(lambda: driver.execute_script("return !!window.Alpine?.store('mappe')"))
        wait(lambda: driver.execute_script("return document.getElementById('frame').disabled === false"))
        time.sleep(3)
        yield driver


def busy_ms_a_frame(driver: webdriver.Chrome, start: tuple[float, float], moves: list[tuple[float, float]]) -> float:
    """Drag along points; return the time of scripts, styles and layout for each frame that is painted."""
    kinds = ("ScriptDuration", "LayoutDuration", "RecalcStyleDuration")
    mouse(driver, "mousePressed", *start)
    driver.execute_script(
        "window.painted = 0; const count = () => { window.painted += 1; requestAnimationFrame(count); }; count();"
    )
    before = sum(metric(driver, kind) for kind in kinds)
    for x, y in moves:
        mouse(driver, "mouseMoved", x, y)
    spent = sum(metric(driver, kind) for kind in kinds) - before
    frames: int = driver.execute_script("return window.painted")
    mouse(driver, "mouseReleased", *moves[-1])
    return 1000 * spent / frames


def wait(condition: Callable[[], object], every_s: float = 0.05) -> None:
    """Wait."""
    until_s = time.monotonic() + PATIENCE_S
    while not condition():
        if time.monotonic() > until_s:
            raise TimeoutError("it did not happen in time")
        time.sleep(every_s)
