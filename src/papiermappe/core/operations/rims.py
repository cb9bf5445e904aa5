"""Wiping the dark rims of scans: the station Tidy."""

from collections.abc import Sequence
from typing import Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import Quad
from papiermappe.core.operations.model import BaseOperation, Changes, OperationRefused, PageState
from papiermappe.core.treatment import MAX_ZONES, Treatment, page_box
from papiermappe.core.zones import SheetZone, ZoneKind

NAMED = "rim-"
LEAST_MM2 = 0.2
"""Of a page: strips that take less of it do not matter to it."""


class CleanBorders(BaseOperation):
    """Wipe what is dark along the edges of scans, as far as it is still to be seen on their pages."""

    kind: Literal["clean_borders"] = "clean_borders"
    by_captures: ClassVar[bool] = True

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the zones of the pages that change. Raises OperationRefused: a page has too many."""
        changes: dict[int, dict[str, Any]] = {}
        for page in self.named(pages):
            others = tuple(zone for zone in page.treatment.zones if not zone.name.startswith(NAMED))
            zones = (*others, *strips_on(page.dark_rims, page.treatment, page.scan_mm, f"{page.id}-"))
            if len(zones) > MAX_ZONES:
                raise OperationRefused("too_many_zones", limit=MAX_ZONES)
            if zones != page.treatment.zones:
                changes[page.id] = {"zones": [zone.model_dump(mode="json") for zone in zones]}
        return changes


def strips_on(
    strips: Sequence[Quad], treatment: Treatment, scan_mm: tuple[float, float], name: str = ""
) -> tuple[SheetZone, ...]:
    """Return dark rims as zones, those that are still to be seen on the page.

    Args:
        strips: outlines on the scan.
        treatment: of the page.
        scan_mm: width and height of the scan.
        name: put before their numbers.
    """
    box = page_box(*scan_mm, treatment)
    width_mm, height_mm = box.size_mm(treatment.quarter_turns)
    page = np.array([(0, 0), (width_mm, 0), (width_mm, height_mm), (0, height_mm)], np.float32)
    seen = [strip for strip in strips if _shared_mm2(page, box.on_page(strip, treatment.quarter_turns)) >= LEAST_MM2]
    return tuple(
        SheetZone(name=f"{NAMED}{name}{number}", kind=ZoneKind.WIPE, corners=strip)
        for number, strip in enumerate(seen, 1)
    )


def _shared_mm2(page: NDArray[np.float32], strip: NDArray[np.float64]) -> float:
    area, _ = cv2.intersectConvexConvex(page, strip.astype(np.float32))
    return area
