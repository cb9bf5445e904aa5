"""Spreads on the second generator: how many are found for sure and right, and what is taken for one and is none."""

import numpy as np

from benchmarks.second.spreads import KINDS, SPREADS, pixels_of_fold, wide_sheet
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.analysis import analyse
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.treatment import SURE

SHEETS = 400
NEAR_MM = 1.0


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    judged = of_all(_judged, scaled(SHEETS, share), seed)
    spreads = [row for row in judged if row[0] in SPREADS]
    sure = [row for row in spreads if row[1]]
    others = [row for row in judged if row[0] not in SPREADS]
    rows = [
        Row("spreads found for sure", percent(len(sure) / len(spreads))),
        Row("of these within 1 mm along the fold", percent(float(np.mean([off <= NEAR_MM for *_, off in sure])))),
        Row("other wide sheets taken for one", percent(float(np.mean([is_sure for _, is_sure, _ in others]))), "0 %"),
    ]
    for kind in KINDS:
        mine = [row for row in judged if row[0] == kind]
        rows.append(Row(f"    {kind}", f"{sum(row[1] for row in mine)} of {len(mine)} sure"))
    return rows


def _judged(numbers: range, seed: int) -> list[tuple[str, bool, float]]:
    """Return of each sheet its kind, whether it is split for sure, and how far in mm from its fold at most."""
    judged = []
    for number in numbers:
        sheet = wide_sheet(number, seed)
        spread = analyse(sheet.scan.capture, TurnEstimate(0, 1.0)).spread
        off = 0.0
        if spread is not None and sheet.kind in SPREADS:
            line, fold = np.array(spread.gutter), pixels_of_fold(sheet)
            inside = fold[(fold[:, 1] > 5) & (fold[:, 1] < fold[:, 1].max() - 5)]
            off = float(np.abs(np.interp(inside[:, 1], line[:, 1], line[:, 0]) - inside[:, 0]).max())
        judged.append((sheet.kind, spread is not None and spread.confidence >= SURE, off))
    return judged
