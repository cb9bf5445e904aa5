"""What the levels make of a Mappe, and pages that are read when they are filed."""

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pypdfium2
import pytest
from tests.helpers import QUICK_ONE_SIDE, Drawer, FakeRecogniser, here, orders, page_saying

from papiermappe.core.encode.level import Level
from papiermappe.core.page_text import Care
from papiermappe.core.picture import DEFAULT_LIMIT_PX, decode
from papiermappe.devices.escl import Limits
from papiermappe.recognition.model import Reads
from papiermappe.services import filing, intake, levels, ordering, passes
from papiermappe.services.desk import desk
from papiermappe.services.errors import NotFound
from papiermappe.services.pictures import look_at_page
from papiermappe.services.reading import Reading
from papiermappe.store.database import Store

NOW = datetime(2026, 11, 26, 9, 14, tzinfo=UTC)
GERMAN = Reading("deu", Care.ACCURATE)


@pytest.fixture
def pages(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> list[int]:
    """Three fronts, looked at."""
    drawer.lay("lease")
    intake.take_in(store, passes.start_pass(store, mappe, zaunkoenig, QUICK_ONE_SIDE), Limits())
    for page in orders(store, mappe):
        look_at_page(store, page, here, DEFAULT_LIMIT_PX)
    return orders(store, mappe)


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


def test_levels_are_tried_once_and_shown(store: Store, mappe: int, pages: list[int]) -> None:
    assert levels.trial(store, mappe, pages[1]).levels == ()
    levels.order_trial(store, mappe, pages[1])
    levels.try_levels(store, mappe, pages[1], here, DEFAULT_LIMIT_PX)
    known = levels.trial(store, mappe, pages[1])
    weights = {one.level: one.bytes_a_page for one in known.levels}
    assert weights[Level.LEAN] < weights[Level.BALANCED] < weights[Level.FAITHFUL]
    spots = [decode(levels.spot(store, known.pages, level)) for level in Level]
    assert len({spot.shape for spot in spots}) == 1
    # The same spot: where the faithful one is dark or light, the others are.
    for spot in spots[1:]:
        assert np.corrcoef(spot.ravel(), spots[0].ravel())[0, 1] > 0.9

    def never(function: Callable[..., Any], /, *arguments: object) -> Any:
        pytest.fail("it has been tried")

    levels.try_levels(store, mappe, pages[1], never, DEFAULT_LIMIT_PX)


def test_a_changed_page_is_tried_again(store: Store, mappe: int, pages: list[int]) -> None:
    before = levels.trial(store, mappe, pages[0]).pages
    ordering.put_away(store, mappe, [pages[2]], desk(store, mappe).seq)
    assert levels.trial(store, mappe, pages[0]).pages != before
    with pytest.raises(NotFound):
        levels.trial(store, mappe, pages[2])
    levels.try_levels(store, mappe, pages[2], here, DEFAULT_LIMIT_PX)  # a job that came too late does nothing


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
