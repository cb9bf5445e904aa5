"""Operations: what they change, and that they name nothing else."""

from dataclasses import replace
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from papiermappe.core.operations import (
    JOURNALED,
    AcceptWarnings,
    BringBack,
    Changes,
    CopyToMappe,
    Crop,
    Cut,
    CutIntoMappen,
    Move,
    MoveToMappe,
    Nudge,
    Operation,
    PageState,
    PartInto,
    Reverse,
    SetAside,
    SetTone,
    SortByArrival,
    SortByFiles,
    SortByNumbers,
    Straighten,
    Turn,
    Uncut,
)
from papiermappe.core.operations.model import Fields
from papiermappe.core.operations.parts import parts_of
from papiermappe.core.order.places import Side, reading_order
from papiermappe.core.treatment import Cropping, Straightening, Tone, Treatment

CORNERS = ((2.0, 2.0), (212.0, 2.0), (212.0, 299.0), (2.0, 299.0))
FOUND = Treatment(straighten=Straightening(skew_deg=0.4), crop=Cropping(corners=CORNERS))


def pile(sheets: int, mappe: int = 1, first: int = 1, numbers: dict[int, int] | None = None) -> list[PageState]:
    """Return sheets with both sides; the front of sheet n has the id 2n - 1."""
    return [
        PageState(
            first + 2 * sheet + back, mappe, Decimal(sheet + 1), Side.BACK if back else Side.FRONT, False, FOUND, 7,
            (numbers or {}).get(first + 2 * sheet + back),
        )
        for sheet in range(sheets)
        for back in (0, 1)
    ]  # fmt: skip


def changed(pages: list[PageState], changes: Changes) -> list[int]:
    """Return the pages in reading order after ranks have changed."""
    places = []
    for page in pages:
        fields = changes.get(page.id, {})
        place = page.place
        side = Side(fields.get("side", page.side))
        places.append(type(place)(page.id, Decimal(fields.get("rank", page.rank)), side, page.set_aside))
    return [place.page_id for place in reading_order(places)]


def test_a_turn_adds_to_the_turns_and_is_by_hand() -> None:
    pages = pile(1)
    assert Turn(pages=(1,), quarter_turns=-1).apply(pages) == {1: {"quarter_turns": 3, "turn_origin": "by_hand"}}
    assert Turn(pages=(1, 2), quarter_turns=0).apply(pages) == {}


@given(st.lists(st.integers(-3, 3), max_size=8))
def test_turns_add_up(quarters: list[int]) -> None:
    page = pile(1)[0]
    for turns in quarters:
        fields = Turn(pages=(1,), quarter_turns=turns).apply([page]).get(1, {})
        treatment = page.treatment.model_copy(
            update={"quarter_turns": fields.get("quarter_turns", page.treatment.quarter_turns)}
        )
        page = PageState(page.id, page.mappe_id, page.rank, page.side, page.set_aside, treatment, 7)
    assert page.treatment.quarter_turns == sum(quarters) % 4


def test_only_what_differs_is_changed() -> None:
    pages = pile(1)
    assert Straighten(pages=(1, 2), on=True).apply(pages) == {}
    assert Crop(pages=(1,), on=False).apply(pages)[1]["crop"]["on"] is False
    assert SetTone(pages=(1,), tone=Tone.AS_SCANNED).apply(pages) == {}
    assert SetTone(pages=(2,), tone=Tone.GREY).apply(pages) == {2: {"tone": "grey"}}
    assert SetAside(pages=(1,)).apply(pages) == {1: {"set_aside": True}}
    assert BringBack(pages=(1,)).apply(pages) == {}


def test_pages_that_are_not_there_are_passed_over() -> None:
    assert Turn(pages=(99,), quarter_turns=1).apply(pile(1)) == {}


def test_pages_move_before_the_sheet_of_a_page_or_to_the_end() -> None:
    pages = pile(4)
    assert changed(pages, Move(pages=(7, 8), before=4).apply(pages)) == [1, 2, 7, 8, 3, 4, 5, 6]
    assert changed(pages, Move(pages=(1, 2), before=None).apply(pages)) == [3, 4, 5, 6, 7, 8, 1, 2]
    assert Move(pages=(1, 2), before=1).apply(pages) == {}
    assert Move(pages=(1, 2), before=99).apply(pages) == {}  # that sheet is gone
    assert changed(pages, Nudge(pages=(3, 4), by=1).apply(pages)) == [1, 2, 5, 6, 3, 4, 7, 8]


def test_sheets_are_sorted_by_their_printed_numbers() -> None:
    pages = pile(3, numbers={1: 5, 2: 6, 3: 1, 4: 2, 5: 3, 6: 4})
    assert changed(pages, SortByNumbers().apply(pages)) == [3, 4, 5, 6, 1, 2]
    assert SortByNumbers().apply(pile(3)) == {}


def test_all_sheets_or_the_chosen_ones_are_reversed() -> None:
    pages = pile(3)
    assert changed(pages, Reverse().apply(pages)) == [5, 6, 3, 4, 1, 2]
    assert changed(pages, Reverse(pages=(3, 5, 6)).apply(pages)) == [1, 2, 5, 6, 3, 4]  # sheets, as one is whole
    assert Reverse(pages=(1,)).apply(pages) == {}


def test_where_one_page_of_each_sheet_is_chosen_the_other_sides_stay() -> None:
    pages = pile(3)
    assert changed(pages, Reverse(pages=(2, 4, 6)).apply(pages)) == [1, 6, 3, 4, 5, 2]
    assert changed(pages, Reverse(pages=(1, 4)).apply(pages)) == [4, 2, 3, 1, 5, 6]  # a front and a back change places
    assert Reverse(pages=(1, 4)).apply(pages) == {1: {"rank": "2", "side": "back"}, 4: {"rank": "1", "side": "front"}}


def test_a_reversed_sheet_takes_what_is_set_aside_of_it_along() -> None:
    pages = [replace(page, set_aside=page.id == 2) for page in pile(2)]
    assert Reverse().apply(pages) == {1: {"rank": "2"}, 2: {"rank": "2"}, 3: {"rank": "1"}, 4: {"rank": "1"}}


@given(st.permutations(range(1, 9)))
def test_reversing_twice_changes_nothing(ids: list[int]) -> None:
    pages = pile(4)
    chosen = tuple(ids[:5])
    once = changed(pages, Reverse(pages=chosen).apply(pages))
    changes = Reverse(pages=chosen).apply(pages)
    moved = [_after(page, changes.get(page.id, {})) for page in pages]
    assert sorted(once) == sorted(range(1, 9))
    assert changed(moved, Reverse(pages=chosen).apply(moved)) == list(range(1, 9))


def _after(page: PageState, fields: Fields) -> PageState:
    """Return a page at its new place."""
    return replace(page, rank=Decimal(fields.get("rank", page.rank)), side=Side(fields.get("side", page.side)))


def test_sheets_are_sorted_by_arrival_and_by_the_names_of_their_files() -> None:
    pages = pile(3)
    came = {1: 30, 2: 31, 3: 10, 4: 11, 5: 20, 6: 21}
    arrived = [replace(page, capture_id=came[page.id]) for page in pages]
    assert changed(pages, SortByArrival().apply(arrived)) == [3, 4, 5, 6, 1, 2]
    names = {1: ("scan 10.png", 1), 3: ("Scan 9.png", 2), 5: ("scan 9.png", 1)}
    named = [replace(page, file=names.get(page.id)) for page in pages]
    assert changed(pages, SortByFiles().apply(named)) == [5, 6, 3, 4, 1, 2]
    assert SortByFiles().apply(pages) == {}


def test_documents_begin_where_they_are_cut_and_keep_their_names() -> None:
    pages = pile(4)
    assert Cut(pages=(3, 7), names=("Hail ", "")).apply(pages) == {3: {"begins": "Hail"}, 7: {"begins": ""}}
    cut = [replace(page, begins={3: "Hail", 7: ""}.get(page.id)) for page in pages]
    assert Cut(pages=(5,), names=("Lease",), only=True, aside=(4,)).apply(cut) == {
        3: {"begins": None}, 4: {"set_aside": True}, 5: {"begins": "Lease"}, 7: {"begins": None},
    }  # fmt: skip
    assert Uncut(pages=(3, 5)).apply(cut) == {3: {"begins": None}}
    assert [(part.name, [page.id for page in part.pages]) for part in parts_of(cut)] == [
        ("", [1, 2]), ("Hail", [3, 4, 5, 6]), ("", [7, 8]),
    ]  # fmt: skip


def test_a_document_that_begins_with_a_sheet_set_aside_begins_with_the_next_one() -> None:
    pages = [
        replace(page, set_aside=page.id in {3, 4, 7, 8}, begins={3: "Hail", 7: "nothing follows"}.get(page.id))
        for page in pile(4)
    ]
    assert [(part.name, [page.id for page in part.pages]) for part in parts_of(pages)] == [
        ("", [1, 2]), ("Hail", [3, 4, 5, 6, 7, 8]),
    ]  # fmt: skip
    assert parts_of([replace(page, set_aside=True) for page in pages]) == []


def test_a_mappe_of_each_document_keeps_the_places_of_its_pages() -> None:
    pages = [replace(page, begins={1: "Lease", 5: "Hail"}.get(page.id)) for page in pile(3)]
    cut = CutIntoMappen(pages=(5, 6), parts=(PartInto(mappe=9, pages=(5, 6)),), ends=(1,))
    assert cut.apply(pages) == {1: {"begins": None}, 5: {"mappe_id": 9, "begins": None}, 6: {"mappe_id": 9}}


def test_pages_go_before_a_sheet_of_another_mappe() -> None:
    pages = [*pile(2), *pile(2, mappe=2, first=11)]
    changes = MoveToMappe(pages=(3, 4), mappe=2, before=14).apply(pages)
    there = [page for page in pages if page.mappe_id == 2 or page.id in changes]
    assert changed(there, changes) == [11, 12, 3, 4, 13, 14]
    assert changed(there, MoveToMappe(pages=(3, 4), mappe=2, before=12).apply(pages)) == [3, 4, 11, 12, 13, 14]


def test_copies_come_from_nowhere() -> None:
    copies = [replace(page, mappe_id=None) for page in pile(1, first=21)]
    pages = [*pile(1), *copies]
    assert CopyToMappe(pages=(21, 22), mappe=1).apply(pages) == {
        21: {"mappe_id": 1, "rank": "2"}, 22: {"mappe_id": 1, "rank": "2"},
    }  # fmt: skip


def test_pages_go_to_the_end_of_another_mappe_sheet_by_sheet() -> None:
    pages = [*pile(3), *pile(1, mappe=2, first=11)]
    changes = MoveToMappe(pages=(1, 2, 5), mappe=2).apply(pages)
    assert changes == {
        1: {"mappe_id": 2, "rank": "2"}, 2: {"mappe_id": 2, "rank": "2"}, 5: {"mappe_id": 2, "rank": "3"},
    }  # fmt: skip
    assert MoveToMappe(pages=(11,), mappe=2).apply(pages) == {}


@pytest.mark.parametrize(
    "operation",
    [
        Turn(pages=(1,), quarter_turns=1), Straighten(pages=(1,), on=False), Crop(pages=(1,), on=True),
        SetAside(pages=(1,)), SetTone(pages=(1,), tone=Tone.WHITE), BringBack(pages=(1,)),
        Move(pages=(1,), before=None), Nudge(pages=(1,), by=-1), SortByNumbers(), MoveToMappe(pages=(1,), mappe=2),
        Reverse(), SortByArrival(pages=(1,)), SortByFiles(), Cut(pages=(1,), names=("Hail",)), Uncut(pages=(1,)),
        CopyToMappe(pages=(1,), mappe=2, before=3),
        CutIntoMappen(pages=(1,), parts=(PartInto(mappe=2, pages=(1,)),)),
    ],
)  # fmt: skip
def test_operations_survive_the_journal(operation: Turn) -> None:
    assert JOURNALED.validate_python(operation.model_dump(mode="json")) == operation
    assert JOURNALED.validate_json(operation.model_dump_json()) == operation


@pytest.mark.parametrize(
    "wrong",
    [
        {"kind": "turn", "pages": [1], "quarter_turns": 4},
        {"kind": "turn", "pages": [], "quarter_turns": 1},
        {"kind": "turn", "pages": [2**31], "quarter_turns": 1},
        {"kind": "set_aside", "pages": [1], "and": "more"},
        {"kind": "shred", "pages": [1]},
        {"kind": "cut", "pages": [1], "names": []},
        {"kind": "cut", "pages": [1, 1], "names": ["a", "b"]},
    ],
)
def test_what_is_no_operation_is_refused(wrong: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        JOURNALED.validate_python(wrong)


@pytest.mark.parametrize("kind", ["copy_to_mappe", "join_mappe", "cut_into_mappen", "take_again"])
def test_what_needs_a_service_cannot_be_sent_by_windows(kind: str) -> None:
    with pytest.raises(ValidationError, match="does not match any of the expected tags"):
        TypeAdapter(Operation).validate_python({"kind": kind, "pages": [1], "mappe": 2, "parts": [], "capture_id": 1})


def test_warnings_are_accepted_once_each() -> None:
    first, second = pile(1)
    done = replace(second, accepted=("finding_faint",))
    both = AcceptWarnings(pages=(first.id, second.id), codes=("finding_faint", "crop_uncertain"))
    assert both.apply([first, done]) == {
        first.id: {"accepted": ["finding_faint", "crop_uncertain"]},
        second.id: {"accepted": ["finding_faint", "crop_uncertain"]},
    }
    assert AcceptWarnings(pages=(second.id,), codes=("finding_faint",)).apply([done]) == {}
    with pytest.raises(ValidationError):
        AcceptWarnings(pages=(1,), codes=("<b>",))


def test_the_fields_of_a_page_are_all_that_an_operation_may_set() -> None:
    place = {"mappe_id", "rank", "side", "set_aside", "begins", "capture_id", "accepted"}
    page = pile(1)[0]
    assert page.fields(place | Treatment.model_fields.keys()).keys() == place | Treatment.model_fields.keys()
    assert page.fields({"rank", "tone"}) == {"rank": "1", "tone": "as_scanned"}
    with pytest.raises(KeyError):
        page.fields({"analysis"})
