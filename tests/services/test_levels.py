"""What the levels make of a Mappe, and pages that are read when they are filed."""

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pypdfium2
import pytest
from tests.helpers import FakeRecogniser, here, page_saying

from papiermappe.compute import Compute
from papiermappe.core.encode.level import Level
from papiermappe.core.page_text import Care
from papiermappe.core.pages import spots
from papiermappe.core.picture import DEFAULT_LIMIT_PX, decode
from papiermappe.recognition.model import Reads
from papiermappe.services import filing, levels, ordering
from papiermappe.services.desk import desk
from papiermappe.services.errors import NotFound
from papiermappe.services.reading import Reading
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Page

NOW = datetime(2026, 11, 26, 9, 14, tzinfo=UTC)
GERMAN = Reading("deu", Care.ACCURATE)


def reader(*breaks_off_at: int) -> FakeRecogniser:
    """Return one that reads the same word on every page."""
    return FakeRecogniser(page_saying("Pachtvertrag"), breaks_off_at)


def filed(store: Store, mappe: int, folder: Path, recogniser: Reads | None, level: Level = Level.LEAN) -> Path:
    """File a Mappe, its pages read in German, and return the file."""
    leases = filing.add_destination(store, "Leases", folder)
    made = filing.ask_for_filing(store, mappe, leases, NOW, level, GERMAN)
    filing.make_document(store, made, here, recogniser, DEFAULT_LIMIT_PX)
    return folder / filing.filed_document(store, made)[0]


def words_of(file: Path) -> list[str]:
    """Return what is written on the pages of a PDF."""
    document = pypdfium2.PdfDocument(file)
    words = []
    for page in document:
        text = page.get_textpage()
        words.append(text.get_text_range().strip())
        text.close()
    document.close()
    return words


def try_levels(store: Store, mappe: int, page: int, compute: Compute = here) -> None:
    """Try the levels, as a worker would."""
    levels.try_levels(store, mappe, page, compute, DEFAULT_LIMIT_PX)


def never(function: Callable[..., Any], /, *arguments: object) -> Any:
    """Fail: it has been computed before."""
    pytest.fail(f"{function} is not to be called")


def test_levels_are_tried_once_and_shown(store: Store, mappe: int, pages: list[int]) -> None:
    assert levels.trial(store, mappe, pages[1]) == levels.Trial(bytes_a_page={}, spot="")
    levels.order_trial(store, mappe, pages[1])
    try_levels(store, mappe, pages[1])
    known = levels.trial(store, mappe, pages[1])
    weights = known.bytes_a_page
    assert weights[Level.LEAN] < weights[Level.BALANCED] < weights[Level.FAITHFUL]
    looks = [decode(levels.spot(store, known.spot, level)) for level in Level]
    assert len({look.shape for look in looks}) == 1
    # The same spot: where the faithful one is dark or light, the others are.
    for look in looks[1:]:
        assert np.corrcoef(look.ravel(), looks[0].ravel())[0, 1] > 0.9
    try_levels(store, mappe, pages[1], never)


def test_the_spot_of_another_page_is_shown_without_weighing_anew(store: Store, mappe: int, pages: list[int]) -> None:
    try_levels(store, mappe, pages[0])
    known = levels.trial(store, mappe, pages[2])
    assert known.bytes_a_page
    assert known.spot == ""

    def one_page(function: Callable[..., Any], /, *arguments: object) -> Any:
        assert function is spots
        return function(*arguments)

    try_levels(store, mappe, pages[2], one_page)
    assert levels.trial(store, mappe, pages[2]).spot not in {"", levels.trial(store, mappe, pages[0]).spot}


def test_a_changed_mappe_is_weighed_again(store: Store, mappe: int, pages: list[int]) -> None:
    try_levels(store, mappe, pages[0])
    ordering.put_away(store, mappe, [pages[2]], desk(store, mappe).seq)
    assert levels.trial(store, mappe, pages[0]).bytes_a_page == {}
    assert levels.trial(store, mappe, pages[0]).spot
    with pytest.raises(NotFound):
        levels.trial(store, mappe, pages[2])
    try_levels(store, mappe, pages[2], never)  # a job that came too late does nothing


@pytest.mark.parametrize("count", [0, 1, 5, 6, 7, 12, 26, 500])
def test_few_pages_stand_for_all(store: Store, mappe: int, count: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of fronts full of print and blank backs, and whatever lies between, about as many of each as there are."""
    hand = np.random.default_rng(count)
    kilobytes = [int(hand.integers(800, 1200) if at % 2 == 0 else hand.integers(90, 110)) for at in range(count)]
    many = [Page(id=at, capture=Capture(byte_size=size), put_away=False) for at, size in enumerate(kilobytes)]
    monkeypatch.setattr(levels, "pages_of", lambda *_: many)
    with store.begin() as session:
        weighed = [page.id for page in levels._weighed(session, mappe)]
    assert len(weighed) == len(set(weighed)) == min(count, levels.PAGES_WEIGHED)
    if count > levels.PAGES_WEIGHED and count % 2 == 0:
        assert np.mean([kilobytes[at] for at in weighed]) == pytest.approx(np.mean(kilobytes), rel=0.1)


@pytest.mark.parametrize("level", Level)
def test_a_document_of_each_level_can_be_searched(
    store: Store, mappe: int, pages: list[int], tmp_path: Path, level: Level
) -> None:
    file = filed(store, mappe, tmp_path, reader(), level)
    assert words_of(file) == ["Pachtvertrag"] * 3
    with pikepdf.open(file) as pdf:
        assert str(pdf.Root.Lang) == "de"


def test_what_was_read_is_known(store: Store, mappe: int, pages: list[int], tmp_path: Path) -> None:
    once = reader()
    filed(store, mappe, tmp_path, once)
    again = filed(store, mappe, tmp_path, once)
    assert once.asked == 3
    assert words_of(again) == ["Pachtvertrag"] * 3


@pytest.mark.parametrize(
    ("recogniser", "unread", "why"),
    [
        (reader(2), "1 page could not be read", "longer than 120 s"),
        (None, "3 pages could not be read", "tesseract-ocr"),
    ],
)
def test_pages_that_cannot_be_read_are_filed_and_named(
    store: Store, mappe: int, pages: list[int], tmp_path: Path, recogniser: FakeRecogniser | None, unread: str, why: str
) -> None:
    file = filed(store, mappe, tmp_path, recogniser)
    assert len(words_of(file)) == 3
    (told,) = [one.message for one in desk(store, mappe).filings]
    assert told is not None
    assert told.startswith(unread)
    assert why in told
