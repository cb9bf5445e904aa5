"""Which files of a watched folder are whole, and where they go."""

import os
from pathlib import Path

import pytest

from papiermappe.devices.drop_folder import DropFolder, FoundFile, files_in, is_as_seen, put_away


def drop(folder: Path, name: str, data: bytes = b"page", at_ns: int = 1_000_000_000) -> FoundFile:
    """Drop a file as a copier would."""
    path = folder / name
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
    os.utime(path, ns=(at_ns, at_ns))
    return FoundFile(name, len(data), at_ns)


def test_a_file_counts_when_it_has_been_quiet(tmp_path: Path) -> None:
    looked = DropFolder(tmp_path, quiet_s=2.0)
    drop(tmp_path, "a.pdf", b"ha")
    assert looked.whole(10.0) == []
    half = drop(tmp_path, "a.pdf", b"half", 1_000_000_001)  # it grows
    assert looked.whole(11.5) == []
    assert looked.whole(13.0) == []
    assert looked.whole(13.5) == [half]
    later = drop(tmp_path, "b.pdf", at_ns=3_000_000_000)
    earlier = drop(tmp_path, "c.pdf", at_ns=2_000_000_000)
    looked.whole(14.0)
    assert looked.whole(16.0) == [half, earlier, later]


def test_what_is_hidden_unfinished_linked_or_done_with_is_left_alone(tmp_path: Path) -> None:
    kept = [drop(tmp_path, "leases/Upper Meadow.pdf"), drop(tmp_path, "leases/done/a.pdf")]
    for name in (".hidden.pdf", "b.pdf.part", "c.TMP", "~d.pdf", "done/e.pdf", "failed/f.pdf", ".x/g.pdf"):
        drop(tmp_path, name)
    outside = tmp_path.parent / "outside.pdf"
    outside.write_bytes(b"secret")
    (tmp_path / "link.pdf").symlink_to(outside)
    (tmp_path / "links").symlink_to(tmp_path.parent)
    assert sorted(files_in(tmp_path)) == sorted(kept)


def test_a_folder_that_is_not_there_is_told(tmp_path: Path) -> None:
    with pytest.raises(FileNotFoundError):
        DropFolder(tmp_path / "gone").whole(1.0)


def test_files_are_put_away_beside_others_of_their_name(tmp_path: Path) -> None:
    for _ in range(2):
        put_away(tmp_path, drop(tmp_path, "leases/a.pdf"), None)
    put_away(tmp_path, drop(tmp_path, "b.pdf"), "b.pdf is damaged.")
    assert sorted(str(path.relative_to(tmp_path)) for path in tmp_path.rglob("*") if path.is_file()) == [
        "done/leases/a (2).pdf",
        "done/leases/a.pdf",
        "failed/b.pdf",
        "failed/b.pdf.txt",
    ]
    assert (tmp_path / "failed/b.pdf.txt").read_text() == "b.pdf is damaged.\n"


def test_a_change_is_seen(tmp_path: Path) -> None:
    file = drop(tmp_path, "a.pdf")
    assert is_as_seen(tmp_path, file)
    drop(tmp_path, "a.pdf", at_ns=2_000_000_000)
    assert not is_as_seen(tmp_path, file)
    assert not is_as_seen(tmp_path, FoundFile("gone.pdf", 4, 5))
