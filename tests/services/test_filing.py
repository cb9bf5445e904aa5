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
from tests.helpers import QUICK_ONE_SIDE, Drawer, FakeRecogniser, here, orders, page_saying

from papiermappe.core.encode.formats import Format
from papiermappe.core.page_text import Care
from papiermappe.core.picture import DEFAULT_LIMIT_PX
from papiermappe.devices.escl import Limits
from papiermappe.services import filing, intake, mappen, ordering, passes
from papiermappe.services.desk import desk
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.pictures import look_at_page
from papiermappe.services.reading import NOT_READ, Reading
from papiermappe.store.database import Store

NOW = datetime(2026, 11, 24, 9, 14, tzinfo=UTC)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """Where files go."""
    return tmp_path / "archive" / "leases"


@pytest.fixture
def leases(store: Store, folder: Path) -> int:
    """A destination."""
    return filing.add_destination(store, "Leases", folder)


@pytest.fixture
def full(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> int:
    """The Mappe with three A4 fronts and an A5 one, looked at."""
    drawer.lay("lease", "weigh-2041")
    intake.take_in(store, passes.start_pass(store, mappe, zaunkoenig, QUICK_ONE_SIDE), Limits())
    for page in orders(store, mappe):
        look_at_page(store, page, here, DEFAULT_LIMIT_PX)
    return mappe


def make(store: Store, filing_id: int) -> None:
    """Make a document, as a worker would."""
    filing.make_document(store, filing_id, here, None, DEFAULT_LIMIT_PX)


def test_a_document_of_all_pages_at_the_size_of_their_paper(store: Store, full: int, leases: int, folder: Path) -> None:
    made = filing.ask_for_filing(store, full, leases, NOW)
    make(store, made)
    file = folder / "2026-11-24_lease-upper-meadow_0001.pdf"
    with pikepdf.open(file) as pdf:
        sizes = [tuple(round(float(side) / 72 * 25.4) for side in page.mediabox[2:]) for page in pdf.pages]
    assert sizes == [(210, 297)] * 3 + [(148, 210)]
    name, data = filing.filed_document(store, made)
    assert (name, data) == (file.name, file.read_bytes())
    (row,) = filing.list_filed(store)
    assert (row.file_name, row.page_count, row.byte_size) == (file.name, 4, len(data))
    assert [path.name for path in folder.iterdir()] == [file.name]
    make(store, made)  # done twice, it does no harm
    assert [path.name for path in folder.iterdir()] == [file.name]


def test_what_is_put_away_is_not_filed_and_the_order_is_kept(store: Store, full: int, leases: int) -> None:
    first, second, third, fourth = orders(store, full)
    ordering.put_away(store, full, [second], desk(store, full).seq)
    ordering.move_pages(store, full, [fourth], 0, desk(store, full).seq)
    made = filing.ask_for_filing(store, full, leases, NOW)
    ordering.put_away(store, full, [first, third], desk(store, full).seq)  # too late: it is filed as it was
    make(store, made)
    with pikepdf.open(io.BytesIO(filing.filed_document(store, made)[1])) as pdf:
        assert [round(float(page.mediabox[3]) / 72 * 25.4) for page in pdf.pages] == [210, 297, 297]


def test_two_who_ask_at_once_get_two_names(store: Store, full: int, leases: int) -> None:
    with ThreadPoolExecutor(8) as clerks:
        list(clerks.map(lambda _: filing.ask_for_filing(store, full, leases, NOW), range(16)))
    names = [one.file_name for one in desk(store, full).filings]
    assert len(set(names)) == 16
    assert sorted(names)[-1] == "2026-11-24_lease-upper-meadow_0016.pdf"


def test_a_file_that_is_there_already_is_not_overwritten(store: Store, full: int, leases: int, folder: Path) -> None:
    folder.mkdir(parents=True)
    foreign = folder / "2026-11-24_lease-upper-meadow_0001.pdf"
    foreign.write_text("somebody's own file")
    made = filing.ask_for_filing(store, full, leases, NOW)
    make(store, made)
    assert foreign.read_text() == "somebody's own file"
    assert filing.filed_document(store, made)[0] == "2026-11-24_lease-upper-meadow_0002.pdf"


def test_a_folder_that_cannot_be_used_is_said_and_tried_again(store: Store, full: int, tmp_path: Path) -> None:
    blocked = tmp_path / "blocked"
    blocked.write_text("a file where the folder should be")
    made = filing.ask_for_filing(store, full, filing.add_destination(store, "Blocked", blocked / "in"), NOW)
    make(store, made)
    failed = desk(store, full).filings[0]
    assert failed.state == "failed"
    assert "cannot be written to. The scans are safe." in (failed.message or "")
    blocked.unlink()
    filing.try_again(store, made)
    make(store, made)
    assert desk(store, full).filings[0].state == "done"
    with pytest.raises(NotPossible):
        filing.try_again(store, made)


def test_a_subject_full_of_path_parts_stays_in_its_folder(store: Store, full: int, leases: int, folder: Path) -> None:
    mappen.rename(store, full, "../../../etc/cron.d/x\\y:con")
    make(store, filing.ask_for_filing(store, full, leases, NOW))
    assert [path.name for path in folder.iterdir()] == ["2026-11-24_etc-cron-d-x-y-con_0001.pdf"]


def test_an_empty_mappe_and_an_unknown_place_are_refused(store: Store, mappe: int, leases: int) -> None:
    with pytest.raises(NotPossible, match="no page to file"):
        filing.ask_for_filing(store, mappe, leases, NOW)
    with pytest.raises(NotFound):
        filing.ask_for_filing(store, mappe, 999, NOW)
    with pytest.raises(NotFound):
        filing.filed_document(store, 999)


READ = Reading("deu", Care.ACCURATE)
SAID = page_saying("Pachtvertrag über die", "Obere Wiese")


def made_as(store: Store, mappe: int, place: int, kind: Format, reading: Reading = READ) -> tuple[str, bytes]:
    """File a Mappe as a file of a kind, and return its name and what is in it."""
    made = filing.ask_for_filing(store, mappe, place, NOW, reading=reading, kind=kind)
    filing.make_document(store, made, here, FakeRecogniser(SAID), DEFAULT_LIMIT_PX)
    return filing.filed_document(store, made)


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
    document = docx.Document(io.BytesIO(made_as(store, full, leases, Format.WORD)[1]))
    assert [one.text for one in document.paragraphs].count("Pachtvertrag über die Obere Wiese") == 4
    assert "20 words can be searched" in desk(store, full).filings[0].made_of


@pytest.mark.parametrize(("kind", "start"), [(Format.PNG, b"\x89PNG"), (Format.JPEG, b"\xff\xd8\xff")])
def test_one_page_as_a_picture(store: Store, full: int, leases: int, kind: Format, start: bytes) -> None:
    with pytest.raises(NotPossible, match="holds one page, and there are 4"):
        made_as(store, full, leases, kind)
    ordering.put_away(store, full, orders(store, full)[1:], desk(store, full).seq)
    name, data = made_as(store, full, leases, kind)
    assert name.endswith(kind)
    assert data.startswith(start)


def test_words_need_a_language(store: Store, full: int, leases: int) -> None:
    with pytest.raises(NotPossible, match="choose the language"):
        made_as(store, full, leases, Format.TEXT, NOT_READ)


def test_finding_by_words_of_the_name(store: Store, full: int, leases: int) -> None:
    make(store, filing.ask_for_filing(store, full, leases, NOW))
    assert len(filing.list_filed(store, "meadow lease")) == 1
    assert filing.list_filed(store, "meadow invoice") == []
    assert filing.list_filed(store, "%") == []
