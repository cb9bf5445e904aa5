"""The sheet frame: intersection over union, and how much of the sheet is lost."""

import statistics
import time

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.corpus.sheets import DPI, glasses, laid_sheets, several_sheets
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.clean import find_originals, find_sheet, find_sheets
from papiermappe.core.geometry import Quad, mm_to_px, px_to_mm

PAGES = 480
SEVERAL = 60
LOOKS = 300


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    found = of_all(_judged, scaled(PAGES, share), seed)
    overlap, lost_mm, sure = (np.array([one[at] for one in found]) for at in (1, 2, 3))
    several = of_all(_several, scaled(SEVERAL, share), seed)
    looks = of_all(_looks, scaled(LOOKS, share), seed)
    times_ms = _times_ms(scaled(24, share), seed)
    rows = [
        Row("intersection over union, mean", f"{overlap.mean():.4f}", ">= 0.995"),
        Row("intersection over union, worst", f"{overlap.min():.4f}", ">= 0.98"),
        Row("intersection over union, worst of the sure", f"{overlap[sure].min():.4f}"),
        Row("most of a sheet lost", f"{lost_mm.max():.2f} mm", "<= 0.3 mm"),
        Row("more than 0.3 mm lost", str(int((lost_mm > 0.3).sum())), "0"),
        Row("sure", percent(float(sure.mean()))),
        Row("several on the glass: all found", percent(float(np.mean([count for count, _ in several])))),
        Row("several on the glass: worst overlap", f"{min(worst for _, worst in several):.4f}"),
        Row("look at 1 to 6 originals: all found", percent(float(np.mean([all_in for all_in, _ in looks]))), ">= 99 %"),
        Row("    an original cut by more than 0.3 mm, no margin", str(sum(cut > 0.3 for _, cut in looks)), "0"),
        Row("    most that is cut off", f"{max(cut for _, cut in looks):.2f} mm"),
        Row("time, median", f"{statistics.median(times_ms):.0f} ms", "<= 30 ms"),
        Row("time, worst", f"{max(times_ms):.0f} ms"),
    ]
    for kind in sorted({one[0] for one in found}):
        mine = np.array([one[0] == kind for one in found])
        worst = f"worst {overlap[mine].min():.4f}, lost {lost_mm[mine].max():.2f} mm, sure {sure[mine].mean():.2f}"
        rows.append(Row(f"    {kind}", f"{overlap[mine].mean():.4f}", worst))
    return rows


def _judged(numbers: range, seed: int) -> list[tuple[str, float, float, bool]]:
    found = []
    for laid in laid_sheets(numbers, seed):
        frame = find_sheet(laid.pixels, DPI)
        corners = _px(frame.corners)
        (truth,) = laid.outlines
        overlap = _overlap(corners, truth, laid.pixels.shape)
        found.append((laid.kind, overlap, _lost_mm(corners, truth, laid.pixels.shape), frame.confidence >= 0.5))
    return found


def _several(numbers: range, seed: int) -> list[tuple[bool, float]]:
    """Return for each capture whether there are as many frames as sheets, and the overlap of the worst."""
    found = []
    for laid in several_sheets(numbers, seed):
        frames = [_px(frame.corners) for frame in find_sheets(laid.pixels, DPI)]
        best = [
            max((_overlap(one, truth, laid.pixels.shape) for one in frames), default=0.0) for truth in laid.outlines
        ]
        found.append((len(frames) == len(laid.outlines), min(best)))
    return found


def _looks(numbers: range, seed: int) -> list[tuple[bool, float]]:
    """Return for each look whether every original has its own box and no box is empty, and the most that is cut off."""
    found = []
    for laid in glasses(numbers, seed):
        grainy = np.ascontiguousarray(laid.pixels[::2, ::2])  # as a scanner sees it at half the resolution
        boxes = [_px(box) for box in find_originals(grainy, DPI / 2)]
        cuts_mm = []
        matched = set()
        for truth in laid.outlines:
            cut_px = [float(max((box[0] - truth).max(), (truth - box[2]).max(), 0.0)) for box in boxes]
            if cut_px:
                best = int(np.argmin(cut_px))
                matched.add(best)
                cuts_mm.append(px_to_mm(cut_px[best], DPI))
        all_in = len(matched) == len(boxes) == len(laid.outlines)
        found.append((all_in, max(cuts_mm, default=0.0)))
    return found


def _px(corners: Quad) -> NDArray[np.float64]:
    return np.array([(mm_to_px(x, DPI) - 0.5, mm_to_px(y, DPI) - 0.5) for x, y in corners])


def _on_capture(outline: NDArray[np.float64], shape: tuple[int, ...]) -> NDArray[np.float32]:
    """Return the part of an outline that lies on the capture."""
    height, width = shape[:2]
    whole = np.array([(-0.5, -0.5), (width - 0.5, -0.5), (width - 0.5, height - 0.5), (-0.5, height - 0.5)], np.float32)
    _, part = cv2.intersectConvexConvex(outline.astype(np.float32), whole)
    return np.asarray(part, np.float32).reshape(-1, 2)


def _overlap(found: NDArray[np.float64], truth: NDArray[np.float64], shape: tuple[int, ...]) -> float:
    one, other = _on_capture(found, shape), _on_capture(truth, shape)
    if len(one) < 3:
        return 0.0
    common, _ = cv2.intersectConvexConvex(one, other)
    return float(common / (cv2.contourArea(one) + cv2.contourArea(other) - common))


def _lost_mm(found: NDArray[np.float64], truth: NDArray[np.float64], shape: tuple[int, ...]) -> float:
    """Return how far the sheet, where it lies on the capture, reaches out of the frame at most."""
    corners = _on_capture(truth, shape)
    sides = np.roll(found, -1, axis=0) - found
    inward = np.column_stack([-sides[:, 1], sides[:, 0]]) / np.maximum(np.hypot(*sides.T), 1e-9)[:, None]
    away = ((corners[:, None, :] - found[None]) * inward[None]).sum(axis=2)
    return px_to_mm(max(0.0, float(-away.min())), DPI)


def _times_ms(count: int, seed: int) -> list[float]:
    times_ms = []
    for laid in laid_sheets(range(count), seed + 1):
        start_s = time.perf_counter()
        find_sheet(laid.pixels, DPI)
        times_ms.append(1000 * (time.perf_counter() - start_s))
    return times_ms
