"""Wiping what all pages share: holes, staples, folds, shadows and lines of dust."""

from collections.abc import Iterable, Sequence
from decimal import Decimal
from statistics import median
from typing import NamedTuple

from papiermappe.assembly.kept import KeptPage
from papiermappe.assembly.request import ZoneReport
from papiermappe.compute import Compute
from papiermappe.core.clean.clearing import Areas
from papiermappe.core.clean.pile import Leaf, Pile, SharedKind, SuggestedWipe, suggest_wipes
from papiermappe.core.operations import DrawnZone, PageState, PutZones
from papiermappe.core.order.places import Side
from papiermappe.core.pages import PilePage, pile_part
from papiermappe.core.treatment import CaptureSize, Treatment, flat_size_mm, page_box
from papiermappe.core.zones import SheetZone, ZoneKind


class TreatedPage(NamedTuple):
    """A page with what is done to it."""

    kept: KeptPage
    treatment: Treatment

    @property
    def capture_size(self) -> CaptureSize:
        """How large its capture is."""
        capture = self.kept.whole().capture
        head = capture.head()
        return CaptureSize(head.width_px, head.height_px, capture.dpi)

    @property
    def scan_mm(self) -> tuple[float, float]:
        """Width and height of its capture."""
        return flat_size_mm(*self.capture_size, self.treatment)


class Wiped(NamedTuple):
    """What is wiped on a page."""

    zones: tuple[SheetZone, ...]
    reports: tuple[ZoneReport, ...]


def shared_wipes(pages: Sequence[TreatedPage], compute: Compute) -> dict[tuple[str, int, str], Wiped]:
    """Return what is to be wiped on each page, by its key; pages of one side."""
    pile, leaves, scans_mm = _laid(pages, compute)
    suggestions = compute(suggest_wipes, pile, leaves, scans_mm)
    if not suggestions:
        return {}
    by_name = {_name(at): one for at, one in enumerate(suggestions)}
    operation = _operation(pile.size_mm, suggestions)
    wiped = {}
    for at, (page, scan_mm) in enumerate(zip(pages, scans_mm, strict=True)):
        laid = operation.laid(_state(page, scan_mm))
        zones = tuple(zone for zone in laid if at not in by_name[zone.name].spares)
        reports = tuple(_report(zone, by_name[zone.name], len(pages)) for zone in zones)
        wiped[page.kept.page.key] = Wiped(zones, reports)
    return wiped


def _report(zone: SheetZone, found: SuggestedWipe, of_pages: int) -> ZoneReport:
    return ZoneReport(
        name=zone.name, kind=found.kind.value, confidence=round(found.pages / of_pages, 2), corners=zone.corners
    )


def _laid(pages: Iterable[TreatedPage], compute: Compute) -> tuple[Pile, list[Leaf], list[tuple[float, float]]]:
    listed = list(pages)
    scans_mm = [page.scan_mm for page in listed]
    sizes = [
        page_box(*scan_mm, page.treatment).size_mm(page.treatment.quarter_turns)
        for page, scan_mm in zip(listed, scans_mm, strict=True)
    ]
    pile = Pile((median(width for width, _ in sizes), median(height for _, height in sizes)))
    leaves: list[Leaf] = []
    for page in listed:
        part = compute(pile_part, pile.size_mm, [PilePage(page.kept.whole().capture, b"", page.treatment, Areas())])
        pile.join(part.pile)
        leaves += part.leaves
    return pile, leaves, scans_mm


def _operation(size_mm: tuple[float, float], suggestions: Sequence[SuggestedWipe]) -> PutZones:
    named = [(_name(at), one) for at, one in enumerate(suggestions)]
    return PutZones(
        pages=(1,),
        zones=tuple(
            DrawnZone(name=name, does=ZoneKind.WIPE, zone=one.zone)
            for name, one in named
            if one.kind is not SharedKind.DUST_LINE
        ),
        on_scan=tuple(
            SheetZone(name=name, kind=ZoneKind.WIPE, corners=one.zone.corners())
            for name, one in named
            if one.kind is SharedKind.DUST_LINE
        ),
        drawn_on_mm=size_mm,
    )


def _state(page: TreatedPage, scan_mm: tuple[float, float]) -> PageState:
    return PageState(1, None, Decimal(1), Side.FRONT, False, page.treatment, 1, scan_mm=scan_mm)


def _name(at: int) -> str:
    return f"shared-{at + 1}"
