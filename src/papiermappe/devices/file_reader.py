"""Reading files in a child process, so that a fault of a library takes neither this process nor the pages it has.

Files come from anywhere. Decoders for old formats crash, loop and ask for absurd amounts of memory; the child has
limits of memory and time, and what it breaks on is one file, refused by its name.
"""

import contextlib
import multiprocessing
import os
import resource
from collections.abc import Iterator
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import NamedTuple

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.devices.errors import FileRefused
from papiermappe.devices.files import FilePicture, HowToRead, count_pages, pages_of
from papiermappe.errors import PapiermappeError
from papiermappe.lifeline import end_with

PAGE_S = 120.0
BASE_BYTES = 500_000_000
"""What the libraries of the child take by themselves (300 MB, most of it never touched), and room."""
BYTES_A_PX = 14
"""At most: a page drawn with four channels, copied with three, turned, and encoded."""


class ReaderLimits(NamedTuple):
    """Limits on the reading of files."""

    page_px: int = DEFAULT_LIMIT_PX
    page_s: float = PAGE_S
    """For one page, or for opening a file."""
    bytes_a_px: int = BYTES_A_PX

    @property
    def memory_bytes(self) -> int:
        """What the child may have of memory."""
        return BASE_BYTES + self.bytes_a_px * self.page_px


class _Ended(NamedTuple):
    """Said by the child when a file has no more pages."""

    pages: int


class FileReader:
    """Reads files, one at a time, in a child process that is replaced when it has died. Not for use from two threads.

    Args:
        limits: of the reading.
    """

    def __init__(self, limits: ReaderLimits | None = None) -> None:
        self._limits = limits or ReaderLimits()
        self._child: tuple[BaseProcess, Connection] | None = None

    def __enter__(self) -> "FileReader":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def pages(self, file: Path, how: HowToRead) -> Iterator[FilePicture]:
        """Yield the pages of a file; the next one is read while the last one is used. Raises FileRefused."""
        self._ask(file, how)
        try:
            while not isinstance(said := self._answer(file), _Ended):
                yield said
        except GeneratorExit:
            self.close()  # it goes on reading a file that nobody wants any more
            raise

    def count(self, file: Path) -> int:
        """Return how many pages a file has. Raises FileRefused."""
        self._ask(file, None)
        said = self._answer(file)
        return said.pages if isinstance(said, _Ended) else 0

    def close(self) -> None:
        """End the child."""
        if self._child is not None:
            process, connection = self._child
            self._child = None
            process.kill()
            process.join()
            process.close()
            connection.close()

    def _ask(self, file: Path, how: HowToRead | None) -> None:
        if self._child is None:
            self._child = self._new()
        try:
            self._child[1].send((file, how))
        except OSError:  # it has died since
            self.close()
            self._child = self._new()
            self._child[1].send((file, how))

    def _answer(self, file: Path) -> FilePicture | _Ended:
        if self._child is None:
            raise FileRefused(file, "file_reader_died")
        connection = self._child[1]
        try:
            if not connection.poll(self._limits.page_s):
                self.close()
                raise FileRefused(file, "file_too_slow", limit_s=round(self._limits.page_s))
            said: FilePicture | _Ended | PapiermappeError = connection.recv()
        except (EOFError, OSError) as exc:
            self.close()
            raise FileRefused(file, "file_reader_died") from exc
        if isinstance(said, PapiermappeError):
            raise said
        return said

    def _new(self) -> tuple[BaseProcess, Connection]:
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(["papiermappe.core.preloaded", "papiermappe.devices.files"])
        ours, theirs = context.Pipe()
        arguments = (theirs, self._limits, multiprocessing.current_process().pid)
        process = context.Process(target=_serve, args=arguments, daemon=True)
        process.start()
        theirs.close()
        return process, ours


def _serve(connection: Connection, limits: ReaderLimits, parent_pid: int) -> None:
    """Read files as they are asked for, until nobody asks any more."""
    end_with(parent_pid)
    # Libraries write what they think of a broken file to standard error; the person is told in our words.
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
    hard = resource.getrlimit(resource.RLIMIT_DATA)[1]
    most = limits.memory_bytes if hard == resource.RLIM_INFINITY else min(limits.memory_bytes, hard)
    resource.setrlimit(resource.RLIMIT_DATA, (most, hard))
    with contextlib.suppress(EOFError, OSError):  # the other end is closed
        while True:
            file, how = connection.recv()
            connection.send(_read(connection, file, how, limits.page_px))


def _read(connection: Connection, file: Path, how: HowToRead | None, limit_px: int) -> _Ended | PapiermappeError:
    """Read one file and send its pages; return what is to be said at its end."""
    try:
        if how is None:
            return _Ended(count_pages(file))
        count = 0
        for count, page in enumerate(pages_of(file, how, limit_px), 1):  # noqa: B007 (used below)
            connection.send(page)
        return _Ended(count)
    except (EOFError, BrokenPipeError):
        raise
    except PapiermappeError as exc:
        return exc
    except MemoryError:
        return FileRefused(file, "file_needs_memory")
    except Exception:  # noqa: BLE001 (whatever a library says of a broken file)
        return FileRefused(file, "file_unreadable")
