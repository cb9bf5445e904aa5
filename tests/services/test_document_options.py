"""What is asked of documents beyond their format: a limit, a password, a slip that goes along, how a page is kept."""

import json
from datetime import UTC, datetime
from io import BytesIO
from pathlib import Path
from typing import Any

import pikepdf
import pytest
from cryptography.fernet import Fernet
from PIL import Image, ImageSequence
from pydantic import SecretStr
from sqlalchemy import text
from tests.helpers import ANNA, WORDS, desk, do, document_id, made_document, make, request

from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import DocumentOptions, SlipPlace, TiffCoding
from papiermappe.core.operations import KeepAs
from papiermappe.services import destinations, filing, slips
from papiermappe.services.errors import NotPossible
from papiermappe.services.filing import FilingRequest
from papiermappe.store.database import Store
from papiermappe.store.models import Document, Filing
from papiermappe.store.secrets import SecretBox

NOW = datetime(2026, 11, 29, 9, 14, tzinfo=UTC)


@pytest.fixture
def leases(store: Store, tmp_path: Path) -> int:
    """A destination."""
    return destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")


def filed(store: Store, mappe: int, destination: int, **options: object) -> bytes:
    """Return a document that was made with options."""
    made = request(
        store, mappe, destination, NOW, level=Level.BALANCED, options=DocumentOptions.model_validate(options)
    )
    make(store, made)
    return made_document(store, made).data


def test_a_document_says_of_itself_what_was_typed(store: Store, mappe: int, pages: list[int], leases: int) -> None:
    data = filed(store, mappe, leases, title="Lease", author="Mira Öz", keywords="meadow")
    with pikepdf.open(BytesIO(data)) as pdf:
        assert {str(pdf.docinfo[name]) for name in ("/Title", "/Author", "/Keywords")} == {"Lease", "Mira Öz", "meadow"}


def test_a_limit_is_met_and_what_it_took_is_told(store: Store, mappe: int, pages: list[int], leases: int) -> None:
    whole = len(filed(store, mappe, leases))
    least = len(_at(store, mappe, leases, Level.LEAN))
    limit = (whole + least) // 2
    made = request(store, mappe, leases, NOW, level=Level.BALANCED, options=DocumentOptions(limit_bytes=limit))
    make(store, made)
    assert least <= len(made_document(store, made).data) <= limit
    with store.begin() as session:
        document = session.get_one(Document, document_id(store, made))
        levels = [page["level"] for page in (document.made or {})["pages"]]
    assert set(levels) == {"balanced", "lean"}
    view = next(one for one in desk(store, mappe).filings if one.id == made)
    assert view.made is not None
    assert f"{levels.count('lean')} page" in WORDS.text(view.made)


def _at(store: Store, mappe: int, destination: int, level: Level) -> bytes:
    made = request(store, mappe, destination, NOW, level=level)
    make(store, made)
    return made_document(store, made).data


def test_a_limit_out_of_reach_files_nothing_and_says_what_is_reached(
    store: Store, mappe: int, pages: list[int], leases: int, tmp_path: Path
) -> None:
    made = request(store, mappe, leases, NOW, options=DocumentOptions(limit_bytes=10_000))
    make(store, made)
    view = desk(store, mappe).filings[0]
    assert (view.state, list((tmp_path / "leases").glob("*.pdf"))) == ("failed", [])
    assert view.message is not None
    assert view.message.params["bytes"] > 10_000
    assert "cannot be made smaller" in WORDS.text(view.message)


def test_a_password_is_sealed_until_the_document_is_made_and_then_forgotten(
    store: Store, mappe: int, pages: list[int], leases: int
) -> None:
    box = SecretBox(Fernet.generate_key())
    wanted = FilingRequest((leases,), password=SecretStr("Apfel 7"))
    made = filing.request_filing(ANNA, store, mappe, wanted, NOW, box)

    def kept() -> bytes | None:
        with store.begin() as session:
            return session.get_one(Filing, made).password

    sealed = kept()
    assert sealed is not None
    assert b"Apfel" not in sealed
    make(store, made, secrets=box)
    data = made_document(store, made).data
    with pytest.raises(pikepdf.PasswordError):
        pikepdf.open(BytesIO(data))
    with pikepdf.open(BytesIO(data), password="Apfel 7") as pdf:
        assert pdf.encryption.R == 6
    assert kept() is None


@pytest.mark.parametrize(
    "wanted",
    [
        {"options": DocumentOptions(limit_bytes=1_000_000)},
        {"options": DocumentOptions(slip=SlipPlace.ATTACHED)},
        {"password": SecretStr("Apfel 7")},
    ],
)
def test_what_only_a_pdf_can_have_is_refused_of_others(
    store: Store, mappe: int, pages: list[int], leases: int, wanted: dict[str, Any]
) -> None:
    box = SecretBox(Fernet.generate_key())
    asked = FilingRequest((leases,), format=Format.TIFF)._replace(**wanted)
    with pytest.raises(NotPossible, match="options_need_pdf"):
        filing.request_filing(ANNA, store, mappe, asked, NOW, box)
    assert desk(store, mappe).filings == []


def test_the_slip_goes_along_inside_the_document_or_beside_it(
    store: Store, mappe: int, pages: list[int], leases: int, tmp_path: Path
) -> None:
    data = filed(store, mappe, leases, slip="attached")
    with pikepdf.open(BytesIO(data)) as pdf:
        (name,) = pdf.attachments
        inside = slips.Slip.model_validate_json(_without_words(pdf.attachments[name].get_file().read_bytes()))
        assert pdf.open_metadata()["pdfaid:part"] == "3"
    assert name.endswith(".slip.json")
    assert (inside.sha256, len(inside.pages)) == (None, len(pages))
    made = request(store, mappe, leases, NOW, options=DocumentOptions(slip=SlipPlace.BESIDE))
    make(store, made)
    document = made_document(store, made)
    beside = tmp_path / "leases" / (document.file_name.removesuffix(".pdf") + ".slip.json")
    told = json.loads(beside.read_bytes())
    kept = slips.slip_of(ANNA, store, document_id(store, made))
    assert (told["sha256"], told["byte_size"]) == (kept.sha256, len(document.data))
    assert told["history"][0]["message"]["text"]


def _without_words(slip: bytes) -> str:
    """Return a slip with its messages as codes with parameters: words alone say nothing of them."""
    told = json.loads(slip)
    for page in told["pages"]:
        page["came_from"] = {"code": page["came_from"]["code"]}
        page["findings"] = []
    return json.dumps({**told, "history": []})


def test_a_page_is_kept_as_somebody_has_said_and_the_scan_and_its_picture_stay(
    store: Store, mappe: int, pages: list[int], leases: int
) -> None:
    before = {page.id: page.picture for page in desk(store, mappe).pages}
    for made_of in MadeOf:
        do(store, mappe, KeepAs(pages=(pages[0],), made_of=made_of))
        made = request(store, mappe, leases, NOW, level=Level.BALANCED)
        make(store, made)
        with store.begin() as session:
            document = session.get_one(Document, document_id(store, made))
            assert (document.made or {})["pages"][0]["made_of"] == made_of
    assert {page.id: page.picture for page in desk(store, mappe).pages} == before
    assert any("in black and white" in line for line in desk(store, mappe).history)


def test_a_tiff_is_all_black_and_white_where_that_is_wanted(
    store: Store, mappe: int, pages: list[int], leases: int
) -> None:
    options = DocumentOptions(tiff=TiffCoding.FAX)
    made = request(store, mappe, leases, NOW, format=Format.TIFF, options=options)
    make(store, made)
    with Image.open(BytesIO(made_document(store, made).data)) as tiff:
        coded = [(frame.mode, frame.info["compression"]) for frame in ImageSequence.Iterator(tiff)]
    assert coded == [("1", "group4")] * len(pages)


def test_a_filing_from_before_options_is_made_as_it_was_asked_for(
    store: Store, mappe: int, pages: list[int], leases: int
) -> None:
    made = request(store, mappe, leases, NOW)
    with store.begin() as session:
        session.execute(text("update filing set options = '{}'"))
    make(store, made)
    assert desk(store, mappe).filings[0].state == "made"
