"""Filing: names given out once, whole files or none, nothing overwritten."""

import io
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path

import docx
import pikepdf
import pytest
from defusedxml import ElementTree as ET
from PIL import Image, ImageSequence
from tests.helpers import (
    ANNA,
    QUICK_ONE_SIDE,
    WORDS,
    Drawer,
    FakeRecogniser,
    analyse_all,
    desk,
    do,
    made_document,
    make,
    page_saying,
    request,
    scan,
)

from papiermappe.core.encode.format import Format
from papiermappe.core.operations import Move, SetAside
from papiermappe.core.page_choice import RangeRefused, WhichPages
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.services import delivering, destinations, filed, filing, mappen
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.filed import Wanted
from papiermappe.services.planning import PagesWanted
from papiermappe.services.reading import NOT_READ, Reading
from papiermappe.store.database import Store
from papiermappe.store.models import DeliveryState, Filing, Page

NOW = datetime(2026, 11, 24, 9, 14, tzinfo=UTC)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """Where files go."""
    return tmp_path / "archive" / "leases"


@pytest.fixture
def leases(store: Store, folder: Path) -> int:
    """A destination."""
    return destinations.add_folder(ANNA, store, "Leases", folder)


@pytest.fixture
def full(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> int:
    """The Mappe with three A4 fronts and an A5 one, looked at."""
    drawer.lay("lease", "weigh-2041")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    return mappe


def document(store: Store, filing_id: int) -> bytes:
    """Return what was made."""
    return made_document(store, filing_id).data


def test_a_document_of_all_pages_at_the_size_of_their_paper(store: Store, full: int, leases: int, folder: Path) -> None:
    made = request(store, full, leases, NOW)
    make(store, made)
    file = folder / "2026-11-24_lease-upper-meadow_0001.pdf"
    with pikepdf.open(file) as pdf:
        sizes = [tuple(round(float(side) / 72 * 25.4) for side in page.mediabox[2:]) for page in pdf.pages]
    assert sizes == [(210, 297)] * 3 + [(148, 210)]
    shown = made_document(store, made)
    assert (shown.file_name, shown.data) == (file.name, file.read_bytes())
    (row,) = filed.list_filed(ANNA, store)
    assert (row.file_name, row.page_count, row.byte_size) == (file.name, 4, len(shown.data))
    assert [path.name for path in folder.iterdir()] == [file.name]
    make(store, made)  # done twice, it does no harm
    assert [path.name for path in folder.iterdir()] == [file.name]


def test_what_is_set_aside_is_not_filed_and_the_order_is_kept(store: Store, full: int, leases: int) -> None:
    first, second, third, fourth = desk(store, full).order
    do(store, full, SetAside(pages=(second,)))
    do(store, full, Move(pages=(fourth,), before=first))
    made = request(store, full, leases, NOW)
    do(store, full, SetAside(pages=(first, third)))  # too late: it is filed as it was
    make(store, made)
    with pikepdf.open(io.BytesIO(document(store, made))) as pdf:
        assert [round(float(page.mediabox[3]) / 72 * 25.4) for page in pdf.pages] == [210, 297, 297]


@pytest.mark.parametrize(
    ("wanted", "places"),
    [
        (PagesWanted(WhichPages.RANGES, ranges="4, 1-2"), [3, 0, 1]),
        (PagesWanted(WhichPages.FRONTS), [0, 1, 2, 3]),
    ],
)
def test_some_pages_are_filed_in_the_order_that_is_asked_for(
    store: Store, full: int, leases: int, wanted: PagesWanted, places: list[int]
) -> None:
    made = request(store, full, leases, NOW, pages=wanted)
    with store.begin() as session:
        captures = [item["capture"] for item in session.get_one(Filing, made).pages["pages"]]
        of_pages = [session.get_one(Page, number).capture_id for number in desk(store, full).order]
    assert captures == [of_pages[place] for place in places]


def test_pages_that_are_not_there_are_refused_and_no_name_is_taken(store: Store, full: int, leases: int) -> None:
    with pytest.raises(RangeRefused, match="range_beyond"):
        request(store, full, leases, NOW, pages=PagesWanted(WhichPages.RANGES, ranges="3-7"))
    with pytest.raises(NotPossible, match="no_page_to_file"):
        request(store, full, leases, NOW, pages=PagesWanted(WhichPages.BACKS))  # there are none
    make(store, request(store, full, leases, NOW))
    assert desk(store, full).filings[0].documents[0].file_name.endswith("_0001.pdf")


def test_two_who_ask_at_once_get_two_names(store: Store, full: int, leases: int) -> None:
    with ThreadPoolExecutor(8) as clerks:
        list(clerks.map(lambda _: request(store, full, leases, NOW), range(16)))
    names = [row.documents[0].file_name for row in desk(store, full).filings]
    assert len(set(names)) == 16
    assert sorted(names)[-1] == "2026-11-24_lease-upper-meadow_0016.pdf"


def test_a_file_that_is_there_already_is_not_overwritten(store: Store, full: int, leases: int, folder: Path) -> None:
    folder.mkdir(parents=True)
    foreign = folder / "2026-11-24_lease-upper-meadow_0001.pdf"
    foreign.write_text("somebody's own file")
    made = request(store, full, leases, NOW)
    make(store, made)
    assert foreign.read_text() == "somebody's own file"
    assert made_document(store, made).file_name == "2026-11-24_lease-upper-meadow_0002.pdf"


def test_a_folder_that_cannot_be_used_is_said_and_tried_again(store: Store, full: int, tmp_path: Path) -> None:
    blocked = tmp_path / "blocked"
    blocked.write_text("a file where the folder should be")
    made = request(store, full, destinations.add_folder(ANNA, store, "Blocked", blocked / "in"), NOW)
    make(store, made)
    (failed,) = desk(store, full).filings[0].deliveries
    assert failed.state is DeliveryState.FAILED
    assert failed.message is not None
    assert "The document is safe here: see to the folder" in WORDS.text(failed.message)
    blocked.unlink()
    filing.try_again(ANNA, store, made)
    make(store, made)
    assert desk(store, full).filings[0].deliveries[0].state is DeliveryState.DELIVERED
    with pytest.raises(NotPossible):
        filing.try_again(ANNA, store, made)


def test_a_subject_full_of_path_parts_stays_in_its_folder(store: Store, full: int, leases: int, folder: Path) -> None:
    mappen.rename(ANNA, store, full, "../../../etc/cron.d/x\\y:con")
    make(store, request(store, full, leases, NOW))
    assert [path.name for path in folder.iterdir()] == ["2026-11-24_etc-cron-d-x-y-con_0001.pdf"]


def test_an_empty_mappe_and_an_unknown_place_are_refused(store: Store, mappe: int, leases: int) -> None:
    with pytest.raises(NotPossible, match="no_page_to_file"):
        request(store, mappe, leases, NOW)
    with pytest.raises(NotFound):
        request(store, mappe, 999, NOW)
    with pytest.raises(NotFound):
        delivering.filed_document(ANNA, store, 999)


READ = Reading("deu", RecognitionMode.ACCURATE)
SAID = page_saying("Pachtvertrag über die", "Obere Wiese")


def made_as(store: Store, mappe: int, place: int, kind: Format, reading: Reading = READ) -> tuple[str, bytes]:
    """File a Mappe as a file of a kind, and return its name and what is in it."""
    made = request(store, mappe, place, NOW, reading=reading, format=kind)
    make(store, made, FakeRecogniser(SAID))
    shown = made_document(store, made)
    return shown.file_name, shown.data


def test_a_tiff_of_all_pages(store: Store, full: int, leases: int, folder: Path) -> None:
    name, data = made_as(store, full, leases, Format.TIFF, NOT_READ)
    assert (folder / name).suffix == ".tif"
    with Image.open(io.BytesIO(data)) as tiff:
        sizes = [frame.size for frame in ImageSequence.Iterator(tiff)]
    assert len(sizes) == 4
    assert sizes[0][1] == pytest.approx(297 / 25.4 * 100, abs=2)


def test_files_of_words(store: Store, full: int, leases: int) -> None:
    assert made_as(store, full, leases, Format.TEXT)[1].decode().count("Pachtvertrag über die\nObere Wiese") == 4
    alto = ET.fromstring(made_as(store, full, leases, Format.ALTO)[1])
    assert len(alto.findall(".//{*}Page")) == 4
    text = docx.Document(io.BytesIO(made_as(store, full, leases, Format.WORD)[1]))
    assert [paragraph.text for paragraph in text.paragraphs].count("Pachtvertrag über die Obere Wiese") == 4
    made = desk(store, full).filings[0].made
    assert made is not None
    assert WORDS.text(made) == "20 words can be searched."


@pytest.mark.parametrize(("kind", "start"), [(Format.PNG, b"\x89PNG"), (Format.JPEG, b"\xff\xd8\xff")])
def test_one_page_as_a_picture(store: Store, full: int, leases: int, kind: Format, start: bytes) -> None:
    with pytest.raises(NotPossible, match="format_holds_one_page"):
        made_as(store, full, leases, kind)
    do(store, full, SetAside(pages=tuple(desk(store, full).order[1:])))
    name, data = made_as(store, full, leases, kind)
    assert name.endswith(kind)
    assert data.startswith(start)


def test_words_need_a_language(store: Store, full: int, leases: int) -> None:
    with pytest.raises(NotPossible, match="format_needs_language"):
        made_as(store, full, leases, Format.TEXT, NOT_READ)


def test_finding_by_words_of_the_name(store: Store, full: int, leases: int) -> None:
    make(store, request(store, full, leases, NOW))
    assert len(filed.list_filed(ANNA, store, Wanted("meadow lease"))) == 1
    assert filed.list_filed(ANNA, store, Wanted("meadow invoice")) == []
    assert filed.list_filed(ANNA, store, Wanted("%")) == []
