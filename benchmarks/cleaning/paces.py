"""How long one page takes, A4 at 300 dpi on one core, and how much memory."""

import multiprocessing
import statistics
import timeit
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

from benchmarks.corpus.sheets import DPI, laid_sheets
from benchmarks.table import Row, scaled
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.pages import examine
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import Tone, Treatment, render
from papiermappe.core.zones import SheetZone, ZoneKind

PAGES = 24
THUMBNAIL = (200,), 80
PREVIEW_PX = 1000
DECODE_MS = 65.0
"""What decoding a page takes on the machine that the figures were set on."""


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    captures = _captures(scaled(PAGES, share), seed)
    treatments = [examine(capture, *THUMBNAIL).analysis.treatment for capture in captures]

    def row(name: str, goal_ms: float, call: Callable[[CapturedPicture, Treatment], object]) -> Row:
        goal = f"<= {goal_ms:.0f} ms, {goal_ms / DECODE_MS:.1f} times" if goal_ms else ""
        return Row(name, _beside_decoding(captures, treatments, call), goal)

    rows = [row("everything at arrival", 250, lambda capture, _: examine(capture, *THUMBNAIL))]
    for name, tone, width_px, goal_ms in (
        ("render, colour", Tone.AS_SCANNED, None, 250),
        ("render, grey", Tone.GREY, None, 120),
        ("render, preview of 1000 px", Tone.AS_SCANNED, PREVIEW_PX, 60),
        ("render, paper white", Tone.WHITE, None, 0),
        ("render, bilevel", Tone.BILEVEL, None, 0),
    ):
        rows.append(row(name, goal_ms, partial(_render, tone=tone, width_px=width_px)))
    rows.append(row("render, colour, all stages on", 350, lambda capture, found: render(capture, _with_all(found))))
    head = captures[0].head()
    with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as pool:
        times = pool.submit(_memory_times, captures[0].data, head.width_px * head.height_px * 3).result()
    rows.append(Row("memory, arrival and render, of the decoded picture", f"{times:.1f} x", "<= 5 x"))
    return rows


def _beside_decoding(
    captures: Sequence[CapturedPicture],
    treatments: Sequence[Treatment],
    call: Callable[[CapturedPicture, Treatment], object],
) -> str:
    """Say how long a call takes and how long decoding does: both in turn, as the machine is not always as fast.

    Of each page the best of three, of these the medians.
    """
    taken, decoding = [], []
    for capture, treatment in zip(captures, treatments, strict=True):
        both = [(_ms(capture.pixels), _ms(partial(call, capture, treatment))) for _ in range(3)]
        decoding.append(min(decode_ms for decode_ms, _ in both))
        taken.append(min(taken_ms for _, taken_ms in both))
    taken_ms, decode_ms = statistics.median(taken), statistics.median(decoding)
    return f"{taken_ms:.0f} ms, {taken_ms / decode_ms:.1f} times decoding ({decode_ms:.0f} ms)"


def _ms(call: Callable[[], object]) -> float:
    return 1000 * timeit.timeit(call, number=1)


def _render(capture: CapturedPicture, found: Treatment, tone: Tone, width_px: int | None) -> object:
    return render(capture, found.model_copy(update={"tone": tone}), width_px)


def _with_all(found: Treatment) -> Treatment:
    """Return the treatment of a straightened and cropped page with all on that there is: paper white, zones, marks."""
    outlines = (
        (ZoneKind.WIPE, 8, 40, 9, 9),
        (ZoneKind.WIPE, 8, 120, 9, 9),
        (ZoneKind.WIPE, 0, 0, 230, 6),
        (ZoneKind.HIGHLIGHT, 40, 60, 60, 8),
        (ZoneKind.BOX, 40, 80, 60, 20),
        (ZoneKind.NOTE, 120, 30, 50, 12),
        (ZoneKind.BLACKOUT, 40, 200, 50, 8),
    )
    zones = [
        SheetZone(
            name=f"zone{at}",
            kind=kind,
            corners=((left, top), (left + width, top), (left + width, top + height), (left, top + height)),
            text="Is this the right field?" if kind is ZoneKind.NOTE else "",
        )
        for at, (kind, left, top, width, height) in enumerate(outlines)
    ]
    more = {"tone": Tone.WHITE, "brightness": 5, "contrast": 15, "without_specks": True, "without_show_through": True}
    return found.model_copy(update={"margins": (2.0, 1.5), "zones": tuple(zones), **more})


def _captures(count: int, seed: int) -> list[CapturedPicture]:
    """Return feeder captures of A4 and Letter sheets, as JPEG."""
    fed = (laid for laid in laid_sheets(range(7, 8 * 4 * count, 8), seed))
    return [CapturedPicture(encode_jpeg(laid.pixels, 88), DPI) for laid, _ in zip(fed, range(count), strict=False)]


def _memory_times(data: bytes, decoded: int) -> float:
    """Return how much the process grows at most, against the decoded picture."""
    capture = CapturedPicture(data, DPI)
    small = CapturedPicture(encode_jpeg(capture.pixels(8), 88), DPI / 8)
    render(small, examine(small, *THUMBNAIL).analysis.treatment)
    before_kb = peak_kb()
    render(capture, examine(capture, *THUMBNAIL).analysis.treatment)
    return (peak_kb() - before_kb) * 1024 / decoded


def peak_kb() -> int:
    """Return the most memory that this program has had; what it was started by does not count (proc(5), VmHWM)."""
    status = Path("/proc/self/status").read_text()
    return int(status.partition("VmHWM:")[2].split()[0])
