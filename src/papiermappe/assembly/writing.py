"""Files that an assembly makes, each there whole or not at all."""

import os
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import BinaryIO, cast

from papiermappe.assembly.naming import hidden, named, rule_in
from papiermappe.assembly.request import (
    AssemblyRequest,
    format_of,
)
from papiermappe.assembly.source import SourcePage
from papiermappe.core.encode.formats import FilePage, write_file
from papiermappe.core.encode.options import About, FileForm
from papiermappe.core.reading.languages import language
from papiermappe.making.document import MadePage


class Writer:
    """Writes made pages into files.

    Args:
        request: says where, and in which form.
        now: the current time, with its zone.

    Raises:
        NamingRuleRefused: the file of the naming rule holds none.
    """

    def __init__(self, request: AssemblyRequest, now: datetime) -> None:
        self._request = request
        self._now = now
        self._rule = rule_in(request.naming_rule) if request.naming_rule else None

    @property
    def names_by_rule(self) -> bool:
        """Whether files get names that are free."""
        return self._rule is not None

    def write(
        self, out: Path, subject: str, first: MadePage[SourcePage], rest: Iterator[MadePage[SourcePage]]
    ) -> list[Path]:
        """Write a document, or its pages as files of their own, numbered if there are several.

        Args:
            out: the file; where a rule names it, its folder and ending count, and its name if no subject is known.
            subject: of the document, for its name; empty: as its first page says.
            first: its first page.
            rest: the others, as they are made.

        Returns:
            The files.

        Raises:
            OSError: one cannot be written.
        """
        if format_of(out).has_one_page:
            return self._write_each(out, first, rest)
        if self._rule is None:
            return [self._write_one(out, out.stem, first, rest)]
        file = self._write_one(hidden(out), subject or out.stem, first, rest)
        try:
            return [named(file, self._rule, subject, out.stem, first.page.text, self._now.date())]
        except OSError:
            file.unlink(missing_ok=True)
            raise

    def size_of(self, out: Path, pages: Sequence[MadePage[SourcePage]]) -> int:
        """Return how large a document would be, in bytes."""
        with tempfile.TemporaryFile() as file:
            self._put(out, out.stem, pages[0], iter(pages[1:]), file)
            return file.seek(0, os.SEEK_END)

    def _write_one(
        self, out: Path, title: str, first: MadePage[SourcePage], rest: Iterator[MadePage[SourcePage]]
    ) -> Path:
        with whole_or_not(out) as file:
            self._put(out, title, first, rest, file)
        return out

    def _write_each(self, out: Path, first: MadePage[SourcePage], rest: Iterator[MadePage[SourcePage]]) -> list[Path]:
        written: list[Path] = []
        pending: MadePage[SourcePage] | None = first
        while pending is not None:
            following = next(rest, None)
            single = following is None and not written
            file = out if single else out.with_stem(f"{out.stem}-{len(written) + 1:03}")
            with whole_or_not(file) as to:
                to.write(pending.page.content.picture or b"")
            written.append(file)
            pending = following
        return written

    def _put(
        self,
        out: Path,
        title: str,
        first: MadePage[SourcePage],
        rest: Iterator[MadePage[SourcePage]],
        file: BinaryIO,
    ) -> None:
        write_file(self._form(out, title), self._file_pages(first, rest), file, tempfile.TemporaryFile)

    def _form(self, out: Path, title: str) -> FileForm:
        request, asked = self._request, self._request.options
        spoken = language(request.languages[0]).tag if request.languages else None
        about = About(asked.title or title, self._now, spoken, asked.author, asked.subject, asked.keywords)
        return FileForm(format_of(out), request.level, about, asked.tiff, (), request.password.get_secret_value())

    def _file_pages(self, first: MadePage[SourcePage], rest: Iterator[MadePage[SourcePage]]) -> Iterator[FilePage]:
        """Yield pages, with a bookmark at the first page of each of several files."""
        several = len(self._request.sources) > 1
        made: MadePage[SourcePage] | None = first
        while made is not None:
            is_first = made.item.number == 1 and made.item.half != "right"
            begins = made.item.file.stem if several and is_first else None
            yield made.page._replace(begins=begins)
            made = next(rest, None)


@contextmanager
def whole_or_not(file: Path) -> Iterator[BinaryIO]:
    """Open a temporary file that replaces `file` on success and is removed on failure. Raises OSError."""
    with tempfile.NamedTemporaryFile(dir=file.parent, prefix=".", suffix=".part", delete=False) as beside:
        try:
            yield cast(BinaryIO, beside)
            beside.flush()
            os.fsync(beside.fileno())
            Path(beside.name).chmod(0o644)
            Path(beside.name).replace(file)
        except BaseException:
            Path(beside.name).unlink(missing_ok=True)
            raise
