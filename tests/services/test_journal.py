"""Changing pages, undoing, redoing; two windows at once; a restart in between."""

from collections.abc import Callable

import pytest
from tests.helpers import QUICK, Drawer, here, orders

from papiermappe.core.clean import ColourKind, Finding, FindingKind
from papiermappe.core.clean.arrival import Look
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.picture import DEFAULT_LIMIT_PX
from papiermappe.core.treatment import Cropping, Origin, Straightening, Tone, Treatment
from papiermappe.core.zones import Zone
from papiermappe.devices.escl import Limits
from papiermappe.recognition.errors import RecogniserError, RecogniserFailed
from papiermappe.services import intake, journal, mappen, ordering, passes, tidying
from papiermappe.services.desk import Desk, desk
from papiermappe.services.errors import ChangedMeanwhile, NotFound, NotPossible
from papiermappe.services.pictures import find_upright, look_at_page
from papiermappe.store.database import Store

CORNERS = ((2.0, 2.0), (212.0, 2.0), (212.0, 299.0), (2.0, 299.0))
SPOT = Zone(x_mm=10, y_mm=20, width_mm=5, height_mm=5)
BLURRED = Finding(kind=FindingKind.BLURRED, message="the print is blurred", confidence=0.9, zone=SPOT)


def found(skew_deg: float = 0.4, quarter_turns: int = 0) -> Look:
    """Return what the machine may have found."""
    treatment = Treatment(
        straighten=Straightening(skew_deg=skew_deg),
        crop=Cropping(corners=CORNERS),
        quarter_turns=quarter_turns,
        turn_origin=Origin.FOUND,
    )
    return Look(treatment=treatment, findings=(BLURRED,), colour=ColourKind.GREY)


@pytest.fixture
def pages(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> list[int]:
    """Six pages on three sheets, not looked at yet."""
    drawer.lay("lease")
    intake.take_in(store, passes.start_pass(store, mappe, zaunkoenig, QUICK), Limits())
    return orders(store, mappe)


@pytest.fixture
def now(store: Store, mappe: int, pages: list[int]) -> Callable[[], Desk]:
    """The desk as it is."""
    return lambda: desk(store, mappe)


def test_every_change_is_undone_and_redone_in_order(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    def seen() -> tuple[object, ...]:
        desk_now = now()
        turns = tuple(page.treatment.quarter_turns for page in desk_now.pages)
        return tuple(desk_now.lanes), tuple(desk_now.put_away), turns

    states = [seen()]
    changes: list[Callable[[], int | None]] = [
        lambda: ordering.move_pages(store, mappe, pages[:2], 3, now().seq),
        lambda: tidying.turn_pages(store, mappe, [pages[3]], 3, now().seq),
        lambda: ordering.put_away(store, mappe, [pages[0], pages[5]], now().seq),
        lambda: ordering.nudge_pages(store, mappe, [pages[2]], 1, now().seq),
        lambda: ordering.bring_back(store, mappe, [pages[5]], now().seq),
    ]
    for change in changes:
        change()
        states.append(seen())
    assert len(set(states)) == 6
    for state in reversed(states[:-1]):
        journal.undo(store, mappe)
        assert seen() == state
    with pytest.raises(NotPossible, match="nothing to undo"):
        journal.undo(store, mappe)
    for state in states[1:]:
        journal.redo(store, mappe)
        assert seen() == state
    with pytest.raises(NotPossible, match="nothing to redo"):
        journal.redo(store, mappe)


def test_the_way_back_survives_a_restart(store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]) -> None:
    tidying.turn_pages(store, mappe, pages, 1, now().seq)
    after_restart = Store(store.database_url, store.blobs)
    journal.undo(after_restart, mappe)
    after_restart.close()
    assert {page.treatment.quarter_turns for page in now().pages} == {0}
    assert now().redo == "6 pages turned 90° counter-clockwise"


def test_undoing_leaves_alone_what_was_found_since(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    tidying.turn_pages(store, mappe, pages[:1], 1, now().seq)
    tidying.record_look(store, pages[0], found())
    journal.undo(store, mappe)
    assert now().pages[0].treatment == found().treatment


def test_switching_what_was_not_looked_at_is_refused(store: Store, mappe: int, pages: list[int]) -> None:
    with pytest.raises(NotPossible):
        tidying.switch_step(store, mappe, pages, "straighten", False, 10_000)


def test_two_windows_the_later_one_is_told(store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]) -> None:
    seen_by_both = now().seq
    tidying.turn_pages(store, mappe, [pages[0]], 1, seen_by_both)
    with pytest.raises(ChangedMeanwhile):
        ordering.put_away(store, mappe, [pages[0]], seen_by_both)
    ordering.put_away(store, mappe, [pages[1]], seen_by_both)  # another page: no conflict
    assert now().put_away == [pages[1]]


def test_undoing_what_has_changed_in_another_way_is_refused(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    tidying.record_look(store, pages[0], found())
    tidying.switch_step(store, mappe, pages[:1], "crop", False, now().seq)
    with store.begin() as session:
        row = journal.locked_mappe(session, mappe)
        journal.note(
            session, row, "set from elsewhere", {pages[0]: {"crop": Cropping(corners=CORNERS).model_dump(mode="json")}}
        )
    with pytest.raises(ChangedMeanwhile):
        journal.undo(store, mappe)


def test_only_what_changed_is_sent(store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]) -> None:
    before = now().seq
    tidying.turn_pages(store, mappe, [pages[2]], 2, before)
    changed = desk(store, mappe, since=before)
    assert [page.id for page in changed.pages] == [pages[2]]
    assert len(changed.lanes) == 3


def test_nothing_to_do_is_no_entry(store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]) -> None:
    before = now().seq
    assert ordering.move_pages(store, mappe, pages[:2], 0, before) is None
    with pytest.raises(NotPossible):
        ordering.bring_back(store, mappe, pages, before)
    with pytest.raises(NotPossible):
        tidying.turn_pages(store, mappe, [999], 1, before)
    assert now().seq == before


def test_a_mappe_that_is_not_there(store: Store) -> None:
    with pytest.raises(NotFound):
        desk(store, 999)
    with pytest.raises(NotFound):
        ordering.put_away(store, 999, [1], 0)


def test_subjects(store: Store, mappe: int) -> None:
    mappen.rename(store, mappe, "  Lease\n of\x00 Üpper  Meadow ")
    assert desk(store, mappe).subject == "Lease of Üpper Meadow"
    assert "lease-of-uepper-meadow" in desk(store, mappe).file_name
    with pytest.raises(NotPossible, match="longer than"):
        mappen.rename(store, mappe, "x" * 121)


def test_a_turn_that_was_found_yields_to_one_by_hand(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    tidying.turn_pages(store, mappe, [pages[0]], 1, now().seq)
    for page in pages[:2]:
        tidying.record_look(store, page, found(quarter_turns=2))
    by_hand, by_machine = (page.treatment for page in now().pages[:2])
    assert (by_hand.quarter_turns, by_hand.turn_origin) == (1, Origin.BY_HAND)
    assert (by_machine.quarter_turns, by_machine.turn_origin) == (2, Origin.FOUND)


def test_a_turn_by_hand_and_back_stays(store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]) -> None:
    for quarters in (1, -1):
        tidying.turn_pages(store, mappe, [pages[0]], quarters, now().seq)
    tidying.record_look(store, pages[0], found(quarter_turns=2))
    assert now().pages[0].treatment.quarter_turns == 0


def test_a_second_look_changes_what_no_person_has_set(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    tidying.record_look(store, pages[0], found(0.4))
    tidying.switch_step(store, mappe, [pages[0]], "crop", False, now().seq)
    tidying.record_look(store, pages[0], found(0.7, quarter_turns=1))
    treatment = now().pages[0].treatment
    assert (treatment.skew_deg, treatment.quarter_turns, treatment.sheet) == (0.7, 1, None)


class Told:
    """A recogniser that says what it is told to."""

    def __init__(self, says: TurnEstimate | RecogniserError) -> None:
        self._says = says

    def find_upright(self, picture: bytes, dpi: float) -> TurnEstimate:
        """Say it."""
        if isinstance(self._says, RecogniserError):
            raise self._says
        return self._says


@pytest.mark.parametrize(
    ("says", "turns"),
    [
        (TurnEstimate(1, 0.9), 1),
        (TurnEstimate(2, 0.9), 2),
        (TurnEstimate(2, 0.3), 0),
        (RecogniserFailed("It broke off.", -9, ""), 0),
    ],
)
def test_the_recogniser_is_asked_where_the_way_up_is_open(
    store: Store, pages: list[int], now: Callable[[], Desk], says: TurnEstimate | RecogniserError, turns: int
) -> None:
    tidying.record_look(store, pages[0], found().model_copy(update={"turn_confidence": 0.2}))
    find_upright(store, pages[0], here, Told(says), DEFAULT_LIMIT_PX)
    assert now().pages[0].treatment.quarter_turns == turns


def test_the_recogniser_is_not_asked_where_it_is_clear_or_a_person_has_turned_the_page(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    upside_down = Told(TurnEstimate(2, 0.9))
    tidying.record_look(store, pages[0], found())
    tidying.record_look(store, pages[1], found().model_copy(update={"turn_confidence": 0.2}))
    tidying.turn_pages(store, mappe, [pages[1]], 1, now().seq)
    for page in pages[:3]:  # the third has not been looked at
        find_upright(store, page, here, upside_down, DEFAULT_LIMIT_PX)
    find_upright(store, 999_999, here, upside_down, DEFAULT_LIMIT_PX)
    assert [page.treatment.quarter_turns for page in now().pages[:3]] == [0, 1, 0]


def test_findings_lose_their_place_when_the_page_lies_otherwise(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    tidying.record_look(store, pages[0], found())
    assert now().pages[0].findings == [BLURRED]
    assert now().pages[0].look == ["the print is blurred"]
    tidying.set_tone(store, mappe, [pages[0]], Tone.WHITE, now().seq)
    assert now().pages[0].findings[0].zone == SPOT
    tidying.turn_pages(store, mappe, [pages[0]], 1, now().seq)
    assert now().pages[0].findings[0].zone is None


def test_the_tone_of_pages_is_changed_and_undone(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    tidying.set_tone(store, mappe, pages[:2], Tone.GREY, now().seq)
    assert [page.treatment.tone for page in now().pages[:3]] == [Tone.GREY, Tone.GREY, Tone.AS_SCANNED]
    with pytest.raises(NotPossible):
        tidying.set_tone(store, mappe, pages[:2], Tone.GREY, now().seq)
    journal.undo(store, mappe)
    assert {page.treatment.tone for page in now().pages} == {Tone.AS_SCANNED}


def test_a_sheet_much_longer_than_those_of_its_pass_may_be_two(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    """Three pages that are known to be 200 mm high, and a fourth of the same paper that is A4."""
    short = tuple((x, min(y, 202.0)) for x, y in CORNERS)
    for page in pages[:3]:
        look = found()
        shorter = look.treatment.model_copy(update={"crop": Cropping(corners=short)})
        tidying.record_look(store, page, look.model_copy(update={"treatment": shorter}))
    look_at_page(store, pages[4], here, DEFAULT_LIMIT_PX)
    by_id = {page.id: page for page in now().pages}
    assert FindingKind.DOUBLED in {finding.kind for finding in by_id[pages[4]].findings}
    assert any("longer than its neighbours" in text for text in by_id[pages[4]].look)


def test_a_sheet_as_long_as_half_of_its_pass_is_one(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    """Two A4 pages and two that are 210 mm high: the next A4 page is not longer than its neighbours."""
    short = tuple((x, min(y, 212.0)) for x, y in CORNERS)
    for number, page in enumerate(pages[:4]):
        look = found()
        corners = CORNERS if number < 2 else short
        cropped = look.treatment.model_copy(update={"crop": Cropping(corners=corners)})
        tidying.record_look(store, page, look.model_copy(update={"treatment": cropped}))
    look_at_page(store, pages[4], here, DEFAULT_LIMIT_PX)
    by_id = {page.id: page for page in now().pages}
    assert FindingKind.DOUBLED not in {finding.kind for finding in by_id[pages[4]].findings}
