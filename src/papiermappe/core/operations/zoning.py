"""Operations on the zones that are cleared, or outside which all is: the station Tidy."""

from collections.abc import Sequence
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from papiermappe.core.geometry import Quad
from papiermappe.core.operations.model import BaseOperation, Changes, OperationRefused, PageState
from papiermappe.core.treatment import MAX_PAGE_MM, MAX_ZONES, page_box
from papiermappe.core.zones import SheetZone, Zone, ZoneKind, ZoneName
from papiermappe.message import Message

PageMm = Annotated[float, Field(gt=0, le=2 * MAX_PAGE_MM)]


class PutZone(BaseOperation):
    """Draw a zone on pages; one of the same name that is there already is drawn anew.

    On each page it is laid at the same distance from the edges that it is near to, and stays on the sheet from then on.
    Pages on which nothing of it would lie stay as they are.
    """

    kind: Literal["put_zone"] = "put_zone"
    by_captures: ClassVar[bool] = True
    name: ZoneName
    does: ZoneKind
    zone: Zone
    """On the page on which it was drawn, as it is seen."""
    drawn_on_mm: tuple[PageMm, PageMm]
    """Width and height of that page."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the zones of the pages that change. Raises OperationRefused: a page has too many."""
        laid = ((page, self._laid(page)) for page in self.named(pages))
        return _changes([(page, _with(page, zone)) for page, zone in laid if zone is not None])

    def _laid(self, page: PageState) -> SheetZone | None:
        """Return the zone on the sheet of a page; None where nothing of it would lie on the page."""
        turns = page.treatment.quarter_turns
        box = page_box(*page.scan_mm, page.treatment)
        carried = self.zone.carried(self.drawn_on_mm, box.size_mm(turns))
        if carried is None or not _touches(carried, box.size_mm(turns)):
            return None
        first, second, third, fourth = (
            (round(float(x_mm), 3), round(float(y_mm), 3)) for x_mm, y_mm in box.on_sheet(carried.corners(), turns)
        )
        return SheetZone(name=self.name, kind=self.does, corners=(first, second, third, fourth))

    def message(self, count: int) -> Message:
        """Return a message that tells what is cleared."""
        size = {"width_mm": round(self.zone.width_mm, 1), "height_mm": round(self.zone.height_mm, 1)}
        return Message(code=f"put_zone_{self.does.value}", params={"count": count, **size})


class WipeScan(BaseOperation):
    """Wipe the same area of scans, as a line that dust on a scanner's glass has drawn on all of them."""

    kind: Literal["wipe_scan"] = "wipe_scan"
    name: ZoneName
    corners: Quad
    """On the scans."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the zones of the pages that change. Raises OperationRefused: a page has too many."""
        laid = SheetZone(name=self.name, kind=ZoneKind.WIPE, corners=self.corners)
        return _changes([(page, _with(page, laid)) for page in self.named(pages)])


class RemoveZones(BaseOperation):
    """Take zones away by their names, all of them where none is named: what was cleared is to be seen again."""

    kind: Literal["remove_zones"] = "remove_zones"
    names: Annotated[tuple[ZoneName, ...], Field(max_length=MAX_ZONES)] = ()

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the zones of the pages that change."""
        names = frozenset(self.names)
        return _changes(
            [
                (page, tuple(zone for zone in page.treatment.zones if names and zone.name not in names))
                for page in self.named(pages)
            ]
        )


def _with(page: PageState, laid: SheetZone) -> tuple[SheetZone, ...]:
    """Return the zones of a page with one of them drawn anew, or with one more."""
    zones = page.treatment.zones
    if any(zone.name == laid.name for zone in zones):
        return tuple(laid if zone.name == laid.name else zone for zone in zones)
    if len(zones) == MAX_ZONES:
        raise OperationRefused("too_many_zones", limit=MAX_ZONES)
    return (*zones, laid)


def _changes(wanted: Sequence[tuple[PageState, tuple[SheetZone, ...]]]) -> Changes:
    changes: dict[int, dict[str, Any]] = {}
    for page, zones in wanted:
        if zones != page.treatment.zones:
            changes[page.id] = {"zones": [zone.model_dump(mode="json") for zone in zones]}
    return changes


def _touches(zone: Zone, size_mm: tuple[float, float]) -> bool:
    across = zone.x_mm < size_mm[0] and zone.x_mm + zone.width_mm > 0
    return across and zone.y_mm < size_mm[1] and zone.y_mm + zone.height_mm > 0
