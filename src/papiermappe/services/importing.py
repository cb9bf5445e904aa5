"""Bringing in files: announced, received piece by piece, left out, opened with a password, given up.

What has come whole is read by `reading_files`.
"""

from collections.abc import Sequence
from pathlib import Path, PurePosixPath
from typing import NamedTuple

import structlog
from natsort import natsorted, ns
from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from papiermappe.core.naming.names import one_line
from papiermappe.core.order.landing import BacksOrder
from papiermappe.devices.files import MAX_BYTES
from papiermappe.message import Message
from papiermappe.services import runs
from papiermappe.services.caller import MACHINE, Caller, locked_mappe, visible_mappe
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.landing import backs_of
from papiermappe.services.mappen import open_within
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.incoming import Incoming
from papiermappe.store.models import Capture, FileState, IncomingFile, Run, RunOrigin, RunState
from papiermappe.store.queue import JobKind, enqueue

log = structlog.get_logger()

MAX_NAME = 180
MAX_FILES = 2000
SILENT_S = 900.0
"""A file of which nothing has come for so long does not come any more."""


class Announced(NamedTuple):
    """A file that is to come."""

    name: str
    byte_size: int


class FileView(BaseModel):
    """A file that is brought in, as windows show it."""

    id: int
    name: str
    byte_size: int
    state: FileState
    pages: int
    """How many of its pages are in."""
    message: Message | None


class FromFiles(NamedTuple):
    """What the pages of files are."""

    both_sides: bool = False
    """Fronts and backs in turn; else each page is the front of a sheet."""
    backs_of: int | None = None
    """The run whose backs they are."""
    order: BacksOrder = BacksOrder.AS_LAID


FRONTS = FromFiles()


@transaction
def start_import(
    caller: Caller, session: Session, mappe_id: int, files: Sequence[Announced], what: FromFiles = FRONTS
) -> int:
    """Begin a run that brings files into a Mappe; return it.

    Raises:
        NotFound: there is no such Mappe, or no such run to bring backs to.
        NotPossible: too many files or one too large, a run is live, no front is there.
    """
    return _start(caller, session, mappe_id, files, what)


@transaction
def start_imports(caller: Caller, session: Session, files: Sequence[Announced], both_sides: bool = False) -> list[int]:
    """Begin a run in a new Mappe for each file, named after it; return the runs. Raises NotPossible."""
    return [
        _start(caller, session, open_within(session, Path(file.name).stem), [file], FromFiles(both_sides))
        for file in files
    ]


def _start(caller: Caller, session: Session, mappe_id: int, files: Sequence[Announced], what: FromFiles) -> int:
    if not 1 <= len(files) <= MAX_FILES:
        raise NotPossible("files_count", limit=MAX_FILES)
    for file in files:
        must_not_be_too_large(file)
    mappe = locked_mappe(caller, session, mappe_id)
    landing = None
    if what.backs_of is not None:
        fronts = session.get(Run, what.backs_of)
        if fronts is None or fronts.mappe_id != mappe_id:
            raise NotFound("run_gone")
        landing = backs_of(session, fronts, what.order).model_dump(mode="json")
    run = Run(origin=RunOrigin.FILES, author=caller.author, landing=landing)
    runs.begin(session, mappe, run)
    names: set[str] = set()
    for number, file in enumerate(natsorted(files, key=lambda file: file.name, alg=ns.IGNORECASE), 1):
        name = _free_name(clean_name(file.name), names)
        names.add(name)
        coming = FileState.COMING if file.byte_size else FileState.WAITING
        both = what.both_sides and landing is None
        session.add(
            IncomingFile(
                run_id=run.id, number=number, name=name, byte_size=file.byte_size, both_sides=both, state=coming
            )
        )
    session.flush()
    enqueue(session, JobKind.IMPORT, run_id=run.id)
    return run.id


def must_not_be_too_large(file: Announced) -> None:
    """Check the size of a file that is to come. Raises NotPossible."""
    if file.byte_size > MAX_BYTES:
        raise NotPossible("file_too_large", file=clean_name(file.name), limit_gb=MAX_BYTES >> 30)


def clean_name(name: str) -> str:
    """Return a name without folders, control characters and what is beyond a sensible length."""
    last = PurePosixPath(name.replace("\\", "/")).name
    cleaned = one_line(last).strip(". ")
    stem, suffix = Path(cleaned).stem, Path(cleaned).suffix[:12]
    return f"{stem[: MAX_NAME - len(suffix)]}{suffix}" or "file"


def _free_name(name: str, taken: set[str]) -> str:
    number, free = 1, name
    while free in taken:
        number += 1
        free = f"{Path(name).stem} ({number}){Path(name).suffix}"
    return free


def files_of(caller: Caller, store: Store, run_id: int) -> list[FileView]:
    """Return the files of a run. Raises NotFound."""
    with store.begin() as session:
        run = session.get(Run, run_id)
        if run is None:
            raise NotFound("run_gone")
        visible_mappe(caller, session, run.mappe_id)
        counted = select(Capture.file_name, func.count()).where(Capture.run_id == run_id).group_by(Capture.file_name)
        pages = {row[0]: row[1] for row in session.execute(counted)}
        files = session.scalars(select(IncomingFile).where(IncomingFile.run_id == run_id).order_by(IncomingFile.number))
        return [
            file_view(
                file,
                pages.get(file.name, 0),
                file.state if run.state.live or file.state.over else FileState.CANCELLED,
            )
            for file in files
        ]


def file_view(file: IncomingFile, pages: int, state: FileState) -> FileView:
    """Return a file as windows show it, of which so many pages are in."""
    message = Message.model_validate(file.message) if file.message else None
    return FileView(id=file.id, name=file.name, byte_size=file.byte_size, state=state, pages=pages, message=message)


def receive_part(caller: Caller, store: Store, incoming: Incoming, file_id: int, at: int, data: bytes) -> int:
    """Take a part of a file; return how many bytes of it are here, which is where the next part begins.

    A part that is here already, or that does not join what is here, is left: what is returned says where to go on.

    Raises:
        NotFound: there is no such file.
        NotPossible: it is not expected any more, or larger than was said.
        DiskFull: there is no room.
    """
    file = _expected(caller, store, file_id)
    if file.state is not FileState.COMING:
        return file.byte_size
    here = incoming.received(file_id)
    if data and at == here:
        if here + len(data) > file.byte_size:
            raise NotPossible("file_grew", file=file.name)
        incoming.put(file_id, at, data)
        here += len(data)
    if here == file.byte_size:
        incoming.flush(file_id)
        all_here(MACHINE, store, file_id)
    return here


def _expected(caller: Caller, store: Store, file_id: int) -> IncomingFile:
    with store.begin() as session:
        file, run = file_of(session, file_id)
        visible_mappe(caller, session, run.mappe_id)
        if not run.state.live or file.state in {FileState.FAILED, FileState.CANCELLED}:
            raise NotPossible("file_not_expected", file=file.name)
        return file


@transaction
def all_here(caller: Caller, session: Session, file_id: int) -> None:
    """Have a file read of which all has come. Raises NotFound."""
    file, run = locked_file(caller, session, file_id)
    if file.state is FileState.COMING:
        file.state = FileState.WAITING
        enqueue(session, JobKind.IMPORT, run_id=run.id)


@transaction
def cancel_file(caller: Caller, session: Session, file_id: int) -> None:
    """Leave a file out; pages of it that are in stay. Raises NotFound."""
    file, run = locked_file(caller, session, file_id)
    if not file.state.over:
        file.state, file.password = FileState.CANCELLED, None
        enqueue(session, JobKind.IMPORT, run_id=run.id)


@transaction
def give_password(caller: Caller, session: Session, file_id: int, password: str) -> None:
    """Try a locked file with a password. Raises NotFound, NotPossible."""
    file, run = locked_file(caller, session, file_id)
    if file.state is not FileState.LOCKED:
        raise NotPossible("file_not_locked", file=file.name)
    file.state, file.password = FileState.WAITING, password
    enqueue(session, JobKind.IMPORT, run_id=run.id)


def sweep(store: Store, incoming: Incoming) -> int:
    """End imports that have fallen silent, and remove files that are not needed; return how many were removed."""
    there = incoming.all()  # before the rows are read: a file that is there has its row already
    with store.begin() as session:
        live = select(IncomingFile.id, IncomingFile.asked_at, IncomingFile.state).join(
            Run, Run.id == IncomingFile.run_id
        )
        rows = session.execute(live.where(Run.state == RunState.RECEIVING)).all()
        now = session.scalar(select(func.now()))
    for row in rows:
        if row.state is FileState.COMING and now is not None:
            path = incoming.path_of(row.id)
            last_s = max(row.asked_at.timestamp(), path.stat().st_mtime if path.exists() else 0.0)
            if now.timestamp() - last_s > SILENT_S:
                _give_up(MACHINE, store, row.id)
    needed = {row.id for row in rows if not row.state.over}
    unneeded = [file_id for file_id in there if file_id not in needed]
    for file_id in unneeded:
        incoming.remove(file_id)
    return len(unneeded)


@transaction
def _give_up(caller: Caller, session: Session, file_id: int) -> None:
    """Leave out a file that does not come."""
    file, run = locked_file(caller, session, file_id)
    if file.state is FileState.COMING and run.state.live:
        file.state = FileState.FAILED
        file.message = Message(code="file_did_not_come", params={"file": file.name}).model_dump(mode="json")
        enqueue(session, JobKind.IMPORT, run_id=run.id)


def file_of(session: Session, file_id: int) -> tuple[IncomingFile, Run]:
    """Return a file and its run. Raises NotFound."""
    file = session.get(IncomingFile, file_id)
    if file is None:
        raise NotFound("file_gone")
    return file, session.get_one(Run, file.run_id)


def locked_file(caller: Caller, session: Session, file_id: int) -> tuple[IncomingFile, Run]:
    """Return a file and its run, both kept for this transaction. Raises NotFound."""
    run_id = session.scalar(select(IncomingFile.run_id).where(IncomingFile.id == file_id))
    if run_id is None:
        raise NotFound("file_gone")
    run, _ = runs.locked_run(caller, session, run_id)
    return session.get_one(IncomingFile, file_id, populate_existing=True), run
