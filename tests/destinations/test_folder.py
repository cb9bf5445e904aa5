"""A folder takes documents whole, once, and never over something else."""

import errno
import hashlib
import io
import os
from pathlib import Path

import pytest

from papiermappe.core.encode.options import Attachment
from papiermappe.destinations.errors import DestinationFull, DestinationRefused, NameTaken
from papiermappe.destinations.folder import Folder
from papiermappe.destinations.model import Parcel


def parcel(data: bytes = b"%PDF- a lease", key: str = "key-1") -> Parcel:
    """Return a document on its way."""
    return Parcel(io.BytesIO(data), "lease.pdf", hashlib.sha256(data).hexdigest(), key)


def test_a_document_lies_there_under_its_name_readable_by_all(tmp_path: Path) -> None:
    place = Folder(tmp_path / "new" / "folder").deliver(parcel())
    assert place == str(tmp_path / "new" / "folder" / "lease.pdf")
    assert Path(place).read_bytes() == b"%PDF- a lease"
    assert Path(place).stat().st_mode & 0o777 == 0o644
    assert [file.name for file in (tmp_path / "new" / "folder").iterdir()] == ["lease.pdf"]


def test_delivered_twice_it_is_there_once(tmp_path: Path) -> None:
    for _ in range(2):
        Folder(tmp_path).deliver(parcel())
    assert [file.name for file in tmp_path.iterdir()] == ["lease.pdf"]


def test_what_a_broken_first_try_left_is_replaced(tmp_path: Path) -> None:
    (tmp_path / ".key-1.part").write_bytes(b"%PDF- a le")
    Folder(tmp_path).deliver(parcel())
    assert [file.name for file in tmp_path.iterdir()] == ["lease.pdf"]


SLIP = Attachment("ignored.slip.json", "application/json", b'{"pages": 3}')


def test_the_slip_lies_beside_its_document_once_and_never_over_something_else(tmp_path: Path) -> None:
    for _ in range(2):
        Folder(tmp_path).deliver(parcel()._replace(slip=SLIP))
    assert {file.name: file.read_bytes() for file in tmp_path.iterdir()} == {
        "lease.pdf": b"%PDF- a lease",
        "lease.slip.json": SLIP.data,
    }
    other = tmp_path / "other"
    other.mkdir()
    (other / "lease.slip.json").write_text("somebody's own")
    Folder(other).deliver(parcel()._replace(slip=SLIP))
    assert (other / "lease.slip.json").read_text() == "somebody's own"
    assert (other / "lease_2.slip.json").read_bytes() == SLIP.data


def test_a_name_that_is_taken_is_said_and_left_alone(tmp_path: Path) -> None:
    (tmp_path / "lease.pdf").write_text("somebody's own")
    with pytest.raises(NameTaken):
        Folder(tmp_path).deliver(parcel())
    assert (tmp_path / "lease.pdf").read_text() == "somebody's own"
    assert [file.name for file in tmp_path.iterdir()] == ["lease.pdf"]


def test_a_full_disk_and_a_folder_that_is_a_file_are_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").write_text("no folder")
    with pytest.raises(DestinationRefused):
        Folder(tmp_path / "file").deliver(parcel())

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(DestinationFull):
        Folder(tmp_path).deliver(parcel())


@pytest.fixture
def without_links(monkeypatch: pytest.MonkeyPatch) -> None:
    """A folder on FAT, or of a network that knows no links."""

    def refuse(*_: object) -> None:
        raise PermissionError(errno.EPERM, "Operation not permitted")

    monkeypatch.setattr(os, "link", refuse)
    monkeypatch.setattr(os, "fchmod", refuse)


@pytest.mark.usefixtures("without_links")
def test_a_folder_without_links_takes_documents_too(tmp_path: Path) -> None:
    for _ in range(2):
        Folder(tmp_path).deliver(parcel())
    assert [file.name for file in tmp_path.iterdir()] == ["lease.pdf"]
    assert (tmp_path / "lease.pdf").read_bytes() == b"%PDF- a lease"


@pytest.mark.usefixtures("without_links")
@pytest.mark.parametrize("there", ["", "somebody's own", "key-2"])
def test_nothing_is_overwritten_in_a_folder_without_links(there: str, tmp_path: Path) -> None:
    (tmp_path / "lease.pdf").write_text(there)
    with pytest.raises(NameTaken):
        Folder(tmp_path).deliver(parcel())
    assert (tmp_path / "lease.pdf").read_text() == there
    assert [file.name for file in tmp_path.iterdir()] == ["lease.pdf"]


@pytest.mark.usefixtures("without_links")
def test_a_name_that_was_reserved_before_a_crash_is_used(tmp_path: Path) -> None:
    (tmp_path / "lease.pdf").write_text("key-1")
    Folder(tmp_path).deliver(parcel())
    assert (tmp_path / "lease.pdf").read_bytes() == b"%PDF- a lease"
