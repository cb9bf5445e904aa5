"""Laying backs to fronts as an operation: places that change, and nothing else."""

from decimal import Decimal

import pytest
from pydantic import ValidationError

from papiermappe.core.operations import Changes, Interleave, PageState, SheetSides
from papiermappe.core.order.places import Place, Side, sheets
from papiermappe.core.treatment import Treatment


def page(number: int, rank: float, side: Side = Side.FRONT, set_aside: bool = False) -> PageState:
    """Return a page of Mappe 1."""
    return PageState(number, 1, Decimal(str(rank)), side, set_aside, Treatment(), number)


def interleave(*pairs: tuple[int | None, int | None], aside: tuple[int, ...] = ()) -> Interleave:
    """Return the operation."""
    pages = tuple(number for pair in pairs for number in pair if number is not None)
    return Interleave(
        pages=pages, sheets=tuple(SheetSides(front=front, back=back) for front, back in pairs), aside=aside
    )


def lanes(pages: list[PageState], changes: Changes) -> list[tuple[int | None, int | None]]:
    """Return fronts and backs as they lie after the changes."""
    places = []
    for state in pages:
        fields = changes.get(state.id, {})
        places.append(
            Place(
                state.id,
                Decimal(fields.get("rank", state.rank)),
                Side(fields.get("side", state.side)),
                fields.get("set_aside", state.set_aside),
            )
        )
    found = []
    for sheet in sheets(places):
        by_side = {place.side: place.page_id for place in sheet}
        assert len(by_side) == len(sheet), "two pages at one place"
        found.append((by_side.get(Side.FRONT), by_side.get(Side.BACK)))
    return found


ONE_RUN_AFTER_THE_OTHER = [page(1, 1), page(2, 2), page(3, 3), page(4, 4), page(5, 5), page(6, 6)]


def test_fronts_stay_where_they_lie_and_backs_come_to_them() -> None:
    operation = interleave((1, 6), (2, 5), (3, 4))
    changes = operation.apply(ONE_RUN_AFTER_THE_OTHER)
    assert lanes(ONE_RUN_AFTER_THE_OTHER, changes) == [(1, 6), (2, 5), (3, 4)]
    assert set(changes) == {4, 5, 6}
    done = [page(1, 1), page(2, 2), page(3, 3), *(page(at, 7 - at, Side.BACK) for at in (4, 5, 6))]
    assert operation.apply(done) == {}  # done once, it changes nothing more


def test_a_back_without_its_front_lies_alone_at_its_place() -> None:
    changes = interleave((1, 6), (None, 5), (2, 4), (3, None)).apply(ONE_RUN_AFTER_THE_OTHER)
    assert lanes(ONE_RUN_AFTER_THE_OTHER, changes) == [(1, 6), (None, 5), (2, 4), (3, None)]


def test_a_first_sheet_without_front_goes_before_the_fronts_and_behind_what_lies_before_them() -> None:
    pages = [page(9, 0), *ONE_RUN_AFTER_THE_OTHER]
    changes = interleave((None, 6), (1, 5), (2, 4), (3, None)).apply(pages)
    assert lanes(pages, changes) == [(9, None), (None, 6), (1, 5), (2, 4), (3, None)]


def test_what_came_twice_is_set_aside_behind_the_first() -> None:
    changes = interleave((1, 6), (2, 5), (3, None), (None, 4), aside=(3,)).apply(ONE_RUN_AFTER_THE_OTHER)
    assert lanes(ONE_RUN_AFTER_THE_OTHER, changes) == [(1, 6), (2, 5), (None, 4)]
    assert changes[3] == {"set_aside": True}


def test_backs_that_came_before_the_fronts_go_to_the_fronts() -> None:
    changes = interleave((4, 1), (5, 2), (6, 3)).apply(ONE_RUN_AFTER_THE_OTHER)
    assert lanes(ONE_RUN_AFTER_THE_OTHER, changes) == [(4, 1), (5, 2), (6, 3)]


def test_fronts_in_another_order_are_laid_anew_where_the_first_of_them_lay() -> None:
    pages = [page(8, 0.5), *ONE_RUN_AFTER_THE_OTHER, page(9, 7)]
    changes = interleave((3, 4), (2, 5), (1, 6)).apply(pages)
    assert lanes(pages, changes) == [(8, None), (3, 4), (2, 5), (1, 6), (9, None)]


def test_a_foreign_back_at_a_fronts_place_stays_with_its_rank() -> None:
    pages = [page(1, 1), page(7, 1, Side.BACK), page(2, 2), page(3, 3)]
    changes = interleave((1, 3), (2, None)).apply(pages)
    places = lanes(pages, changes)
    assert (1, 3) in places
    assert (None, 7) in places


def test_nothing_is_done_where_a_page_has_left() -> None:
    assert interleave((1, 6), (2, 5)).apply(ONE_RUN_AFTER_THE_OTHER[:5]) == {}


@pytest.mark.parametrize(
    "fields",
    [
        {"pages": (1, 2), "sheets": ({"front": 1, "back": 1},)},
        {"pages": (1, 2), "sheets": ({"front": 1},)},
        {"pages": (1,), "sheets": ({"front": 1}, {"front": 1})},
        {"pages": (1,), "sheets": ({"front": 1},), "aside": (2,)},
        {"pages": (), "sheets": ()},
    ],
)
def test_a_page_lies_on_one_sheet_only(fields: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        Interleave.model_validate(fields)
