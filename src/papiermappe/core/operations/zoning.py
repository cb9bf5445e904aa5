"""Operations on zones: what is cleared, blacked out and marked. The station Tidy."""

from collections.abc import Sequence
from typing import Annotated, Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from papiermappe.core.operations.model import BaseOperation, Changes, OperationRefused, PageState
from papiermappe.core.treatment import MAX_PAGE_MM, MAX_ZONES, page_box
from papiermappe.core.zones import NoteText, SheetZone, Zone, ZoneKind, ZoneName
from papiermappe.message import Message

MAX_SPARED = 100
PageMm = Annotated[float, Field(gt=0, le=2 * MAX_PAGE_MM)]


class DrawnZone(BaseModel):
    """A zone as it was drawn on a page."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: ZoneName
    does: ZoneKind
    zone: Zone
    text: NoteText = ""
    """Of a note."""
    spares: Annotated[tuple[int, ...], Field(max_length=MAX_SPARED)] = ()
    """Pages of the operation on which it is not drawn, by their ids."""


class PutZones(BaseOperation):
    """Draw zones on pages; one of the same name that is there already is drawn anew.

    On each page they are laid at the same distance from the edges that they are near to, and stay on the sheet from
    then on. Pages that a zone spares, or on which nothing of it would lie, stay as they are.
    """

    kind: Literal["put_zones"] = "put_zones"
    by_captures: ClassVar[bool] = True
    zones: Annotated[tuple[DrawnZone, ...], Field(max_length=MAX_ZONES)] = ()
    drawn_on_mm: tuple[PageMm, PageMm]
    """Width and height of the page on which they were drawn, as it is seen."""
    on_scan: Annotated[tuple[SheetZone, ...], Field(max_length=MAX_ZONES)] = ()
    """Zones that lie at the same place of all scans, as lines do that dust on a scanner's glass draws."""

    @model_validator(mode="after")
    def _has_zones(self) -> "PutZones":
        if not self.zones and not self.on_scan:
            raise ValueError("a zone at least")
        return self

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the zones of the pages that change. Raises OperationRefused: a page has too many."""
        return _changes([(page, _with(page, self.laid(page))) for page in self.named(pages)])

    def laid(self, page: PageState) -> list[SheetZone]:
        """Return the zones as they lie on the sheet of a page, those that do not touch the page left out."""
        turns = page.treatment.quarter_turns
        box = page_box(*page.scan_mm, page.treatment)
        size_mm = box.size_mm(turns)
        laid = []
        for drawn in self.zones:
            if page.id in drawn.spares:
                continue
            carried = drawn.zone.carried(self.drawn_on_mm, size_mm)
            if carried is None or not _touches(carried, size_mm):
                continue
            first, second, third, fourth = (
                (round(float(x_mm), 3), round(float(y_mm), 3)) for x_mm, y_mm in box.on_sheet(carried.corners(), turns)
            )
            laid.append(
                SheetZone(name=drawn.name, kind=drawn.does, corners=(first, second, third, fourth), text=drawn.text)
            )
        return [*laid, *self.on_scan]

    def message(self, count: int) -> Message:
        """Return a message that tells what is cleared or marked."""
        number = len(self.zones) + len(self.on_scan)
        if number > 1 or self.on_scan:
            return Message(code="put_zones", params={"count": count, "zones": number})
        (drawn,) = self.zones
        if drawn.does.is_drawn:
            return Message(code="put_mark", params={"count": count})
        size = {"width_mm": round(drawn.zone.width_mm, 1), "height_mm": round(drawn.zone.height_mm, 1)}
        return Message(code=f"put_zone_{drawn.does.value}", params={"count": count, **size})


class RemoveZones(BaseOperation):
    """Take zones away by their names, all of them where none is named: what was there is to be seen again."""

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


def _with(page: PageState, laid: Sequence[SheetZone]) -> tuple[SheetZone, ...]:
    """Return the zones of a page with some drawn anew, or in addition."""
    by_name = {zone.name: zone for zone in page.treatment.zones} | {zone.name: zone for zone in laid}
    if len(by_name) > MAX_ZONES:
        raise OperationRefused("too_many_zones", limit=MAX_ZONES)
    return tuple(by_name.values())


def _changes(wanted: Sequence[tuple[PageState, tuple[SheetZone, ...]]]) -> Changes:
    changes: dict[int, dict[str, Any]] = {}
    for page, zones in wanted:
        if zones != page.treatment.zones:
            changes[page.id] = {"zones": [zone.model_dump(mode="json") for zone in zones]}
    return changes


def _touches(zone: Zone, size_mm: tuple[float, float]) -> bool:
    across = zone.x_mm < size_mm[0] and zone.x_mm + zone.width_mm > 0
    return across and zone.y_mm < size_mm[1] and zone.y_mm + zone.height_mm > 0
