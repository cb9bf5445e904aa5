"""What a ticket costs: measured on earlier runs and documents where there are some, else estimated."""

from collections import defaultdict
from collections.abc import Mapping
from typing import NamedTuple

from sqlalchemy import func, select

from papiermappe.core.encode.level import Level
from papiermappe.core.geometry import MM_PER_INCH
from papiermappe.devices.model import OWN_SIZE, Colour, SourceAbilities, TicketSettings
from papiermappe.services.caller import Caller
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Document, Filing, FilingState, Run, RunState

BITS_A_PX = {Colour.COLOUR: 0.75, Colour.GREY: 0.5, Colour.BILEVEL: 0.12}
"""Of what devices send, by experience."""
FILED_BITS_A_PX = {
    Colour.COLOUR: {Level.FAITHFUL: 1.0, Level.BALANCED: 0.045, Level.LEAN: 0.021},
    Colour.GREY: {Level.FAITHFUL: 0.65, Level.BALANCED: 0.035, Level.LEAN: 0.019},
    Colour.BILEVEL: dict.fromkeys(Level, 0.02),
}
"""Of letters and forms, in documents of the demo."""
LEAST_SHEETS = 3
LAST_RUNS = 5
LAST_FILINGS = 40
ALIKE_DPI = 0.1


class Cost(NamedTuple):
    """One figure."""

    value: float
    is_measured: bool
    """On this desk; else it is estimated."""


class TicketCosts(NamedTuple):
    """What scanning with a ticket takes."""

    sheet_s: Cost | None
    """Seconds from one sheet of a pile to the next; None where that is not known yet."""
    scan_bytes: Cost
    """Of a page as it comes from the device."""
    filed_bytes: Mapping[Level, Cost]
    """Of a page in a document."""


def ticket_costs(_: Caller, store: Store, device_id: int, ticket: TicketSettings, able: SourceAbilities) -> TicketCosts:
    """Return what a ticket costs on a device, of which `able` is the source that it names."""
    width_mm, height_mm = ticket.area_mm(able)
    pixels = width_mm * height_mm * (ticket.dpi / MM_PER_INCH) ** 2
    colour = Colour.COLOUR if ticket.colour is Colour.BY_CONTENT else ticket.colour
    sheet_s, scan_bytes = _of_runs(store, device_id, ticket)
    filed = _filed_bytes_a_px(store, ticket)
    measured = {level: Cost(pixels * density, is_measured=True) for level, density in filed.items()}
    estimated = {level: Cost(pixels * bits / 8, is_measured=False) for level, bits in FILED_BITS_A_PX[colour].items()}
    return TicketCosts(
        sheet_s=sheet_s,
        scan_bytes=scan_bytes or Cost(pixels * BITS_A_PX[colour] / 8, is_measured=False),
        filed_bytes={**estimated, **measured},
    )


def _of_runs(store: Store, device_id: int, ticket: TicketSettings) -> tuple[Cost | None, Cost | None]:
    """Return seconds a sheet and bytes a page of this device's last runs with such settings."""
    names = (
        "source",
        "sides",
        "dpi",
        "colour",
        "paper",
        *(("width_mm", "height_mm") if ticket.paper == OWN_SIZE else ()),
    )
    wanted = {name: value for name, value in ticket.model_dump(mode="json").items() if name in names}
    like_it = Run.ticket.contains(wanted)
    last = select(Run.id).where(Run.device_id == device_id, Run.state == RunState.DONE, like_it)
    measured = (
        select(
            func.count(Capture.sheet.distinct()).label("sheets"),
            func.extract("epoch", func.max(Capture.arrived_at) - func.min(Capture.arrived_at)).label("took_s"),
            func.avg(Capture.byte_size).label("page_bytes"),
        )
        .where(Capture.run_id.in_(last.order_by(Run.id.desc()).limit(LAST_RUNS)))
        .group_by(Capture.run_id)
    )
    with store.begin() as session:
        rows = session.execute(measured).all()
    piles = [row for row in rows if row.sheets >= LEAST_SHEETS and ticket.is_pile]
    sheet_s = sum(float(row.took_s) / (row.sheets - 1) for row in piles) / len(piles) if piles else None
    page_bytes = sum(float(row.page_bytes) for row in rows) / len(rows) if rows else None
    return (
        None if sheet_s is None else Cost(sheet_s, is_measured=True),
        None if page_bytes is None else Cost(page_bytes, is_measured=True),
    )


def _filed_bytes_a_px(store: Store, ticket: TicketSettings) -> dict[Level, float]:
    """Return the bytes a pixel of the last documents whose pages were scanned like this, by level."""
    filed = (
        select(Filing.id, Filing.level, Filing.pages, Filing.page_count, func.sum(Document.byte_size).label("total"))
        .join(Document, Document.filing_id == Filing.id)
        .where(Filing.state == FilingState.MADE, Document.byte_size.is_not(None), Filing.page_count > 0)
        .group_by(Filing.id)
        .order_by(Filing.id.desc())
        .limit(LAST_FILINGS)
    )
    near = Capture.dpi.between(ticket.dpi * (1 - ALIKE_DPI), ticket.dpi * (1 + ALIKE_DPI))
    like_it = Run.ticket["colour"].as_string() == ticket.colour.value
    alike = select(Capture.id, (Capture.width_px * Capture.height_px).label("pixels")).join(
        Run, Run.id == Capture.run_id
    )
    with store.begin() as session:
        rows = session.execute(filed).all()
        firsts = {row.id: row.pages["pages"][0]["capture"] for row in rows}
        alike = alike.where(Capture.id.in_(set(firsts.values())), near, like_it)
        pixels_of = {row.id: row.pixels for row in session.execute(alike)}
    found: dict[Level, list[float]] = defaultdict(list)
    for row in rows:
        if pixels := pixels_of.get(firsts[row.id]):  # a document's pages are mostly of one size
            found[row.level].append(float(row.total) / row.page_count / pixels)
    return {level: sum(densities) / len(densities) for level, densities in found.items()}
