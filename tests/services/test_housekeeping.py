"""Clearing away, taking back, and removing for good what nothing uses."""

from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import func, select, text
from tests.helpers import ANNA, BEN, QUICK_ONE_SIDE, Drawer, desk, do, made_document, make, request, scan, undo

from papiermappe.core.operations import MoveToMappe, Turn
from papiermappe.core.order.landing import Again
from papiermappe.devices.escl import Limits
from papiermappe.services import destinations, filed, housekeeping, mappen, moving, receiving, runs
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.housekeeping import check, tidy_up
from papiermappe.services.mappen import MappeOrder
from papiermappe.services.moving import Into
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, JournalChange, JournalEntry, Page, Run

NOW = datetime.now(UTC)
SOON, LATER = NOW + timedelta(days=29), NOW + timedelta(days=31)


def count(store: Store, *tables: type) -> list[int]:
    """Return how many rows tables have."""
    with store.begin() as session:
        return [session.scalar(select(func.count()).select_from(table)) or 0 for table in tables]


def blobs(store: Store, prefix: str) -> list[str]:
    """Return the files below a prefix."""
    return [key for key, _, _ in store.blobs.list_keys(prefix)]


def test_a_cleared_mappe_is_seen_by_nobody_and_comes_back(store: Store, mappe: int, pages: list[int]) -> None:
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1))
    mappen.clear(ANNA, store, mappe)
    with pytest.raises(NotFound):
        desk(store, mappe)
    with pytest.raises(NotFound):
        do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), 0)
    assert mappen.list_open(ANNA, store).cards == []
    (cleared,) = mappen.list_cleared(ANNA, store, SOON)
    assert (cleared.id, cleared.page_count) == (mappe, 3)
    tidy_up(store, SOON)
    mappen.take_back(ANNA, store, mappe)
    assert desk(store, mappe).order == pages
    undo(store, mappe)


def test_what_is_in_use_is_not_cleared_away(store: Store, mappe: int, zaunkoenig: int) -> None:
    runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    with pytest.raises(NotPossible, match="clear_while_receiving"):
        mappen.clear(ANNA, store, mappe)


def test_after_thirty_days_pages_scans_and_pictures_go_and_documents_stay(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    made = request(store, mappe, destinations.add_folder(ANNA, store, "Leases", tmp_path / "filed"), NOW)
    make(store, made)
    mappen.clear(ANNA, store, mappe)
    tidy_up(store, LATER)
    assert count(store, Page, Capture, JournalEntry, Run) == [0, 0, 0, 0]
    assert blobs(store, "captures") == blobs(store, "pictures") == []
    assert made_document(store, made).data.startswith(b"%PDF-")
    assert len(filed.list_filed(ANNA, store)) == 1
    assert mappen.list_cleared(ANNA, store, LATER) == []
    assert check(store).problems == []


def test_what_another_mappe_uses_stays(
    store: Store, mappe: int, pages: list[int], zaunkoenig: int, drawer: Drawer
) -> None:
    other = mappen.open_mappe(ANNA, store, "Hail")
    do(store, mappe, MoveToMappe(pages=(pages[1],), mappe=other))
    mappen.clear(ANNA, store, mappe)
    tidy_up(store, LATER)
    assert desk(store, other).order == [pages[1]]
    assert desk(store, other).detail(pages[1]).run == 1
    assert count(store, Page, Capture) == [1, 1]
    assert len(blobs(store, "captures")) == 1
    assert check(store).problems == []
    drawer.lay("german")
    scan(store, other, zaunkoenig, QUICK_ONE_SIDE)
    assert len(desk(store, other).order) == 2


def test_a_scan_that_undo_can_bring_back_stays_when_another_mappe_goes(
    store: Store, mappe: int, pages: list[int], zaunkoenig: int, drawer: Drawer
) -> None:
    old = desk(store, mappe).pages[0].scan
    drawer.lay("german")
    run = runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK_ONE_SIDE, landing=Again(pages=(pages[0],)))
    receiving.receive(store, run, Limits())
    other = mappen.open_mappe(ANNA, store, "Hail")
    do(store, mappe, MoveToMappe(pages=(pages[1],), mappe=other))
    mappen.clear(ANNA, store, other)
    tidy_up(store, LATER)
    undo(store, mappe)  # of the move: its page has gone
    undo(store, mappe)  # of the scanning again
    assert desk(store, mappe).pages[0].scan == old
    assert check(store).problems == []


def test_a_crash_between_rows_and_files_leaves_what_the_next_round_finds(
    store: Store, mappe: int, pages: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    mappen.clear(ANNA, store, mappe)

    class Killed(BaseException):
        pass

    def die(*_: object) -> None:
        raise Killed

    with monkeypatch.context() as patch:
        patch.setattr(store.blobs, "remove", die)
        with pytest.raises(Killed):
            tidy_up(store, LATER)
    assert count(store, Page, Capture) == [0, 0]
    assert len(blobs(store, "captures")) == 3
    monkeypatch.setattr(housekeeping, "YOUNG", timedelta(0))
    report = check(store)
    assert (report.problems, len(report.leftovers)) == ([], 3)
    tidy_up(store, LATER)
    assert check(store) == (0, 0, [], [])


def test_a_scan_that_has_no_row_yet_is_not_removed(store: Store) -> None:
    """It is written before its row is committed."""
    store.blobs.keep(Blobs.capture_key("ab" * 32), b"a page on its way")
    tidy_up(store, datetime.now(UTC))
    assert len(blobs(store, "captures")) == 1


def test_a_check_finds_what_is_missing_and_what_is_damaged(store: Store, mappe: int, pages: list[int]) -> None:
    assert check(store)[:3] == (3, 0, [])
    with store.begin() as session:
        first, second, _ = session.scalars(select(Capture.sha256).order_by(Capture.id)).all()
    store.blobs.remove(Blobs.capture_key(first))
    store.blobs.keep(Blobs.capture_key(second), b"something else")
    assert [problem.code for problem in check(store).problems] == ["check_capture_missing", "check_capture_damaged"]


def test_receipts_of_long_ago_are_forgotten(store: Store) -> None:
    with store.begin() as session:
        session.execute(
            text("insert into receipt (request_id, at) values ('old', now() - interval '3 days'), ('new', now())")
        )
    tidy_up(store, datetime.now(UTC))
    with store.begin() as session:
        assert session.scalars(text("select request_id from receipt")).all() == ["new"]


def test_the_list_of_mappen_comes_in_parts_found_and_sorted(store: Store) -> None:
    for number in range(30):
        mappen.open_mappe(BEN, store, f"Lease {number:02}")
    mappen.open_mappe(BEN, store, "apples")
    first = mappen.list_open(ANNA, store)
    assert (len(first.cards), first.total, first.pages) == (24, 31, 2)
    assert first.cards[0].subject == "apples"
    second = mappen.list_open(ANNA, store, page=2)
    assert [card.subject for card in second.cards] == [f"Lease {number:02}" for number in (6, 5, 4, 3, 2, 1, 0)]
    assert mappen.list_open(ANNA, store, page=9).cards == second.cards
    by_subject = mappen.list_open(ANNA, store, order=MappeOrder.SUBJECT)
    assert [card.subject for card in by_subject.cards[:2]] == ["apples", "Lease 00"]
    assert [card.subject for card in mappen.list_open(ANNA, store, "lease 07").cards] == ["Lease 07"]
    assert mappen.list_open(ANNA, store, "%").total == 0


def test_a_copy_that_was_undone_goes_with_the_last_mappe_that_could_bring_it_back(
    store: Store, mappe: int, pages: list[int]
) -> None:
    other = mappen.open_mappe(ANNA, store, "Hail")
    moving.send(ANNA, store, mappe, pages[:1], Into(mappe=other), desk(store, mappe).cursor, as_copies=True)
    undo(store, mappe)
    mappen.clear(ANNA, store, other)
    tidy_up(store, LATER)
    assert count(store, Page) == [4]  # the first Mappe still names it
    mappen.clear(ANNA, store, mappe)
    tidy_up(store, LATER)
    assert count(store, Page, Capture, JournalChange, JournalEntry) == [0, 0, 0, 0]
    assert blobs(store, "captures") == []


def test_other_changes_stay_where_an_undone_copy_goes(store: Store, mappe: int, pages: list[int]) -> None:
    first, second = (mappen.open_mappe(ANNA, store, name) for name in ("Hail", "Frost"))
    moving.send(ANNA, store, mappe, pages[:1], Into(mappe=first), desk(store, mappe).cursor)
    moving.send(ANNA, store, first, pages[:1], Into(mappe=second), desk(store, first).cursor, as_copies=True)
    undo(store, first)
    do(store, mappe, Turn(pages=(pages[1],), quarter_turns=1))
    mappen.clear(ANNA, store, first)
    mappen.clear(ANNA, store, second)
    tidy_up(store, LATER)
    assert desk(store, mappe).order == pages[1:]
    undo(store, mappe)
    assert desk(store, mappe).treatments()[0].quarter_turns == 0
