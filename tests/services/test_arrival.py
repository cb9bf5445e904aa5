"""What a ticket says is done when pages arrive, and where its paper lies."""

import pytest
from tests.helpers import ANNA, QUICK, Drawer, analyse_all, desk, do, scan

from papiermappe.core.analysis import Analysis
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.operations import BringBack
from papiermappe.core.order.places import Side
from papiermappe.core.treatment import Tone
from papiermappe.devices.model import (
    Abilities,
    Colour,
    DeviceState,
    DeviceStatus,
    Sides,
    Source,
    SourceAbilities,
    TicketSettings,
    TurnsOver,
)
from papiermappe.services import analysing
from papiermappe.store.database import Store
from papiermappe.store.models import Page

PLAIN = QUICK.model_copy(update={"straighten": False, "crop": False, "upright": False})
ASIDE = QUICK.model_copy(update={"blank_backs_aside": True})


def test_steps_that_a_ticket_does_without_are_proposed_and_off(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease", upside_down=True)
    scan(store, mappe, zaunkoenig, PLAIN)
    drawer.lay("lease", upside_down=True)
    scan(store, mappe, zaunkoenig, QUICK)
    analyse_all(store, mappe)
    treatments = desk(store, mappe).treatments()
    plain, usual = treatments[0], treatments[6]
    assert (plain.quarter_turns, usual.quarter_turns) == (0, 2)
    assert plain.straighten is not None
    assert plain.crop is not None
    assert (plain.straighten.on, plain.crop.on) == (False, False)
    assert usual.straighten is not None
    assert usual.crop is not None
    assert (usual.straighten.on, usual.crop.on) == (True, True)


def test_backs_of_paper_that_turns_over_at_its_short_edge_are_turned_back(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    short = PLAIN.model_copy(update={"turns_over": TurnsOver.SHORT_EDGE})
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig, short)
    analyse_all(store, mappe)
    now = desk(store, mappe)
    turns: dict[Side, set[int]] = {Side.FRONT: set(), Side.BACK: set()}
    for page, treatment in zip(now.pages, now.treatments(), strict=True):
        turns[page.side].add(treatment.quarter_turns)
    assert turns == {Side.FRONT: {0}, Side.BACK: {2}}


def test_a_back_whose_way_up_is_read_goes_by_what_is_read(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")  # printed for the long edge
    scan(store, mappe, zaunkoenig, QUICK.model_copy(update={"turns_over": TurnsOver.SHORT_EDGE}))
    analyse_all(store, mappe)
    now = desk(store, mappe)
    read = [
        treatment.quarter_turns
        for page, treatment in zip(now.pages, now.treatments(), strict=True)
        if page.side is Side.BACK and Analysis.model_validate(now_analysis(store, page.id)).turn_confidence >= 0.5
    ]
    assert len(read) == 3  # all backs of the lease have print
    assert set(read) == {0}


def test_pages_without_colour_are_shown_in_grey_where_the_content_decides(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease", "letter-share")
    scan(store, mappe, zaunkoenig, QUICK.model_copy(update={"colour": Colour.BY_CONTENT}))
    analyse_all(store, mappe)
    now = desk(store, mappe)
    tones = set()
    for page, treatment in zip(now.pages, now.treatments(), strict=True):
        colour = Analysis.model_validate(now_analysis(store, page.id)).colour
        tones.add(treatment.tone)
        assert treatment.tone is (Tone.AS_SCANNED if colour is ColourKind.COLOUR else Tone.GREY)
    assert tones == {Tone.AS_SCANNED, Tone.GREY}


def test_blank_backs_are_set_aside_once_and_what_is_brought_back_stays(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("invoice", "lease", "letter-store")  # one blank back, and one with a pencil note
    scan(store, mappe, zaunkoenig, ASIDE)
    analyse_all(store, mappe)
    now = desk(store, mappe)
    blank = [page.id for page in now.pages if page.blank]
    assert blank
    assert now.set_aside == [page.id for page in now.pages if page.blank and page.side is Side.BACK]
    assert now.runs[0].aside == len(now.set_aside)
    do(store, mappe, BringBack(pages=(now.set_aside[0],)))
    analysis = Analysis.model_validate(now_analysis(store, now.set_aside[0]))
    analysing.record_analysis(ANNA, store, now.set_aside[0], analysis)
    assert now.set_aside[0] in desk(store, mappe).order


def now_analysis(store: Store, page: int) -> object:
    """Return what is recorded of a page."""
    with store.begin() as session:
        return session.get_one(Page, page).analysis


def test_other_pages_stay(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("invoice")
    scan(store, mappe, zaunkoenig, QUICK)
    analyse_all(store, mappe)
    assert desk(store, mappe).set_aside == []


FEEDER = SourceAbilities(width_mm=216, height_mm=356, resolutions_dpi=(200, 300), colours=(Colour.COLOUR,))
GLASS = SourceAbilities(width_mm=216, height_mm=297, resolutions_dpi=(300, 600), colours=(Colour.COLOUR,))
BOTH = Abilities(name="Zaunkönig D60", glass=GLASS, feeder=FEEDER, duplex=True)


@pytest.mark.parametrize(
    ("adf", "source", "sides", "dpi"),
    [
        ("ScannerAdfLoaded", Source.FEEDER, Sides.BOTH, 200),
        ("ScannerAdfEmpty", Source.GLASS, Sides.ONE, 300),
        (None, Source.GLASS, Sides.ONE, 300),
    ],
)
def test_either_is_where_the_paper_is(adf: str | None, source: Source, sides: Sides, dpi: int) -> None:
    ticket = TicketSettings(source=Source.EITHER, dpi=200, crop=False)
    assert ticket.fitted(BOTH) == ticket
    taken = ticket.at(BOTH, DeviceStatus(state=DeviceState.IDLE, adf_state=adf))
    assert (taken.source, taken.sides, taken.dpi, taken.crop) == (source, sides, dpi, False)


@pytest.mark.parametrize(("lacking", "source"), [("glass", Source.FEEDER), ("feeder", Source.GLASS)])
def test_either_is_the_one_that_a_device_has(lacking: str, source: Source) -> None:
    one = BOTH.model_copy(update={lacking: None})
    assert TicketSettings(source=Source.EITHER).fitted(one).source is source
