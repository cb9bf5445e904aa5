"""Pages read ahead of being filed, what is printed on them, and documents that are stopped."""

import threading
import time
from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import text
from tests.helpers import FakeRecogniser, here, orders, page_saying

from papiermappe.core.encode.level import Level
from papiermappe.core.encode.plain import Readable
from papiermappe.core.page_text import Care, PageText
from papiermappe.core.picture import DEFAULT_LIMIT_PX
from papiermappe.recognition.errors import ReadingCancelled
from papiermappe.services import filing, ordering, reading, tidying
from papiermappe.services.desk import desk
from papiermappe.services.errors import NotPossible
from papiermappe.services.reading import Reading, everyday_reading, read_ahead
from papiermappe.store.database import Store

NOW = datetime(2026, 11, 26, 9, 14, tzinfo=UTC)
EVERYDAY = Reading("eng+deu", Care.ACCURATE)
FOOT_MM = 285.0


@pytest.fixture(autouse=True)
def nothing_arrives(monkeypatch: pytest.MonkeyPatch) -> None:
    """Let the pages of these tests count as having lain there for long."""
    monkeypatch.setattr(reading, "ARRIVED_S", 0.0)
    monkeypatch.setattr(reading, "UNSEEN_S", 0.0)


class Numbered(FakeRecogniser):
    """Reads page numbers, in the order in which it is asked; each page is dated as well."""

    def __init__(self, *numbers: int) -> None:
        super().__init__(page_saying("Pachtvertrag"))
        self.numbers = iter(numbers)

    def read(
        self, page: Readable, languages: Sequence[str], care: Care, cancelled: threading.Event | None = None
    ) -> PageText:
        """Read the next number."""
        number = next(self.numbers)
        return page_saying(f"Hollerbeck, den {number}. März 2026, Seite {number}", at_mm=FOOT_MM)


def read(store: Store, mappe: int, recogniser: FakeRecogniser | None, *not_again: int) -> None:
    """Read a Mappe ahead, as a worker would; one page after the other."""
    read_ahead(store, mappe, not_again, here, recogniser, DEFAULT_LIMIT_PX, 1)


def waiting(store: Store) -> list[dict[str, Any]]:
    """Return what is to be read ahead, as it waits in the queue."""
    with store.begin() as session:
        rows = session.execute(
            text("select args from procrastinate_jobs where task_name = 'read_ahead' and status = 'todo'")
        )
        return [row.args for row in rows]


def test_pages_that_are_looked_at_or_changed_wait_to_be_read_once(store: Store, mappe: int, pages: list[int]) -> None:
    tidying.turn_pages(store, mappe, pages[:2], 1, desk(store, mappe).seq)
    assert waiting(store) == [{"mappe_id": mappe, "not_again": []}]


def test_moving_pages_is_no_reason_to_read(store: Store, mappe: int, pages: list[int]) -> None:
    with store.begin() as session:
        session.execute(text("delete from procrastinate_jobs"))
    ordering.move_pages(store, mappe, [pages[2]], 0, desk(store, mappe).seq)
    assert waiting(store) == []


def test_what_is_read_ahead_is_known_when_it_is_filed(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    recogniser = FakeRecogniser(page_saying("Pachtvertrag"))
    read(store, mappe, recogniser)
    assert recogniser.asked == 3
    leases = filing.add_destination(store, "Leases", tmp_path)
    made = filing.ask_for_filing(store, mappe, leases, NOW, Level.LEAN, EVERYDAY)
    filing.make_document(store, made, here, recogniser, DEFAULT_LIMIT_PX)
    assert recogniser.asked == 3
    assert "3 words can be searched" in desk(store, mappe).filings[0].made_of


def test_what_was_read_on_the_same_picture_before_is_told_of_a_new_page(
    store: Store, mappe: int, pages: list[int]
) -> None:
    recogniser = Numbered(1, 2, 3)
    read(store, mappe, recogniser)
    with store.begin() as session:
        session.execute(text("update page set printed = null"))
    read(store, mappe, recogniser)  # it would be asked for a fourth number
    assert desk(store, mappe).printed.numbers == dict(zip(pages, (1, 2, 3), strict=True))


def test_only_what_was_changed_is_read_again(store: Store, mappe: int, pages: list[int]) -> None:
    recogniser = FakeRecogniser(page_saying("Pachtvertrag"))
    read(store, mappe, recogniser)
    tidying.turn_pages(store, mappe, [pages[1]], 1, desk(store, mappe).seq)
    ordering.put_away(store, mappe, [pages[2]], desk(store, mappe).seq)
    read(store, mappe, recogniser)
    assert recogniser.asked == 4


def test_pages_are_read_as_those_of_the_last_document(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    assert everyday_reading(store, ["deu", "eng"]) == EVERYDAY
    assert everyday_reading(store, ["fra", "ita"]) == Reading("fra", Care.ACCURATE)
    assert everyday_reading(store, []) == Reading("", Care.ACCURATE)
    leases = filing.add_destination(store, "Leases", tmp_path)
    filing.ask_for_filing(store, mappe, leases, NOW, reading=Reading("deu", Care.FAST))
    assert everyday_reading(store, ["deu", "eng"]) == Reading("deu", Care.FAST)
    assert everyday_reading(store, ["eng"]) == Reading("eng", Care.ACCURATE)  # German is not installed any more
    filing.ask_for_filing(store, mappe, leases, NOW)
    recogniser = FakeRecogniser(page_saying("Pachtvertrag"))
    read(store, mappe, recogniser)
    assert recogniser.asked == 0  # the last one was not to be read


def test_pages_that_cannot_be_read_do_not_hold_up_the_others(
    store: Store, mappe: int, pages: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    with store.begin() as session:
        session.execute(text("delete from procrastinate_jobs"))
    monkeypatch.setattr("papiermappe.services.reading.ROUND_S", 0.5)
    slow = FakeRecogniser(page_saying("Pachtvertrag"), breaks_off_at=[1])

    def slowly(function: Callable[..., Any], /, *arguments: object) -> Any:
        time.sleep(0.4)
        return function(*arguments)

    read_ahead(store, mappe, [], slowly, slow, DEFAULT_LIMIT_PX, 1)
    (going_on,) = waiting(store)
    assert going_on == {"mappe_id": mappe, "not_again": [pages[0]]}
    asked = slow.asked
    assert asked < 3
    read(store, mappe, slow, pages[0])
    assert slow.asked == 3


def test_nothing_is_read_while_pages_arrive(
    store: Store, mappe: int, pages: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    recogniser = FakeRecogniser(page_saying("Pachtvertrag"))
    monkeypatch.setattr(reading, "ARRIVED_S", 60.0)
    read(store, mappe, recogniser)
    assert recogniser.asked == 0
    assert waiting(store) == [{"mappe_id": mappe, "not_again": []}]  # it is tried again soon
    monkeypatch.setattr(reading, "ARRIVED_S", 0.0)
    read(store, mappe, recogniser)
    assert recogniser.asked == 3


def test_without_a_recogniser_nothing_is_read(store: Store, mappe: int, pages: list[int]) -> None:
    read(store, mappe, None)
    assert desk(store, mappe).printed.numbers == {}


def test_printed_numbers_tell_the_order(store: Store, mappe: int, pages: list[int]) -> None:
    read(store, mappe, Numbered(5, 3, 4))
    told = desk(store, mappe).printed
    assert (told.numbers, told.out_of_place) == (dict(zip(pages, (5, 3, 4), strict=True)), 3)
    ordering.put_in_printed_order(store, mappe, desk(store, mappe).seq)
    assert orders(store, mappe) == [pages[1], pages[2], pages[0]]
    assert desk(store, mappe).printed.out_of_place == 0
    assert desk(store, mappe).undo == "3 sheets put in printed order"
    with pytest.raises(NotPossible):
        ordering.put_in_printed_order(store, mappe, desk(store, mappe).seq)


def test_printed_numbers_tell_what_is_missing(store: Store, mappe: int, pages: list[int]) -> None:
    read(store, mappe, Numbered(1, 2, 3))
    assert (desk(store, mappe).printed.missing, desk(store, mappe).printed.twice) == ([], [])
    ordering.put_away(store, mappe, [pages[1]], desk(store, mappe).seq)
    assert desk(store, mappe).printed.numbers == {}  # two numbers are too few to tell anything


def test_a_printed_day_stands_in_the_name(store: Store, mappe: int, pages: list[int], tmp_path: Path) -> None:
    read(store, mappe, Numbered(12, 13, 14))
    days = desk(store, mappe).printed.days
    assert [(one.day, one.page) for one in days] == [(date(2026, 3, 11 + at), at) for at in (1, 2, 3)]
    leases = filing.add_destination(store, "Leases", tmp_path)
    (tmp_path / "2026-03-12_lease-upper-meadow_0001.pdf").write_text("somebody's own file")
    made = filing.ask_for_filing(store, mappe, leases, NOW, dated=days[0].day)
    filing.make_document(store, made, here, None, DEFAULT_LIMIT_PX)
    assert filing.filed_document(store, made)[0] == "2026-03-12_lease-upper-meadow_0002.pdf"


class Hanging(FakeRecogniser):
    """Reads for ever, until it is told to stop."""

    def read(
        self, page: Readable, languages: Sequence[str], care: Care, cancelled: threading.Event | None = None
    ) -> PageText:
        """Wait for that."""
        self.asked += 1
        assert cancelled is not None
        assert cancelled.wait(30), "nobody has stopped it"
        raise ReadingCancelled("It was stopped.")


def test_a_document_is_stopped_while_a_page_is_being_read_and_goes_on_later(
    store: Store, mappe: int, pages: list[int], tmp_path: Path, until: Callable[..., None]
) -> None:
    leases = filing.add_destination(store, "Leases", tmp_path)
    made = filing.ask_for_filing(store, mappe, leases, NOW, Level.LEAN, EVERYDAY)
    hanging = Hanging(page_saying("Pachtvertrag"))
    job = threading.Thread(target=filing.make_document, args=(store, made, here, hanging, DEFAULT_LIMIT_PX))
    job.start()
    until(lambda: hanging.asked)
    filing.stop(store, made)
    assert desk(store, mappe).filings[0].stopping or desk(store, mappe).filings[0].state == "stopped"
    job.join(20)
    (stopped,) = desk(store, mappe).filings
    assert (stopped.state, stopped.stopping) == ("stopped", False)
    assert "nothing was filed" in (stopped.message or "")
    assert list(tmp_path.glob("*.pdf")) == []
    with pytest.raises(NotPossible):
        filing.stop(store, made)
    filing.try_again(store, made)
    filing.make_document(store, made, here, FakeRecogniser(page_saying("Pachtvertrag")), DEFAULT_LIMIT_PX)
    assert desk(store, mappe).filings[0].state == "done"
    assert [file.name for file in tmp_path.glob("*.pdf")] == [stopped.file_name]


def test_a_document_that_was_stopped_before_it_began_is_not_made(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    made = filing.ask_for_filing(store, mappe, filing.add_destination(store, "Leases", tmp_path), NOW)
    filing.stop(store, made)
    filing.make_document(store, made, here, None, DEFAULT_LIMIT_PX)
    assert desk(store, mappe).filings[0].state == "stopped"
    assert list(tmp_path.glob("*.pdf")) == []
    filing.make_document(store, made, here, None, DEFAULT_LIMIT_PX)  # a job that came too late does nothing
    assert desk(store, mappe).filings[0].state == "stopped"
