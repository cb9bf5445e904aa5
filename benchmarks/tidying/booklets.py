"""A booklet of 40 pages scanned as 20 spreads: how long the machine takes until every page is good."""

import os
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from decimal import Decimal
from functools import partial
from pathlib import Path

import cv2
import httpx
import numpy as np

from benchmarks.second.spreads import SPREADS, wide_sheet
from benchmarks.table import Row
from benchmarks.tidying.contact_sheet import contact_sheet
from benchmarks.tidying.desk import wait
from benchmarks.whole_way import CLERK, TICKET, Bench
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.operations import AlignMargins, CleanBorders, DrawnZone, Operation, PutZones
from papiermappe.core.operations.steps import Step, StepScope
from papiermappe.core.order.places import Side
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.zones import ZoneKind
from papiermappe.devices.model import Sides
from papiermappe.services import journal, keeping, piles, running_routines, runs, splitting
from papiermappe.services.routine_runs import RoutineWanted
from papiermappe.services.views import MappeView, mappe_changes
from papiermappe.store.models import RunState

COUNT = 20
KIND = "soft"
TO_BIG_DPI = 2


def measure(bench: Bench, seed: int, sheet: Path | None) -> list[Row]:
    """Return the figures; write a sheet with all spreads and pages where one is wanted."""
    with ProcessPoolExecutor(os.cpu_count(), initializer=cv2.setNumThreads, initargs=(1,)) as pool:
        captures = list(pool.map(partial(_spread, seed), range(COUNT)))
    mappe, parts = _timed_by_hand(bench, captures)
    by_hand_s = sum(took_s for _, took_s in parts)
    if sheet:
        pages = [cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_COLOR_RGB) for jpeg in _drawn(bench, mappe)]
        before = [capture.pixels(8) for capture in captures]
        sheet.write_bytes(encode_jpeg(contact_sheet(before, [np.asarray(page, np.uint8) for page in pages]), 85))
    routine_s = _timed_routine(bench, captures)
    return [
        Row(f"{COUNT} spreads: split, wiped, rims, lined up; machine time", f"{by_hand_s:.1f} s", "<= 60 s"),
        *(Row(f"    {what}", f"{took_s:.1f} s") for what, took_s in parts),
        Row("the next booklet by the routine", f"{routine_s:.1f} s"),
    ]


def _spread(seed: int, number: int) -> CapturedPicture:
    """Return a spread of the second generator at 300 dpi."""
    kinds = sorted(SPREADS)
    scan = wide_sheet(8 * number + kinds.index(KIND), seed).scan
    capture = scan.capture
    big = cv2.resize(capture.pixels(), None, fx=TO_BIG_DPI, fy=TO_BIG_DPI, interpolation=cv2.INTER_LINEAR)
    return CapturedPicture(encode_jpeg(np.asarray(big, np.uint8), 85), capture.dpi * TO_BIG_DPI)


def _arrived(bench: Bench, captures: list[CapturedPicture]) -> int:
    mappe = bench.open("Booklet")
    run = runs.start_run(CLERK, bench.store, mappe, bench.device, TICKET.model_copy(update={"sides": Sides.ONE}))
    for capture in captures:
        keeping.keep_capture(bench.store, run, runs.next_place(*runs.read_run(bench.store, run)), capture)
    runs.end(CLERK, bench.store, run, RunState.DONE)
    bench.all_analysed(mappe)
    return mappe


def _now(bench: Bench, mappe: int) -> MappeView:
    return mappe_changes(CLERK, bench.store, mappe, 0)[0]


def _lying(bench: Bench, mappe: int) -> list[int]:
    return [page.id for page in _now(bench, mappe).pages if not page.set_aside]


def _timed_by_hand(bench: Bench, captures: list[CapturedPicture]) -> tuple[int, list[tuple[str, float]]]:
    """Return the Mappe, and the time of each step, until the desk has done with it."""
    mappe = _arrived(bench, captures)
    parts: list[tuple[str, float]] = []

    def timed(what: str, step: Callable[[], object]) -> None:
        began_s = time.perf_counter()
        step()
        bench.all_analysed(mappe)
        parts.append((what, time.perf_counter() - began_s))

    def do(operation: Operation) -> None:
        journal.apply_operation(CLERK, bench.store, mappe, operation, _now(bench, mappe).cursor)

    timed(
        "split, and the pages examined",
        lambda: splitting.split_spreads(CLERK, bench.store, mappe, _lying(bench, mappe), _now(bench, mappe).cursor),
    )
    timed("pile laid, what it suggests wiped", lambda: _wipe(bench, mappe, do))
    timed("dark rims wiped", lambda: do(CleanBorders(pages=tuple(_lying(bench, mappe)))))
    timed("lined up", lambda: do(AlignMargins(pages=tuple(_lying(bench, mappe)), across="inner")))
    timed("all pages drawn large", lambda: _drawn(bench, mappe))
    return mappe, parts


def _wipe(bench: Bench, mappe: int, do: Callable[[Operation], None]) -> None:
    name = piles.request_pile(CLERK, bench.store, mappe, _lying(bench, mappe))

    def whole() -> piles.PileSeen | None:
        seen = piles.pile_seen(CLERK, bench.store, mappe, name)
        return seen if seen and seen.whole else None

    wait(whole)
    seen = whole()
    for side in seen.sides if seen else []:
        zones = tuple(
            DrawnZone(name=f"{side.side.value}-{at}", does=ZoneKind.WIPE, zone=one.zone)
            for at, one in enumerate(side.suggestions)
            if one.on_scan is None
        )
        if zones:
            size_mm = (side.width_mm, side.height_mm)
            do(PutZones(pages=tuple(side.pages), zones=zones, drawn_on_mm=size_mm))


def _drawn(bench: Bench, mappe: int) -> list[bytes]:
    """Return all pages in their order as the viewer shows them, JPEG."""
    drawn = []
    now = sorted(_now(bench, mappe).pages, key=lambda page: (Decimal(page.rank), page.side is Side.BACK))
    with httpx.Client(trust_env=False, timeout=60, base_url=bench.web_url) as http:
        for page in now:
            if page.set_aside:
                continue
            while (answer := http.get(f"/pages/{page.id}/{page.picture}-stage.jpg")).status_code == 503:
                pass
            drawn.append(answer.content)
    return drawn


def _timed_routine(bench: Bench, captures: list[CapturedPicture]) -> float:
    mappe = _arrived(bench, captures)
    steps = (
        Step(does={"kind": "split"}, on=StepScope.SPREADS),
        Step(does={"kind": "clean_borders"}),
        Step(does={"kind": "align_margins", "across": "inner"}),
    )
    wanted = RoutineWanted(name="Booklet", steps=steps, pages=tuple(_lying(bench, mappe)))
    began_s = time.perf_counter()
    name = running_routines.request_routine(CLERK, bench.store, mappe, wanted, _now(bench, mappe).cursor)
    wait(lambda: running_routines.routine_ran(CLERK, bench.store, mappe, name).over)
    return time.perf_counter() - began_s
