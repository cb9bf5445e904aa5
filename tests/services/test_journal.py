"""Changing pages, undoing, redoing; two windows at once; a restart in between."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import select
from tests.helpers import ANNA, BEN, WORDS, Desk, Drawer, desk, do, here, redo, scan, undo

from papiermappe.core.analysis import Analysis
from papiermappe.core.clean import ColourKind, Finding, FindingKind
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import (
    AcceptWarnings,
    BringBack,
    Crop,
    Move,
    MoveToMappe,
    Nudge,
    SetAside,
    SetTone,
    Straighten,
    Turn,
)
from papiermappe.core.treatment import Cropping, Origin, Straightening, Tone, Treatment
from papiermappe.core.zones import Zone
from papiermappe.recognition.errors import RecogniserError, RecogniserFailed
from papiermappe.services import journal, mappen, undoing
from papiermappe.services.analysing import analyse_page, find_upright, record_analysis
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.errors import ChangedMeanwhile, NotFound, NotPossible
from papiermappe.services.page_views import PageView
from papiermappe.services.views import mappe_changes
from papiermappe.store.database import Store
from papiermappe.store.models import JournalChange, Page

CORNERS = ((2.0, 2.0), (212.0, 2.0), (212.0, 299.0), (2.0, 299.0))
SPOT = Zone(x_mm=10, y_mm=20, width_mm=5, height_mm=5)
BLURRED = Finding(kind=FindingKind.BLURRED, confidence=0.9, zone=SPOT)


def found(skew_deg: float = 0.4, quarter_turns: int = 0) -> Analysis:
    """Return what the machine may have found."""
    treatment = Treatment(
        straighten=Straightening(skew_deg=skew_deg),
        crop=Cropping(corners=CORNERS),
        quarter_turns=quarter_turns,
        turn_origin=Origin.FOUND,
    )
    return Analysis(treatment=treatment, findings=(BLURRED,), colour=ColourKind.GREY)


@pytest.fixture
def pages(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> list[int]:
    """Six pages on three sheets, not looked at yet."""
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig)
    return desk(store, mappe).order


@pytest.fixture
def now(store: Store, mappe: int, pages: list[int]) -> Callable[[], Desk]:
    """The desk as it is."""
    return lambda: desk(store, mappe)


def by_id(now: Callable[[], Desk]) -> dict[int, PageView]:
    """Return the pages by their ids."""
    return {page.id: page for page in now().pages}


def test_every_change_is_undone_and_redone_in_order(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    def seen() -> tuple[object, ...]:
        desk_now = now()
        turns = tuple(treatment.quarter_turns for treatment in desk_now.treatments())
        return tuple(desk_now.lanes), tuple(desk_now.set_aside), turns

    states = [seen()]
    changes: list[Callable[[], int | None]] = [
        lambda: do(store, mappe, Move(pages=tuple(pages[:2]), before=None)),
        lambda: do(store, mappe, Turn(pages=(pages[3],), quarter_turns=3), now().cursor),
        lambda: do(store, mappe, SetAside(pages=(pages[0], pages[5])), now().cursor),
        lambda: do(store, mappe, Nudge(pages=(pages[2],), by=1), now().cursor),
        lambda: do(store, mappe, BringBack(pages=(pages[5],)), now().cursor),
    ]
    for change in changes:
        change()
        states.append(seen())
    assert len(set(states)) == 6
    for state in reversed(states[:-1]):
        undo(store, mappe)
        assert seen() == state
    assert now().undo is None
    for state in states[1:]:
        redo(store, mappe)
        assert seen() == state
    assert now().redo is None


def test_the_way_back_survives_a_restart(store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]) -> None:
    do(store, mappe, Turn(pages=tuple(pages), quarter_turns=1), now().cursor)
    after_restart = Store(store.database_url, store.blobs)
    undo(after_restart, mappe)
    after_restart.close()
    assert {treatment.quarter_turns for treatment in now().treatments()} == {0}
    assert now().redo == "6 pages turned anticlockwise"


def test_undoing_leaves_alone_what_was_found_since(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    do(store, mappe, Turn(pages=tuple(pages[:1]), quarter_turns=1), now().cursor)
    record_analysis(MACHINE, store, pages[0], found())
    undo(store, mappe)
    assert now().treatments()[0] == found().treatment


def test_switching_what_was_not_analysed_changes_nothing(store: Store, mappe: int, pages: list[int]) -> None:
    assert do(store, mappe, Straighten(pages=tuple(pages), on=False)) is None


def test_two_people_and_one_field_the_later_one_is_told(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    seen_by_both = now().cursor
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), seen_by_both, ANNA)
    with pytest.raises(ChangedMeanwhile):
        do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), seen_by_both, BEN)
    do(store, mappe, SetAside(pages=(pages[0],)), seen_by_both, BEN)  # another field: no conflict
    do(store, mappe, Turn(pages=(pages[1],), quarter_turns=1), seen_by_both, BEN)  # another page: none either
    assert now().set_aside == [pages[0]]


def test_one_person_does_not_run_into_their_own_changes(store: Store, mappe: int, pages: list[int]) -> None:
    for _ in range(3):
        do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), 0)
    assert desk(store, mappe).treatments()[0].quarter_turns == 3


def test_what_the_machine_notes_refuses_nobody(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    """Turning a page whose analysis arrives at the same moment, seen or not."""
    seen = now().cursor
    record_analysis(MACHINE, store, pages[0], found(quarter_turns=2))
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), seen)
    assert now().treatments()[0].quarter_turns == 3


def test_undoing_what_has_changed_since_is_refused_and_says_by_what(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    first = do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1))
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), caller=BEN)
    assert first is not None
    with pytest.raises(ChangedMeanwhile) as refused:
        undoing.undo(ANNA, store, mappe, first)
    assert WORDS.text(refused.value.message) == (
        "This cannot be taken back: the page has been changed since (1 page turned anticlockwise)."
    )
    assert now().treatments()[0].quarter_turns == 2


def test_undo_takes_back_what_its_own_person_did(store: Store, mappe: int, pages: list[int]) -> None:
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), caller=ANNA)
    do(store, mappe, SetAside(pages=(pages[1],)), caller=BEN)
    assert desk(store, mappe, ANNA).undo == "1 page turned anticlockwise"
    assert desk(store, mappe, BEN).undo == "1 page set aside"
    undo(store, mappe, ANNA)
    assert desk(store, mappe, ANNA).undo is None
    assert desk(store, mappe, ANNA).set_aside == [pages[1]]
    with pytest.raises(NotPossible, match="nothing_to_undo"):
        undo(store, mappe, ANNA)
    redo(store, mappe, ANNA)
    with pytest.raises(NotPossible, match="nothing_to_redo"):
        redo(store, mappe, ANNA)


def test_an_entry_is_undone_once(store: Store, mappe: int, pages: list[int]) -> None:
    entry = do(store, mappe, SetAside(pages=(pages[0],)))
    assert entry is not None
    undoing.undo(ANNA, store, mappe, entry)
    with pytest.raises(NotPossible):
        undoing.undo(ANNA, store, mappe, entry)
    with pytest.raises(NotFound):
        undoing.undo(ANNA, store, mappen.open_mappe(ANNA, store), entry)


def test_a_command_that_is_sent_twice_is_done_once(store: Store, mappe: int, pages: list[int]) -> None:
    again = Caller("anna", "request-0001")
    answers = [do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), caller=again) for _ in range(3)]
    assert len(set(answers)) == 1
    assert desk(store, mappe).treatments()[0].quarter_turns == 1


def test_a_command_that_is_sent_five_times_at_once_is_done_once(store: Store, mappe: int, pages: list[int]) -> None:
    def turn(_: int) -> int | None:
        operation = Turn(pages=(pages[0],), quarter_turns=1)
        return journal.apply_operation(Caller("anna", "request-0002"), store, mappe, operation, 10_000)

    with ThreadPoolExecutor(5) as windows:
        assert len(set(windows.map(turn, range(5)))) == 1
    assert desk(store, mappe).treatments()[0].quarter_turns == 1


def test_a_command_that_was_refused_is_tried_again_when_it_is_sent_again(
    store: Store, mappe: int, pages: list[int]
) -> None:
    again = Caller("ben", "request-0003")
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1))
    with pytest.raises(ChangedMeanwhile):
        do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), 0, again)
    assert do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), caller=again) is not None


def test_pages_go_to_another_mappe_and_come_back(store: Store, mappe: int, pages: list[int]) -> None:
    other = mappen.open_mappe(ANNA, store, "Hail")
    before = desk(store, mappe)
    do(store, mappe, MoveToMappe(pages=tuple(pages[2:4]), mappe=other))
    assert desk(store, mappe).order == [*pages[:2], *pages[4:]]
    assert desk(store, other).lanes == [(pages[2], pages[3])]
    changes, _ = mappe_changes(ANNA, store, mappe, before.cursor)
    assert changes.gone == pages[2:4]
    assert desk(store, other).undo == "2 pages moved from one Mappe to another"
    do(store, other, Turn(pages=(pages[2],), quarter_turns=2), caller=BEN)  # the other Mappe goes on
    undo(store, mappe)
    assert desk(store, mappe).order == pages
    assert desk(store, other).order == []
    assert desk(store, mappe).treatments()[2].quarter_turns == 2


def test_a_page_that_comes_back_goes_beside_what_lies_at_its_place_now(
    store: Store, mappe: int, pages: list[int]
) -> None:
    """The second sheet goes to the end, the third between first and third of before; then the second comes back."""
    moved = do(store, mappe, Move(pages=tuple(pages[2:4]), before=None))
    with store.begin() as session:
        row = locked_mappe(ANNA, session, mappe)
        journal.machine_entry(session, row, {page: {"rank": "2"} for page in pages[4:6]})
    assert moved is not None
    undoing.undo(ANNA, store, mappe, moved)
    assert desk(store, mappe).order == [*pages[:2], *pages[4:6], *pages[2:4]]


def test_undo_of_a_field_that_an_earlier_version_did_not_know(store: Store, mappe: int, pages: list[int]) -> None:
    with store.begin() as session:
        page = session.get_one(Page, pages[0])
        page.treatment = {name: value for name, value in page.treatment.items() if name != "tone"}
    do(store, mappe, SetTone(pages=(pages[0],), tone=Tone.GREY))
    undo(store, mappe)
    assert desk(store, mappe).treatments()[0].tone is Tone.AS_SCANNED


def test_undo_of_an_entry_from_before_fields_were_added_to_a_treatment(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    page = pages[0]
    record_analysis(MACHINE, store, page, found())
    do(store, mappe, Crop(pages=(page,), on=False), now().cursor)
    with store.begin() as session:
        entry = session.scalars(select(JournalChange).order_by(JournalChange.seq.desc())).first()
        assert entry is not None
        short = {name: value for name, value in entry.before["crop"].items() if name != "origin"}
        entry.before = {"crop": short, "turn_origin": None}
        entry.after = {"crop": {**short, "on": False}, "turn_origin": None}
    undo(store, mappe)
    assert now().treatments()[0].crop == Cropping(corners=CORNERS)


def test_only_what_changed_is_sent(store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]) -> None:
    before = now().cursor
    do(store, mappe, Turn(pages=(pages[2],), quarter_turns=2), before)
    changes, _ = mappe_changes(ANNA, store, mappe, before)
    assert [page.id for page in changes.pages] == [pages[2]]
    assert (changes.subject, changes.runs, changes.filings, len(changes.history)) == (None, [], [], 1)


def test_nothing_to_do_is_no_entry(store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]) -> None:
    before = now().cursor
    assert do(store, mappe, Move(pages=tuple(pages[:2]), before=pages[0]), before) is None
    assert do(store, mappe, BringBack(pages=tuple(pages)), before) is None
    assert do(store, mappe, Turn(pages=(999_999,), quarter_turns=1), before) is None
    assert now().cursor == before


def test_a_mappe_that_is_not_there(store: Store) -> None:
    with pytest.raises(NotFound):
        desk(store, 999)
    with pytest.raises(NotFound):
        do(store, 999, SetAside(pages=(1,)), 0)


def test_subjects(store: Store, mappe: int) -> None:
    mappen.rename(ANNA, store, mappe, "  Lease\n of\x00 Üpper  Meadow ")
    assert desk(store, mappe).view.subject == "Lease of Üpper Meadow"
    assert "lease-of-uepper-meadow" in desk(store, mappe).view.file_name
    with pytest.raises(NotPossible, match="subject_too_long"):
        mappen.rename(ANNA, store, mappe, "x" * 121)


def test_a_turn_that_was_found_yields_to_one_by_hand(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), now().cursor)
    for page in pages[:2]:
        record_analysis(MACHINE, store, page, found(quarter_turns=2))
    by_hand, by_machine = now().treatments()[:2]
    assert (by_hand.quarter_turns, by_hand.turn_origin) == (1, Origin.BY_HAND)
    assert (by_machine.quarter_turns, by_machine.turn_origin) == (2, Origin.FOUND)


def test_a_turn_by_hand_and_back_stays(store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]) -> None:
    for quarters in (1, -1):
        do(store, mappe, Turn(pages=(pages[0],), quarter_turns=quarters), now().cursor)
    record_analysis(MACHINE, store, pages[0], found(quarter_turns=2))
    assert now().treatments()[0].quarter_turns == 0


def test_a_second_look_changes_what_no_person_has_set(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    record_analysis(MACHINE, store, pages[0], found(0.4))
    do(store, mappe, Crop(pages=(pages[0],), on=False), now().cursor)
    record_analysis(MACHINE, store, pages[0], found(0.7, quarter_turns=1))
    treatment = now().treatments()[0]
    assert (treatment.skew_deg, treatment.quarter_turns, treatment.sheet) == (0.7, 1, None)


class InferredOrder:
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
        (RecogniserFailed("recogniser_failed", -9, ""), 0),
    ],
)
def test_the_recogniser_is_asked_where_the_way_up_is_open(
    store: Store, pages: list[int], now: Callable[[], Desk], says: TurnEstimate | RecogniserError, turns: int
) -> None:
    record_analysis(MACHINE, store, pages[0], found().model_copy(update={"turn_confidence": 0.2}))
    find_upright(store, pages[0], here, InferredOrder(says), DEFAULT_LIMIT_PX)
    assert now().treatments()[0].quarter_turns == turns


def test_the_recogniser_is_not_asked_where_it_is_clear_or_nothing_tells_it_or_a_person_has_turned_the_page(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    upside_down = InferredOrder(TurnEstimate(2, 0.9))
    record_analysis(MACHINE, store, pages[0], found())
    record_analysis(MACHINE, store, pages[1], found().model_copy(update={"turn_confidence": 0.2}))
    a_mark = found().model_copy(update={"turn_confidence": 0.0, "has_letters": False})
    record_analysis(MACHINE, store, pages[3], a_mark)
    do(store, mappe, Turn(pages=(pages[1],), quarter_turns=1), now().cursor)
    for page in pages[:4]:  # the third has not been looked at
        find_upright(store, page, here, upside_down, DEFAULT_LIMIT_PX)
    find_upright(store, 999_999, here, upside_down, DEFAULT_LIMIT_PX)
    assert [treatment.quarter_turns for treatment in now().treatments()[:4]] == [0, 1, 0, 0]


def test_findings_are_told_where_they_lie_however_the_page_is_turned(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    record_analysis(MACHINE, store, pages[0], found())
    (finding,) = now().detail(pages[0]).findings
    assert (WORDS.text(finding.message), finding.zone, finding.is_warning) == ("The print is blurred", SPOT, True)
    assert [warning.code for warning in now().pages[0].warnings] == ["finding_blurred"]
    do(store, mappe, SetTone(pages=(pages[0],), tone=Tone.WHITE))
    assert now().detail(pages[0]).findings[0].zone == SPOT
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1))
    zone = now().detail(pages[0]).findings[0].zone
    assert zone is not None
    # counter-clockwise: what was 20 mm from the top is as far from the left, what was at the left lies at the foot
    from_foot = now().pages[0].height_mm - zone.y_mm - zone.height_mm
    assert (zone.x_mm, from_foot, zone.width_mm, zone.height_mm) == pytest.approx((20, 10, 5, 5), abs=0.1)


def test_what_a_person_has_found_to_be_fine_is_not_pointed_out_any_more_until_that_is_undone(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    record_analysis(MACHINE, store, pages[0], found())
    do(store, mappe, AcceptWarnings(pages=tuple(pages[:2]), codes=("finding_blurred",)))
    assert now().pages[0].warnings == []
    assert now().detail(pages[0]).findings[0].accepted
    assert now().history[0] == "2 pages checked and found to be fine"
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1))
    assert now().pages[0].warnings == []
    undo(store, mappe)
    undo(store, mappe)
    assert [warning.code for warning in now().pages[0].warnings] == ["finding_blurred"]
    redo(store, mappe)
    assert now().pages[0].warnings == []
    assert now().pages[1].id == pages[1]


def test_the_tone_of_pages_is_changed_and_undone(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    do(store, mappe, SetTone(pages=tuple(pages[:2]), tone=Tone.GREY))
    assert [treatment.tone for treatment in now().treatments()[:3]] == [Tone.GREY, Tone.GREY, Tone.AS_SCANNED]
    assert do(store, mappe, SetTone(pages=tuple(pages[:2]), tone=Tone.GREY)) is None
    undo(store, mappe)
    assert {treatment.tone for treatment in now().treatments()} == {Tone.AS_SCANNED}


def test_a_sheet_much_longer_than_those_of_its_run_may_be_two(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    """Three pages that are known to be 200 mm high, and a fourth of the same paper that is A4."""
    short = tuple((x, min(y, 202.0)) for x, y in CORNERS)
    for page in pages[:3]:
        look = found()
        shorter = look.treatment.model_copy(update={"crop": Cropping(corners=short)})
        record_analysis(MACHINE, store, page, look.model_copy(update={"treatment": shorter}))
    analyse_page(store, pages[4], here, DEFAULT_LIMIT_PX)
    assert "finding_doubled" in {warning.code for warning in by_id(now)[pages[4]].warnings}


def test_a_sheet_as_long_as_half_of_its_run_is_one(
    store: Store, mappe: int, pages: list[int], now: Callable[[], Desk]
) -> None:
    """Two A4 pages and two that are 210 mm high: the next A4 page is not longer than its neighbours."""
    short = tuple((x, min(y, 212.0)) for x, y in CORNERS)
    for number, page in enumerate(pages[:4]):
        look = found()
        corners = CORNERS if number < 2 else short
        cropped = look.treatment.model_copy(update={"crop": Cropping(corners=corners)})
        record_analysis(MACHINE, store, page, look.model_copy(update={"treatment": cropped}))
    analyse_page(store, pages[4], here, DEFAULT_LIMIT_PX)
    assert "finding_doubled" not in {warning.code for warning in by_id(now)[pages[4]].warnings}
