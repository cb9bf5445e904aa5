"""What the levels make of a Mappe, and pages that are read when they are filed."""

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from uuid import uuid4

import numpy as np
import pikepdf
import pypdfium2
import pytest
from tests.helpers import ANNA, WORDS, FakeRecogniser, desk, do, here, made_document, make, page_saying, request

from papiermappe.compute import Compute
from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.encode.level import Level
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import KeepAs, SetAside
from papiermappe.core.pages import level_samples, page_jpeg
from papiermappe.core.picture import decode
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.recognition.model import TextRecogniser
from papiermappe.services import destinations, levels
from papiermappe.services.errors import NotFound
from papiermappe.services.pages import treatment_of
from papiermappe.services.pictures import captured_picture
from papiermappe.services.reading import NOT_READ, Reading
from papiermappe.store.database import Store
from papiermappe.store.models import Page

NOW = datetime(2026, 11, 26, 9, 14, tzinfo=UTC)
GERMAN = Reading("deu", RecognitionMode.ACCURATE)


def reader(*breaks_off_at: int) -> FakeRecogniser:
    """Return one that reads the same word on every page."""
    return FakeRecogniser(page_saying("Pachtvertrag"), breaks_off_at)


def filed(store: Store, mappe: int, folder: Path, recogniser: TextRecogniser | None, level: Level = Level.LEAN) -> Path:
    """File a Mappe, its pages read in German, and return the file."""
    leases = destinations.add_folder(ANNA, store, uuid4().hex, folder)
    made = request(store, mappe, leases, NOW, level=level, reading=GERMAN)
    make(store, made, recogniser)
    return folder / made_document(store, made).file_name


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


def estimate_levels(
    store: Store, mappe: int, page: int, compute: Compute = here, spot: levels.Spot | None = None
) -> None:
    """Estimate the levels, as a worker would."""
    levels.estimate_levels(store, mappe, page, spot, compute, compute, DEFAULT_LIMIT_PX)


def page_picture(store: Store, page_id: int) -> bytes:
    """Return the picture of a page in full."""
    with store.begin() as session:
        page = session.get_one(Page, page_id)
        return page_jpeg(captured_picture(store, page.capture, DEFAULT_LIMIT_PX), treatment_of(page), quality=98)


def never(function: Callable[..., Any], /, *arguments: object) -> Any:
    """Fail: it has been computed before."""
    pytest.fail(f"{function} is not to be called")


def test_levels_are_estimated_once_and_shown(store: Store, mappe: int, pages: list[int]) -> None:
    nothing = levels.estimate(ANNA, store, mappe, pages[1])
    assert (nothing.bytes_a_page, nothing.look, nothing.goes_on) == ({}, None, True)
    levels.request_estimate(ANNA, store, mappe, pages[1])
    estimate_levels(store, mappe, pages[1])
    known = levels.estimate(ANNA, store, mappe, pages[1])
    sizes = known.bytes_a_page
    assert sizes[Level.LEAN] < sizes[Level.BALANCED] < sizes[Level.FAITHFUL]
    assert known.look is not None
    looks = [decode(levels.sample(store, known.look.name, level)) for level in Level]
    assert len({look.shape for look in looks}) == 1
    # The same sample: where the faithful one is dark or light, the others are.
    for look in looks[1:]:
        assert np.corrcoef(look.ravel(), looks[0].ravel())[0, 1] > 0.9
    estimate_levels(store, mappe, pages[1], never)


def test_a_sample_of_another_page_is_shown_without_estimating_anew(store: Store, mappe: int, pages: list[int]) -> None:
    estimate_levels(store, mappe, pages[0])
    known = levels.estimate(ANNA, store, mappe, pages[2])
    assert known.bytes_a_page
    assert known.look is None

    def one_page(function: Callable[..., Any], /, *arguments: object) -> Any:
        assert function is level_samples
        return function(*arguments)

    estimate_levels(store, mappe, pages[2], one_page)
    shown = [levels.estimate(ANNA, store, mappe, page).look for page in (pages[0], pages[2])]
    assert None not in shown
    assert shown[0] != shown[1]


def test_a_part_of_a_page_is_shown_where_it_is_asked_for(store: Store, mappe: int, pages: list[int]) -> None:
    corner = levels.Spot(0.0, 1.0)
    estimate_levels(store, mappe, pages[0], spot=corner)
    assert levels.estimate(ANNA, store, mappe, pages[0]).look is None
    look = levels.estimate(ANNA, store, mappe, pages[0], corner).look
    assert look is not None
    left, top, right, bottom = look.box
    assert (left, bottom) == (0.0, 1.0)  # moved into the page
    assert 0 < right < 0.5 < top
    whole = decode(page_picture(store, pages[0]))
    part = decode(levels.sample(store, look.name, Level.FAITHFUL))
    height, width = whole.shape[:2]
    there = whole[round(top * height) :, : round(right * width)]
    assert np.abs(part.astype(int) - there).mean() < 3


def test_what_a_page_is_made_of_is_told_and_follows_what_is_said_by_hand(
    store: Store, mappe: int, pages: list[int]
) -> None:
    def made_of() -> MadeOf:
        estimate_levels(store, mappe, pages[0])
        look = levels.estimate(ANNA, store, mappe, pages[0]).look
        assert look is not None
        return look.made_of[Level.LEAN]

    before = made_of()
    for wanted in MadeOf:
        do(store, mappe, KeepAs(pages=(pages[0],), made_of=wanted))
        assert made_of() is wanted
    do(store, mappe, KeepAs(pages=(pages[0],), made_of=None))
    assert made_of() is before


def test_what_is_known_of_pages_stays_when_another_is_set_aside(store: Store, mappe: int, pages: list[int]) -> None:
    estimate_levels(store, mappe, pages[0])
    do(store, mappe, SetAside(pages=(pages[2],)))
    known = levels.estimate(ANNA, store, mappe, pages[0])
    assert (known.pages_made, known.goes_on) == (2, False)
    assert known.look
    with pytest.raises(NotFound):
        levels.estimate(ANNA, store, mappe, pages[2])
    estimate_levels(store, mappe, pages[2], never)  # a job that came too late does nothing


@pytest.mark.parametrize("level", Level)
@pytest.mark.parametrize("read", [True, False])
def test_the_size_told_is_that_of_the_file(
    store: Store, mappe: int, pages: list[int], tmp_path: Path, level: Level, read: bool
) -> None:
    says = page_saying(*["The pears are weighed crate by crate on the scales of the Cooperative."] * 20)
    reading = GERMAN if read else NOT_READ
    made = request(
        store, mappe, destinations.add_folder(ANNA, store, uuid4().hex, tmp_path), NOW, level=level, reading=reading
    )
    make(store, made, FakeRecogniser(says))
    estimate_levels(store, mappe, pages[0])
    known = levels.estimate(ANNA, store, mappe, pages[0])
    assert (known.pages_made, known.goes_on) == (3, False)
    text = known.bytes_of_text if read else 0
    told = known.bytes_a_file + 3 * (known.bytes_a_page[level] + text)
    assert told == pytest.approx(len(made_document(store, made).data), rel=0.1)


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
    (made,) = [filing.made for filing in desk(store, mappe).filings]
    assert made is not None
    assert unread in WORDS.text(made)
    assert why in WORDS.text(made)
