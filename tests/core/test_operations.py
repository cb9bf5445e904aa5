"""Operations: what they change, and that they name nothing else."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from papiermappe.core.operations import (
    JOURNALED,
    BringBack,
    Changes,
    Crop,
    Move,
    MoveToMappe,
    Nudge,
    PageState,
    SetAside,
    SetTone,
    SortByNumbers,
    Straighten,
    Turn,
)
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
        places.append(type(place)(page.id, Decimal(fields.get("rank", page.rank)), page.side, page.set_aside))
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
    ],
)
def test_what_is_no_operation_is_refused(wrong: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        JOURNALED.validate_python(wrong)


def test_the_fields_of_a_page_are_all_that_an_operation_may_set() -> None:
    fields = pile(1)[0].fields()
    assert fields.keys() == {"mappe_id", "rank", "side", "set_aside", "capture_id"} | Treatment.model_fields.keys()
