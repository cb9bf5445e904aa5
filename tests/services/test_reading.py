"""Pages read ahead of being filed, what is printed on them, and documents that are stopped."""

import threading
import time
from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import text
from tests.helpers import (
    ANNA,
    QUICK_ONE_SIDE,
    WORDS,
    Drawer,
    FakeRecogniser,
    analyse_all,
    desk,
    do,
    here,
    made_document,
    make,
    page_saying,
    request,
    scan,
)

from papiermappe.core.encode.level import Level
from papiermappe.core.encode.plain import Readable
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import Move, SetAside, SortByNumbers, Turn
from papiermappe.core.reading.page_text import PageText, RecognitionMode
from papiermappe.recognition.errors import ReadingCancelled
from papiermappe.services import destinations, filing, making, reading
from papiermappe.services.errors import NotPossible
from papiermappe.services.making import Tools
from papiermappe.services.naming import ByHand, NameWanted
from papiermappe.services.pages import page_states, pages_of
from papiermappe.services.reading import Reading, last_used_reading, read_ahead
from papiermappe.store.database import Store

NOW = datetime(2026, 11, 26, 9, 14, tzinfo=UTC)
PREFERRED = Reading("eng+deu", RecognitionMode.ACCURATE)
FOOT_MM = 285.0


@pytest.fixture(autouse=True)
def nothing_arrives(monkeypatch: pytest.MonkeyPatch) -> None:
    """Let the pages of these tests count as having lain there for long."""
    monkeypatch.setattr(reading, "ARRIVED_S", 0.0)
    monkeypatch.setattr(reading, "UNSEEN_S", 0.0)


class Numbered(FakeRecogniser):
    """Read page numbers, in the order in which it is asked; each page is dated as well."""

    def __init__(self, *numbers: int) -> None:
        super().__init__(page_saying("Pachtvertrag"))
        self.numbers = iter(numbers)

    def read(
        self, page: Readable, languages: Sequence[str], mode: RecognitionMode, cancelled: threading.Event | None = None
    ) -> PageText:
        """Read the next number."""
        number = next(self.numbers)
        return page_saying(f"Hollerbeck, den {number}. März 2026, Seite {number}", at_mm=FOOT_MM)


def read(store: Store, mappe: int, recogniser: FakeRecogniser | None, *excluded: int) -> None:
    """Read a Mappe ahead, as a worker would; one page after the other."""
    read_ahead(store, mappe, excluded, here, recogniser, DEFAULT_LIMIT_PX, 1)


def numbers(store: Store, mappe: int) -> list[int | None]:
    """Return the page numbers that are known, in reading order."""
    with store.begin() as session:
        return [page.number for page in page_states(pages_of(session, mappe))]


def waiting(store: Store) -> list[dict[str, Any]]:
    """Return what is to be read ahead, as it waits in the queue."""
    with store.begin() as session:
        rows = session.execute(
            text("select args from procrastinate_jobs where task_name = 'read_ahead' and status = 'todo'")
        )
        return [row.args for row in rows]


def test_pages_that_are_analysed_or_changed_wait_to_be_read_once(store: Store, mappe: int, pages: list[int]) -> None:
    do(store, mappe, Turn(pages=tuple(pages[:2]), quarter_turns=1))
    assert waiting(store) == [{"mappe_id": mappe, "excluded": []}]


def test_moving_pages_is_no_reason_to_read(store: Store, mappe: int, pages: list[int]) -> None:
    with store.begin() as session:
        session.execute(text("delete from procrastinate_jobs"))
    do(store, mappe, Move(pages=(pages[2],), before=pages[0]))
    assert waiting(store) == []


def test_what_is_read_ahead_is_known_when_it_is_filed(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    recogniser = FakeRecogniser(page_saying("Pachtvertrag"))
    read(store, mappe, recogniser)
    assert recogniser.asked == 3
    leases = destinations.add_folder(ANNA, store, "Leases", tmp_path)
    made = request(store, mappe, leases, NOW, level=Level.LEAN, reading=PREFERRED)
    make(store, made, recogniser)
    assert recogniser.asked == 3
    told = desk(store, mappe).filings[0].made
    assert told is not None
    assert "3 words can be searched" in WORDS.text(told)


def test_what_was_read_on_the_same_picture_before_is_told_of_a_new_page(
    store: Store, mappe: int, pages: list[int]
) -> None:
    recogniser = Numbered(1, 2, 3)
    read(store, mappe, recogniser)
    with store.begin() as session:
        session.execute(text("update page set printed = null"))
    read(store, mappe, recogniser)  # it would be asked for a fourth number
    assert numbers(store, mappe) == [1, 2, 3]


def test_only_what_was_changed_is_read_again(store: Store, mappe: int, pages: list[int]) -> None:
    recogniser = FakeRecogniser(page_saying("Pachtvertrag"))
    read(store, mappe, recogniser)
    do(store, mappe, Turn(pages=(pages[1],), quarter_turns=1))
    do(store, mappe, SetAside(pages=(pages[2],)))
    read(store, mappe, recogniser)
    assert recogniser.asked == 4


def test_pages_are_read_as_those_of_the_last_document(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    assert last_used_reading(ANNA, store, ["deu", "eng"]) == PREFERRED
    assert last_used_reading(ANNA, store, ["fra", "ita"]) == Reading("fra", RecognitionMode.ACCURATE)
    assert last_used_reading(ANNA, store, []) == Reading("", RecognitionMode.ACCURATE)
    leases = destinations.add_folder(ANNA, store, "Leases", tmp_path)
    request(store, mappe, leases, NOW, reading=Reading("deu", RecognitionMode.FAST))
    assert last_used_reading(ANNA, store, ["deu", "eng"]) == Reading("deu", RecognitionMode.FAST)
    without_german = last_used_reading(ANNA, store, ["eng"])
    assert without_german == Reading("eng", RecognitionMode.ACCURATE)
    request(store, mappe, leases, NOW)
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
    assert going_on == {"mappe_id": mappe, "excluded": [pages[0]]}
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
    assert waiting(store) == [{"mappe_id": mappe, "excluded": []}]  # it is tried again soon
    monkeypatch.setattr(reading, "ARRIVED_S", 0.0)
    read(store, mappe, recogniser)
    assert recogniser.asked == 3


def test_without_a_recogniser_nothing_is_read(store: Store, mappe: int, pages: list[int]) -> None:
    read(store, mappe, None)
    assert desk(store, mappe).printed.first is None


class Modes(FakeRecogniser):
    """Note how it is asked to read, and where on the page something stands."""

    def __init__(self) -> None:
        super().__init__(page_saying("Page 3 of 7", at_mm=FOOT_MM))
        self.modes: list[RecognitionMode] = []
        self.middles: list[int] = []

    def read(
        self, page: Readable, languages: Sequence[str], mode: RecognitionMode, cancelled: threading.Event | None = None
    ) -> PageText:
        """Note it."""
        pixels = page.pixels()
        self.modes.append(mode)
        self.middles.append(int(pixels[len(pixels) * 3 // 10 : len(pixels) * 7 // 10].min()))
        return self.text


class AtTheDesk(FakeRecogniser):
    """A recogniser that somebody may be waiting for: pages are read ahead in the background only."""

    def __init__(self, background: FakeRecogniser) -> None:
        super().__init__(page_saying("nobody asks"))
        self.background = background

    def in_background(self) -> FakeRecogniser:
        """Return the other one."""
        return self.background

    def read(self, *_: object) -> PageText:
        """Refuse."""
        raise AssertionError("read in the foreground")


def test_heads_and_feet_of_many_pages_are_read_before_all_of_them(
    store: Store, mappe: int, pages: list[int], zaunkoenig: int, drawer: Drawer
) -> None:
    few = Modes()
    read(store, mappe, few)
    assert few.modes == [RecognitionMode.ACCURATE] * 3  # as quick as their rims
    drawer.lay("delivery-118", "hail", "german", "invoice", "letter-store", "letter-share")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    many = Modes()
    read(store, mappe, AtTheDesk(many))
    assert many.modes == [RecognitionMode.FAST] * 6 + [RecognitionMode.ACCURATE] * 6
    assert set(many.middles[:6]) == {255}  # nothing but the rims
    assert max(many.middles[6:]) < 255


def test_the_page_that_names_the_document_is_read_before_the_heads_and_feet_of_the_others(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease", "delivery-118", "hail", "german", "invoice", "letter-store", "letter-share")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    pages = len(desk(store, mappe).order)
    many = Modes()
    read(store, mappe, many)
    heads = [RecognitionMode.FAST] * (pages - 1)
    assert many.modes == [RecognitionMode.ACCURATE, *heads, *[RecognitionMode.ACCURATE] * (pages - 1)]
    assert max(many.middles[:1]) < 255


def test_printed_numbers_tell_the_order(store: Store, mappe: int, pages: list[int]) -> None:
    read(store, mappe, Numbered(5, 3, 4))
    printed = desk(store, mappe).printed
    assert (printed.first, printed.last, printed.out_of_place) == (3, 5, 3)
    do(store, mappe, SortByNumbers())
    assert desk(store, mappe).order == [pages[1], pages[2], pages[0]]
    assert desk(store, mappe).printed.out_of_place == 0
    assert desk(store, mappe).undo == "3 pages put in printed order"
    assert do(store, mappe, SortByNumbers()) is None


def test_printed_numbers_tell_what_is_missing(store: Store, mappe: int, pages: list[int]) -> None:
    read(store, mappe, Numbered(1, 2, 3))
    assert (desk(store, mappe).printed.missing, desk(store, mappe).printed.twice) == ([], [])
    do(store, mappe, SetAside(pages=(pages[1],)))
    assert desk(store, mappe).printed.first is None  # two numbers are too few to tell anything


def test_a_printed_day_stands_in_the_name(store: Store, mappe: int, pages: list[int], tmp_path: Path) -> None:
    read(store, mappe, Numbered(12, 13, 14))
    days = desk(store, mappe).printed.days
    assert [(day.day, day.page) for day in days] == [(date(2026, 3, 11 + at), at) for at in (1, 2, 3)]
    leases = destinations.add_folder(ANNA, store, "Leases", tmp_path)
    (tmp_path / "2026-03-12_lease-upper-meadow_0001.pdf").write_text("somebody's own file")
    made = request(store, mappe, leases, NOW, name=NameWanted(by_hand=ByHand(dated=days[0].day)))
    make(store, made)
    assert made_document(store, made).file_name == "2026-03-12_lease-upper-meadow_0002.pdf"


class Hanging(FakeRecogniser):
    """Read for ever, until it is told to stop."""

    def read(
        self, page: Readable, languages: Sequence[str], mode: RecognitionMode, cancelled: threading.Event | None = None
    ) -> PageText:
        """Wait for that."""
        self.asked += 1
        assert cancelled is not None
        assert cancelled.wait(30), "nobody has stopped it"
        raise ReadingCancelled("stopped")


def test_a_document_is_stopped_while_a_page_is_being_read_and_goes_on_later(
    store: Store, mappe: int, pages: list[int], tmp_path: Path, until: Callable[..., None]
) -> None:
    leases = destinations.add_folder(ANNA, store, "Leases", tmp_path)
    made = request(store, mappe, leases, NOW, level=Level.LEAN, reading=PREFERRED)
    hanging = Hanging(page_saying("Pachtvertrag"))
    job = threading.Thread(target=making.make_documents, args=(store, made, Tools(here, hanging, DEFAULT_LIMIT_PX)))
    job.start()
    until(lambda: hanging.asked)
    filing.stop(ANNA, store, made)
    assert desk(store, mappe).filings[0].stopping or desk(store, mappe).filings[0].state == "stopped"
    job.join(20)
    (stopped,) = desk(store, mappe).filings
    assert (stopped.state, stopped.stopping) == ("stopped", False)
    assert stopped.message is not None
    assert "nothing was filed" in WORDS.text(stopped.message)
    assert list(tmp_path.glob("*.pdf")) == []
    with pytest.raises(NotPossible):
        filing.stop(ANNA, store, made)
    filing.try_again(ANNA, store, made)
    make(store, made, FakeRecogniser(page_saying("Pachtvertrag")))
    (made_now,) = desk(store, mappe).filings
    assert made_now.state == "made"
    assert [file.name for file in tmp_path.glob("*.pdf")] == [made_now.documents[0].file_name]


def test_a_document_that_was_stopped_before_it_began_is_not_made(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    made = request(store, mappe, destinations.add_folder(ANNA, store, "Leases", tmp_path), NOW)
    filing.stop(ANNA, store, made)
    make(store, made, None)
    assert desk(store, mappe).filings[0].state == "stopped"
    assert list(tmp_path.glob("*.pdf")) == []
    make(store, made, None)  # a job that came too late does nothing
    assert desk(store, mappe).filings[0].state == "stopped"
