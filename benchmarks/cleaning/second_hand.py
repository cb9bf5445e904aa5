"""Crops and findings on the pages of the second generator: print cut by sure crops, false alarms, faults found."""

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.second.papers import DPI, paper
from benchmarks.second.scans import FAULTS, Scan, scan
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.analysis import analyse
from papiermappe.core.clean.findings import FindingKind
from papiermappe.core.geometry import mm_to_px

PAGES = 1000
FAULTY = 300
CUT_MM2 = 0.5
"""Less ink than this outside of a frame is the blur of its edge."""
ALIKE = 0.985
NOT_ALARMING = {FindingKind.BLANK}


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    clean = of_all(_clean, scaled(PAGES, share), seed)
    faulty = of_all(_faulty, scaled(FAULTY, share), seed)
    sure = [cut for _, is_sure, cut, _, _ in clean if is_sure]
    alike = [overlap for _, is_sure, _, overlap, _ in clean if is_sure]
    rows = [
        Row("pages; sure of the sheet", f"{len(clean)}; {percent(len(sure) / len(clean))}"),
        Row("print cut by a sure crop", f"{sum(cut > CUT_MM2 for cut in sure)}", "0"),
        Row("intersection over union of sure crops, mean", f"{float(np.mean(alike)):.4f}"),
        Row(f"    below {ALIKE}", f"{sum(overlap < ALIKE for overlap in alike)}"),
        Row("clean pages with a finding", percent(float(np.mean([bool(found) for *_, found in clean]))), "<= 2 %"),
        Row("faulty pages found", percent(float(np.mean([fault in found for fault, found in faulty]))), ">= 90 %"),
    ]
    for kind in sorted({kind for kind, *_ in clean}):
        mine = [row for row in clean if row[0] == kind]
        cut = sum(is_sure and amount > CUT_MM2 for _, is_sure, amount, *_ in mine)
        alarms = sorted({name for *_, found in mine for name in found})
        said = f"{sum(bool(found) for *_, found in mine)} alarms: {', '.join(alarms)}" if alarms else "no alarm"
        rows.append(Row(f"    {kind}", f"{len(mine)} pages", f"{sum(row[1] for row in mine)} sure, {cut} cut, {said}"))
    for fault in FAULTS:
        mine_found = [fault in found for name, found in faulty if name == fault]
        rows.append(Row(f"    {fault}", percent(float(np.mean(mine_found)))))
    return rows


def _clean(numbers: range, seed: int) -> list[tuple[str, bool, float, float, list[str]]]:
    """Return of pages without a fault what was found.

    Kind, whether the crop is sure, mm2 of print that it cuts, its intersection over union with the sheet, and the
    findings.
    """
    rows = []
    for number in numbers:
        made = scan(paper(number, seed), np.random.default_rng([seed, number, 2]))
        analysis = analyse(made.capture)
        crop = analysis.treatment.crop
        is_sure = crop is not None and crop.on
        inside = _inside(made, np.array(crop.corners)) if crop is not None and is_sure else np.ones_like(made.sheet)
        cut = float(np.count_nonzero(made.ink & ~inside)) / mm_to_px(1.0, DPI) ** 2
        overlap = float((inside & made.sheet).sum() / (inside | made.sheet).sum())
        found = [finding.kind.value for finding in analysis.findings if finding.kind not in NOT_ALARMING]
        rows.append((made.kind, is_sure, cut, overlap, found))
    return rows


def _inside(made: Scan, corners_mm: NDArray[np.float64]) -> NDArray[np.bool_]:
    inside = np.zeros(made.ink.shape, np.uint8)
    cv2.fillConvexPoly(inside, np.rint(mm_to_px(1.0, DPI) * corners_mm - 0.5).astype(np.int32), 1)
    return inside > 0


def _faulty(numbers: range, seed: int) -> list[tuple[str, list[str]]]:
    """Return the fault, and the findings, for pages with one."""
    rows = []
    for number in numbers:
        fault = FAULTS[number % len(FAULTS)]
        page = paper(number // len(FAULTS) % 5, seed + number)  # kinds with print all over them
        made = scan(page, np.random.default_rng([seed, number, 3]), fault)
        rows.append((fault, [finding.kind.value for finding in analyse(made.capture).findings]))
    return rows
