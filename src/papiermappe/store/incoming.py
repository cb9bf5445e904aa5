"""Files on their way in: written to disk piece by piece, and kept until their pages are captures."""

import errno
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from papiermappe.store.errors import DiskFull, StoreError


class Incoming:
    """A folder of files by their numbers.

    Args:
        folder: on this machine.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def path_of(self, file_id: int) -> Path:
        """Return where a file lies, or will."""
        return self._folder / str(file_id)

    def received(self, file_id: int) -> int:
        """Return how many bytes of a file have come."""
        try:
            return self.path_of(file_id).stat().st_size
        except FileNotFoundError:
            return 0

    def put(self, file_id: int, at: int, data: bytes) -> None:
        """Put bytes at their place in a file: the same part put twice, even at the same time, is there once.

        Raises:
            DiskFull: there is no room; the file has some of the part, or none.
            StoreError: it cannot be written.
        """
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            handle = os.open(self.path_of(file_id), os.O_WRONLY | os.O_CREAT, 0o600)
            with open(handle, "wb", buffering=0) as file:  # noqa: PTH123 (a handle, opened without emptying the file)
                file.seek(at)
                rest = memoryview(data)
                while rest:
                    rest = rest[file.write(rest) :]
        except OSError as exc:
            raise _translated(exc) from exc

    @contextmanager
    def write(self, file_id: int) -> Iterator[BinaryIO]:
        """Open a file to be written from its beginning. Raises OSError."""
        self._folder.mkdir(parents=True, exist_ok=True)
        with self.path_of(file_id).open("wb") as file:
            yield file

    def flush(self, file_id: int) -> None:
        """Have what has come survive a power cut. Raises StoreError."""
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            with self.path_of(file_id).open("ab") as file:
                os.fsync(file.fileno())
            folder = os.open(self._folder, os.O_RDONLY)
            try:
                os.fsync(folder)
            finally:
                os.close(folder)
        except OSError as exc:
            raise _translated(exc) from exc

    def remove(self, file_id: int) -> None:
        """Remove a file, if it is there."""
        self.path_of(file_id).unlink(missing_ok=True)

    def all(self) -> list[int]:
        """Return the numbers of all files that are there, whole or not."""
        if not self._folder.is_dir():
            return []
        return sorted(int(path.name) for path in self._folder.iterdir() if path.name.isdecimal())


def _translated(exc: OSError) -> StoreError:
    return DiskFull("disk_full") if exc.errno == errno.ENOSPC else StoreError("blob_not_written")
