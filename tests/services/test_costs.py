"""What a ticket costs, measured where there were runs and documents like it; and what a device does not offer."""

from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import select
from tests.helpers import ANNA, QUICK, QUICK_GLASS, WORDS, Drawer, desk, make, request, scan

from papiermappe.core.encode.level import Level
from papiermappe.devices.model import Abilities, Colour, Sides, Source, SourceAbilities, TicketSettings
from papiermappe.services import costs, destinations, devices
from papiermappe.services.costs import TicketCosts
from papiermappe.services.offers import unoffered
from papiermappe.store.database import Store
from papiermappe.store.models import Capture

GLASS = SourceAbilities(
    width_mm=216, height_mm=297, resolutions_dpi=(150, 300, 600), colours=(Colour.COLOUR, Colour.GREY)
)
FEEDER = SourceAbilities(width_mm=216, height_mm=356, resolutions_dpi=(100, 300), colours=(Colour.COLOUR,))
BOTH = Abilities(name="Dohle M3", glass=GLASS, feeder=FEEDER, duplex=False)


def cost(store: Store, device: int, ticket: TicketSettings) -> TicketCosts:
    """Return what a ticket costs on a device."""
    capabilities = devices.device_at(ANNA, store, device).capabilities
    able = Abilities.model_validate(capabilities).source(ticket.source)
    assert able is not None
    return costs.ticket_costs(ANNA, store, device, ticket, able)


def test_before_the_first_run_it_is_estimated(store: Store, zaunkoenig: int) -> None:
    found = cost(store, zaunkoenig, TicketSettings(dpi=300))
    assert found.sheet_s is None
    # the area of A4 with 8 mm of room is 218 x 305 mm, 9.28 megapixels at 300 dpi
    assert found.scan_bytes.value == pytest.approx(9.28e6 * 0.75 / 8, rel=0.01)
    assert not found.scan_bytes.is_measured
    assert not any(filed.is_measured for filed in found.filed_bytes.values())
    assert found.filed_bytes[Level.LEAN].value < found.filed_bytes[Level.BALANCED].value


def test_seconds_and_bytes_are_those_of_earlier_runs(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("lease", "german")  # four sheets
    scan(store, mappe, zaunkoenig)
    with store.begin() as session:
        captures = session.scalars(select(Capture).order_by(Capture.id)).all()
        for capture in captures:
            assert capture.sheet is not None
            capture.arrived_at = captures[0].arrived_at + timedelta(seconds=1.5 * (capture.sheet - 1))
        mean_bytes = sum(capture.byte_size for capture in captures) / len(captures)
    found = cost(store, zaunkoenig, QUICK)
    assert found.sheet_s is not None
    assert found.sheet_s.value == pytest.approx(1.5)
    assert found.scan_bytes.value == pytest.approx(mean_bytes)
    assert found.sheet_s.is_measured
    assert found.scan_bytes.is_measured
    for other in (QUICK.model_copy(update={"dpi": 300}), QUICK_GLASS):
        assert cost(store, zaunkoenig, other).sheet_s is None
        assert not cost(store, zaunkoenig, other).scan_bytes.is_measured


def test_what_documents_weigh_is_measured_by_level_and_scaled_to_the_paper(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer, tmp_path: Path
) -> None:
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig)
    folder = destinations.add_folder(ANNA, store, "Leases", tmp_path)
    make(store, request(store, mappe, folder, datetime(2026, 11, 24, 9, tzinfo=UTC)))
    (filing,) = desk(store, mappe).filings
    assert filing.byte_size is not None
    measured = [
        (level, filed) for level, filed in cost(store, zaunkoenig, QUICK).filed_bytes.items() if filed.is_measured
    ]
    ((level, filed),) = measured
    assert filed.value == pytest.approx(filing.byte_size / filing.page_count, rel=0.1)
    small = cost(store, zaunkoenig, QUICK.model_copy(update={"paper": "A6"})).filed_bytes[level]
    assert small.is_measured
    assert small.value < filed.value / 3  # A6 is a quarter of A4, and the room for skew around it
    assert not cost(store, zaunkoenig, QUICK.model_copy(update={"colour": Colour.GREY})).filed_bytes[level].is_measured


def said(wish: TicketSettings, abilities: Abilities = BOTH) -> list[str]:
    """Return what is said of a ticket that a device cannot do as it is."""
    notes = unoffered(wish, wish.fitted(abilities), abilities, "Upstairs")
    return [WORDS.text(note) for note in notes]


def test_what_a_device_cannot_do_says_what_it_can() -> None:
    assert said(TicketSettings(sides=Sides.ONE)) == []
    assert said(TicketSettings(dpi=600)) == [
        "Upstairs scans one side at a time from the feeder.",
        "The feeder scans at 100 and 300 dpi, not at 600: 300 dpi is taken.",
    ]
    assert said(TicketSettings(source=Source.GLASS, sides=Sides.ONE, paper="A3", colour=Colour.BILEVEL)) == [
        "The glass does not scan in black and white: colour is taken.",
        "A3 is larger than the glass, which takes 216 by 297 mm: any size is taken.",
    ]
    glass_only = BOTH.model_copy(update={"feeder": None})
    assert said(TicketSettings(sides=Sides.ONE), glass_only) == ["Upstairs has no feeder: the glass is taken."]
