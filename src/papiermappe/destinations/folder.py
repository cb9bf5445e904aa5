"""A folder that documents go to."""

import contextlib
import errno
import hashlib
import os
import shutil
from collections.abc import Iterator, Sequence
from io import BytesIO
from pathlib import Path
from typing import BinaryIO

from papiermappe.core.encode.options import SLIP_ENDING, Attachment
from papiermappe.destinations.errors import DestinationFull, DestinationRefused, NameTaken
from papiermappe.destinations.model import Parcel

FILE_MODE = 0o644
WITHOUT_LINKS = frozenset({errno.EPERM, errno.EOPNOTSUPP, errno.ENOSYS, errno.EMLINK, errno.EACCES, errno.EINVAL})


class Folder:
    """A folder on a disk of this machine, or on one that it has mounted.

    Args:
        path: of the folder; it is made when something is delivered.
    """

    def __init__(self, path: Path) -> None:
        self._path = path

    def deliver(self, parcel: Parcel) -> str:
        """Write beside, flush, then give it its name: the file is there whole or not at all, and none is overwritten.

        What is written beside is named after the idempotency key, so that a second try replaces what a first one left.
        Raises as the protocol says.
        """
        with self._failures():
            place = self._put(parcel.file_name, parcel.file, parcel.sha256, parcel.idempotency_key)
            if parcel.slip is not None:
                self._put_slip(parcel, parcel.slip)
        return place

    def _put_slip(self, parcel: Parcel, slip: Attachment) -> None:
        sha256 = hashlib.sha256(slip.data).hexdigest()
        for name in parcel.slip_names(SLIP_ENDING):
            with contextlib.suppress(NameTaken):
                self._put(name, BytesIO(slip.data), sha256, f"{parcel.idempotency_key}-slip")
                return

    def _put(self, name: str, file: BinaryIO, sha256: str, key: str) -> str:
        target = self._path / name
        beside = target.parent / f".{key}.part"
        if not target.parent.resolve().is_relative_to(self._path.resolve()):  # before anything is made there
            raise DestinationRefused("folder_leads_out", place=str(target.parent), root=str(self._path))
        target.parent.mkdir(parents=True, exist_ok=True)
        self._write(beside, file)
        try:
            _give_name(beside, target, key)
        except FileExistsError:
            if not _has_checksum(target, sha256):
                raise NameTaken("name_taken", file=name) from None
        finally:
            beside.unlink(missing_ok=True)
        for folder in (target.parent, *_between(target.parent, self._path)):
            _flush_folder(folder)
        return str(target)

    @contextlib.contextmanager
    def _failures(self) -> Iterator[None]:
        """Put what the system refuses into our errors."""
        try:
            yield
        except OSError as exc:
            if exc.errno == errno.ENOSPC:
                raise DestinationFull("destination_full", place=str(self._path)) from exc
            raise DestinationRefused("folder_refused", place=str(self._path), reason=exc.strerror or "") from exc

    def try_out(self) -> None:
        """Write a small file and take it away again. Raises DestinationError."""
        trial = self._path / ".papiermappe-trial"
        with self._failures():
            self._path.mkdir(parents=True, exist_ok=True)
            trial.write_text("A trial; this can be deleted.\n")
            trial.unlink()

    @staticmethod
    def _write(path: Path, file: BinaryIO) -> None:
        file.seek(0)
        with path.open("wb") as out:
            with contextlib.suppress(PermissionError):  # FAT has no modes
                os.fchmod(out.fileno(), FILE_MODE)
            shutil.copyfileobj(file, out)
            out.flush()
            os.fsync(out.fileno())


def _give_name(beside: Path, target: Path, key: str) -> None:
    """Give a finished file its name. Raises FileExistsError where something else has it.

    A link cannot replace a file. FAT and some network folders have no links: there the name is reserved first by a
    small file that says whose it is, which the finished one then replaces; a second try finds its own reservation.
    """
    try:
        os.link(beside, target)
    except OSError as exc:
        if exc.errno not in WITHOUT_LINKS:
            raise
        try:
            with target.open("x") as reservation:
                reservation.write(key)
        except FileExistsError:
            if target.stat().st_size != len(key) or target.read_text() != key:
                raise
        beside.replace(target)


def _has_checksum(path: Path, sha256: str) -> bool:
    with path.open("rb") as there:
        return hashlib.file_digest(there, "sha256").hexdigest() == sha256


def _between(inner: Path, outer: Path) -> Sequence[Path]:
    """Return the folders above one, up to another that it lies in."""
    return inner.parents[: len(inner.relative_to(outer).parts)]


def _flush_folder(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
