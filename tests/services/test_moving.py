"""Pages between Mappen: moved, copied, cut apart, joined; taken back though the other Mappe went on."""

from datetime import UTC, datetime
from pathlib import Path

import pytest
from sqlalchemy import select
from tests.helpers import ANNA, BEN, Drawer, analyse_all, desk, do, redo, request, scan, undo

from papiermappe.core.operations import Cut, MoveToMappe, Nudge, SetAside, Turn
from papiermappe.services import destinations, mappen, moving
from papiermappe.services.errors import ChangedMeanwhile, NotFound, NotPossible
from papiermappe.services.moving import Into
from papiermappe.services.views import mappe_changes
from papiermappe.store.database import Store
from papiermappe.store.models import Mappe, Page


@pytest.fixture
def pages(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> list[int]:
    """Six pages on three sheets."""
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig)
    analyse_all(store, mappe)
    return desk(store, mappe).order


@pytest.fixture
def other(store: Store, zaunkoenig: int, drawer: Drawer) -> int:
    """Another Mappe with one sheet of two pages."""
    number = mappen.open_mappe(ANNA, store, "Deliveries")
    drawer.lay("delivery-118")
    scan(store, number, zaunkoenig)
    analyse_all(store, number)
    return number


def send(store: Store, mappe: int, pages: list[int], into: Into, *, as_copies: bool = False) -> int:
    """Move or copy pages, knowing all that has happened."""
    return moving.send(ANNA, store, mappe, pages, into, desk(store, mappe).cursor, as_copies=as_copies)


def is_open(store: Store, mappe: int) -> bool:
    """Return whether a Mappe is there and has not been cleared away."""
    with store.begin() as session:
        found = session.get(Mappe, mappe)
        return found is not None and found.cleared_at is None


def test_pages_go_to_a_place_in_another_mappe_and_come_back(
    store: Store, mappe: int, pages: list[int], other: int
) -> None:
    there = desk(store, other).order
    assert send(store, mappe, pages[2:4], Into(mappe=other, place="beginning")) == other
    assert desk(store, other).order == [*pages[2:4], *there]
    assert desk(store, mappe).order == [*pages[:2], *pages[4:]]
    undo(store, mappe)
    assert (desk(store, mappe).order, desk(store, other).order) == (pages, there)
    redo(store, mappe)
    send(store, mappe, pages[:1], Into(mappe=other, place=there[0]))
    assert desk(store, other).order == [*pages[2:4], pages[0], *there]


def test_pages_come_back_though_the_other_mappe_went_on(store: Store, mappe: int, pages: list[int], other: int) -> None:
    send(store, mappe, pages[2:4], Into(mappe=other))
    do(store, other, Turn(pages=(desk(store, other).order[0],), quarter_turns=1), caller=BEN)
    undo(store, mappe)
    assert desk(store, mappe).order == pages


def test_pages_that_somebody_has_moved_on_do_not_come_back(
    store: Store, mappe: int, pages: list[int], other: int
) -> None:
    send(store, mappe, pages[2:4], Into(mappe=other))
    do(store, other, Nudge(pages=tuple(pages[2:4]), by=-1), caller=BEN)
    with pytest.raises(ChangedMeanwhile):
        undo(store, mappe)
    assert pages[2] in desk(store, other).order


def test_pages_come_back_from_a_mappe_that_was_cleared_away(
    store: Store, mappe: int, pages: list[int], other: int
) -> None:
    send(store, mappe, pages[2:4], Into(mappe=other))
    mappen.clear(ANNA, store, other)
    undo(store, mappe)
    assert desk(store, mappe).order == pages
    with pytest.raises(NotFound):
        redo(store, mappe)  # they would go where nobody sees them
    assert desk(store, mappe).order == pages


def test_a_new_mappe_goes_with_the_undo_unless_somebody_has_put_something_in(
    store: Store, mappe: int, pages: list[int], other: int
) -> None:
    new = send(store, mappe, pages[:2], Into(subject=" Hail\n2026 "))
    with store.begin() as session:
        assert session.get_one(Mappe, new).subject == "Hail 2026"
    assert desk(store, new).order == pages[:2]
    undo(store, mappe)
    assert not is_open(store, new)
    redo(store, mappe)
    assert is_open(store, new)
    send(store, other, desk(store, other).order, Into(mappe=new))
    undo(store, mappe)
    assert is_open(store, new)


def test_copies_share_the_scan_and_go_with_the_undo(store: Store, mappe: int, pages: list[int], other: int) -> None:
    there = desk(store, other).order
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1))
    send(store, mappe, pages[:2], Into(mappe=other), as_copies=True)
    assert desk(store, mappe).order == pages
    copies = desk(store, other).order[2:]
    assert len(copies) == 2
    with store.begin() as session:
        originals, made = (
            [(page.capture_id, page.side, page.treatment) for page in (session.get_one(Page, number) for number in ids)]
            for ids in (pages[:2], copies)
        )
    assert originals == made
    seen = desk(store, other).cursor
    undo(store, other)
    assert desk(store, other).order == there
    changes, _ = mappe_changes(ANNA, store, other, seen)
    assert changes.gone == sorted(copies)  # windows are told
    redo(store, mappe)
    assert desk(store, other).order == [*there, *copies]


def test_a_set_aside_back_goes_with_its_sheet(store: Store, mappe: int, pages: list[int], other: int) -> None:
    do(store, mappe, SetAside(pages=(pages[1],)))
    send(store, mappe, [pages[0]], Into(mappe=other))
    assert desk(store, other).set_aside == [pages[1]]


@pytest.mark.parametrize("into", [Into(mappe=2**31 - 1), Into(mappe=None, subject="x" * 200)])
def test_pages_that_cannot_go_stay(store: Store, mappe: int, pages: list[int], into: Into) -> None:
    with pytest.raises((NotFound, NotPossible)):
        send(store, mappe, pages[:2], into)
    assert desk(store, mappe).order == pages
    with pytest.raises(NotPossible):
        send(store, mappe, pages[:2], Into(mappe=mappe))


def test_pages_of_elsewhere_are_not_taken_along(store: Store, mappe: int, pages: list[int], other: int) -> None:
    foreign = desk(store, other).order
    third = mappen.open_mappe(ANNA, store, "")
    with pytest.raises(NotPossible):
        send(store, mappe, foreign, Into(mappe=third))
    send(store, mappe, [pages[0], foreign[0]], Into(mappe=third))
    assert (desk(store, third).order, desk(store, other).order) == ([pages[0]], foreign)


def test_two_people_move_the_same_page(store: Store, mappe: int, pages: list[int], other: int) -> None:
    seen = desk(store, mappe).cursor
    moving.send(ANNA, store, mappe, pages[:2], Into(mappe=other), seen)
    with pytest.raises(NotPossible):
        moving.send(BEN, store, mappe, pages[:2], Into(), seen)
    assert desk(store, other).order[-2:] == pages[:2]


def test_a_mappe_is_cut_into_its_documents_and_one_undo_joins_them(store: Store, mappe: int, pages: list[int]) -> None:
    mappen.rename(ANNA, store, mappe, "Post")
    do(store, mappe, Cut(pages=(pages[0], pages[2], pages[4]), names=("Lease", "", "Hail")))
    made = moving.cut_into_mappen(ANNA, store, mappe, desk(store, mappe).cursor)
    assert [desk(store, number).order for number in made] == [pages[:2], pages[2:4], pages[4:]]
    with store.begin() as session:
        assert [session.get_one(Mappe, number).subject for number in made] == ["Lease", "Post 2", "Hail"]
        assert set(session.scalars(select(Page.begins))) == {None}
    undo(store, mappe)
    assert desk(store, mappe).order == pages
    assert [is_open(store, number) for number in made] == [True, False, False]
    with store.begin() as session:
        assert session.get_one(Mappe, mappe).subject == "Post"
        assert session.get_one(Page, pages[4]).begins == "Hail"
    with pytest.raises(NotFound):
        undo(store, made[1])  # it is not there any more
    redo(store, mappe)
    assert [desk(store, number).order for number in made] == [pages[:2], pages[2:4], pages[4:]]


def test_the_undo_of_a_cut_leaves_a_name_alone_that_was_given_since(store: Store, mappe: int, pages: list[int]) -> None:
    do(store, mappe, Cut(pages=(pages[0], pages[2]), names=("Lease", "Hail")))
    moving.cut_into_mappen(ANNA, store, mappe, desk(store, mappe).cursor)
    mappen.rename(BEN, store, mappe, "Lease of Upper Meadow")
    undo(store, mappe)
    with store.begin() as session:
        assert session.get_one(Mappe, mappe).subject == "Lease of Upper Meadow"


def test_one_document_is_not_cut(store: Store, mappe: int, pages: list[int]) -> None:
    with pytest.raises(NotPossible):
        moving.cut_into_mappen(ANNA, store, mappe, 10**6)
    assert desk(store, mappe).order == pages


def test_a_mappe_joins_another_one_which_is_cleared_away_until_the_undo(
    store: Store, mappe: int, pages: list[int], other: int
) -> None:
    there = desk(store, other).order
    moving.join(ANNA, store, mappe, other, pages[2], desk(store, mappe).cursor)
    assert desk(store, mappe).order == [*pages[:2], *there, *pages[2:]]
    assert not is_open(store, other)
    undo(store, mappe)
    assert is_open(store, other)
    assert (desk(store, mappe).order, desk(store, other).order) == (pages, there)


def test_an_empty_mappe_or_the_same_one_cannot_be_joined(store: Store, mappe: int, pages: list[int]) -> None:
    empty = mappen.open_mappe(ANNA, store, "")
    for other in (empty, mappe, 2**31 - 1):
        with pytest.raises((NotFound, NotPossible)):
            moving.join(ANNA, store, mappe, other, "end", 0)
    assert desk(store, mappe).order == pages


def test_a_copy_that_was_undone_cannot_be_taken_by_its_number(
    store: Store, mappe: int, pages: list[int], other: int
) -> None:
    send(store, mappe, pages[:1], Into(mappe=other), as_copies=True)
    copy = desk(store, other).order[-1]
    undo(store, mappe)
    assert do(store, mappe, Turn(pages=(copy,), quarter_turns=1)) is None
    assert do(store, mappe, MoveToMappe(pages=(copy,), mappe=other)) is None
    redo(store, mappe)
    assert desk(store, other).order[-1] == copy


def test_a_mappe_of_which_a_document_is_being_made_is_not_joined(
    store: Store, mappe: int, pages: list[int], other: int, tmp_path: Path
) -> None:
    there = desk(store, other).order
    request(store, other, destinations.add_folder(ANNA, store, "Leases", tmp_path), datetime.now(UTC))
    with pytest.raises(NotPossible, match="clear_while_making"):
        moving.join(ANNA, store, mappe, other, "end", desk(store, mappe).cursor)
    assert desk(store, other).order == there
