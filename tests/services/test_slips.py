"""The slip of a document, and whether a file is one."""

import hashlib
from datetime import UTC, datetime
from pathlib import Path

import pytest
from sqlalchemy import select, text
from tests.helpers import (
    ANNA,
    QUICK_ONE_SIDE,
    Drawer,
    analyse_all,
    desk,
    do,
    document_id,
    made_document,
    make,
    request,
    scan,
)

from papiermappe.core.documents import Division
from papiermappe.core.operations import SetAside, Turn
from papiermappe.services import destinations, slips
from papiermappe.services.errors import NotFound
from papiermappe.services.planning import PagesWanted
from papiermappe.store.database import Store
from papiermappe.store.models import Capture

NOW = datetime(2026, 11, 24, 9, 14, tzinfo=UTC)


@pytest.fixture
def full(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> int:
    """The Mappe with four fronts, one turned, one set aside."""
    drawer.lay("lease", "weigh-2041")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    first, second, *_ = desk(store, mappe).order
    do(store, mappe, Turn(pages=(first,), quarter_turns=1))
    do(store, mappe, SetAside(pages=(second,)))
    return mappe


def test_a_slip_tells_where_pages_came_from_and_what_was_done(store: Store, full: int, tmp_path: Path) -> None:
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    made = request(store, full, place, NOW)
    with pytest.raises(NotFound, match="document_gone"):
        slips.slip_of(ANNA, store, document_id(store, made))  # not made yet
    make(store, made)
    slip = slips.slip_of(ANNA, store, document_id(store, made))
    file = made_document(store, made)
    assert (slip.sha256, slip.byte_size) == (hashlib.sha256(file.data).hexdigest(), len(file.data))
    assert slip.requested_at == NOW
    assert ANNA.author not in slip.model_dump_json()  # whoever knows it could pass for her
    assert [page.came_from.params["sheet"] for page in slip.pages] == [1, 3, 4]
    assert {page.came_from.params["device"] for page in slip.pages} == {"Zaunkönig D60"}
    with store.begin() as session:
        scans = session.scalars(select(Capture.sha256).order_by(Capture.sheet)).all()
    assert [page.scan_sha256 for page in slip.pages] == [scans[at] for at in (0, 2, 3)]
    assert slip.pages[0].treatment["quarter_turns"] == 1
    assert [line.message.code for line in slip.history][-2:] == ["turn", "set_aside"]
    assert [line.at for line in slip.history] == sorted(line.at for line in slip.history)
    (delivery,) = slip.deliveries
    assert (delivery.destination, Path(delivery.place).read_bytes()) == ("Leases", file.data)


def test_later_changes_are_not_in_it(store: Store, full: int, tmp_path: Path) -> None:
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    made = request(store, full, place, NOW)
    make(store, made)
    before = slips.slip_of(ANNA, store, document_id(store, made))
    do(store, full, Turn(pages=(desk(store, full).order[1],), quarter_turns=2))
    assert slips.slip_of(ANNA, store, document_id(store, made)) == before


def test_each_of_several_documents_has_its_own_pages(store: Store, full: int, tmp_path: Path) -> None:
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    made = request(store, full, place, NOW, pages=PagesWanted(division=Division.EVERY, every=2))
    make(store, made)
    shown = [slips.slip_of(ANNA, store, document_id(store, made, at)) for at in (1, 2)]
    assert [[page.came_from.params["sheet"] for page in slip.pages] for slip in shown] == [[1, 3], [4]]


def test_a_file_is_known_byte_for_byte(store: Store, full: int, tmp_path: Path) -> None:
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    made = request(store, full, place, NOW)
    make(store, made)
    (file,) = (tmp_path / "leases").iterdir()
    assert slips.documents_like(ANNA, store, file) == [document_id(store, made)]
    changed = tmp_path / "changed.pdf"
    changed.write_bytes(file.read_bytes() + b"\n")
    assert slips.documents_like(ANNA, store, changed) == []
    with store.begin() as session:
        session.execute(text("update filing set slip = null"))
    with pytest.raises(NotFound, match="slip_not_kept"):
        slips.slip_of(ANNA, store, document_id(store, made))
