"""An overhead camera's session: which sheets are taken, when, and what judging a frame costs."""

import statistics
import time
from itertools import cycle, islice

from benchmarks.table import Row, scaled
from papiermappe.core.order.places import Side
from papiermappe.core.photo.watching import CameraWatch, SeenState
from papiermappe.standin.camera.scene import Table
from papiermappe.standin.camera.session import FRAMES_A_S, Frame, Step, film

SHEETS = 30
WIDTH_PX = 960
SIDES = (
    ("delivery-118", 0, Side.FRONT), ("delivery-118", 0, Side.BACK), ("letter-share", 0, Side.FRONT),
    ("hail", 0, Side.FRONT), ("hail", 0, Side.BACK), ("weigh-2041", 0, Side.FRONT), ("weigh-2042", 0, Side.FRONT),
    ("invoice", 0, Side.FRONT), ("german", 0, Side.FRONT), ("picture", 0, Side.FRONT), ("lease", 0, Side.FRONT),
    ("lease", 0, Side.BACK), ("lease", 1, Side.FRONT), ("minutes", 0, Side.FRONT), ("receipt", 0, Side.FRONT),
    ("letter-pruning", 0, Side.FRONT), ("letter-store", 0, Side.FRONT), ("delivery-119", 0, Side.FRONT),
)  # fmt: skip
MOVED_EVERY = 5


def steps(count: int, seed: int) -> list[Step]:
    """Return a session in which so many sheets are laid, and every fifth is moved while it is looked at."""
    found: list[Step] = []
    for at, (key, sheet, side) in enumerate(islice(cycle(SIDES), count)):
        slant = (seed * 7 + at * 13) % 11 - 5.0
        place = ((at * 37 + seed) % 17 - 8.0, (at * 23 + seed) % 13 - 6.0)
        found.append(Step(key, sheet, side, turn_deg=slant, at_mm=place))
        if at % MOVED_EVERY == MOVED_EVERY - 1:
            elsewhere = (-place[0], place[1] - 5)
            found.append(Step(key, sheet, side, turn_deg=-slant, at_mm=elsewhere, is_moved=True))
    return found


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures, on one core."""
    rows = []
    for table in (Table.WOOD, Table.SLATE, Table.PALE):
        rows += _of_session(table, scaled(SHEETS, share), seed)
    return rows


def _of_session(table: Table, sheets: int, seed: int) -> list[Row]:
    session = steps(sheets, seed)
    watch = CameraWatch()
    taken: list[int | None] = []
    late_s: list[float] = []
    costs_s: list[float] = []
    since, before = 0.0, None
    for at, frame in enumerate(film(session, WIDTH_PX, table=table)):
        at_s = at / FRAMES_A_S
        if frame.lies != before:
            since, before = at_s, frame.lies
        state = _timed(watch, frame, at_s, costs_s)
        if state is SeenState.TAKE:
            taken.append(frame.lies)
            late_s.append(at_s - since)
    wanted = [number for number, step in enumerate(session) if not step.is_moved]
    once = sum(taken.count(number) == 1 for number in wanted)
    return [
        Row(f"session on {table.value}: sheets taken exactly once", f"{once} of {len(wanted)}", "all"),
        Row("    taken while a hand or nothing is there", str(taken.count(None)), "0"),
        Row(
            "    taken again though only moved",
            str(sum(number not in wanted for number in taken if number is not None)),
            "0",
        ),
        Row("    after it lies still, worst", f"{max(late_s, default=0):.1f} s", "<= 1.2 s"),
        Row("    frames a second on one core", f"{len(costs_s) / sum(costs_s):.0f}", ">= 8"),
        Row("    a frame, median, worst", f"{1000 * statistics.median(costs_s):.0f}, {1000 * max(costs_s):.0f} ms"),
    ]


def _timed(watch: CameraWatch, frame: Frame, at_s: float, costs_s: list[float]) -> SeenState:
    began = time.process_time()
    state = watch.judge(frame.pixels, at_s).state
    costs_s.append(time.process_time() - began)
    return state
