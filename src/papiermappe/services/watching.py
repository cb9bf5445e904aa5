"""Folders that are watched: each file that is dropped there becomes a run in a new Mappe, exactly once.

What is taken in is told by its path, size and time, which a row keeps: a worker that dies at any point finds at its
next look what it has begun. The file itself stays in the folder until its pages are captures.
"""

import os
import shutil
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

import structlog
from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from papiermappe.devices.drop_folder import DropFolder, FoundFile, is_as_seen, put_away
from papiermappe.devices.model import Sides, TicketSettings
from papiermappe.message import Message
from papiermappe.services import runs
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.importing import all_here
from papiermappe.services.mappen import open_within
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store, notify_intake
from papiermappe.store.incoming import Incoming
from papiermappe.store.models import FileState, IncomingFile, Run, RunOrigin, RunState, Ticket, WatchedFolder

log = structlog.get_logger()

LOCK_PURPOSE = 3
MAX_PATH = 500


class FolderView(NamedTuple):
    """A folder that is watched."""

    id: int
    path: str
    both_sides: bool
    is_there: bool


@transaction
def watch_folder(_: Caller, session: Session, typed: str, roots: list[str], both_sides: bool = False) -> int:
    """Watch a folder; return it.

    Args:
        caller: who asks.
        session: of the transaction.
        typed: its path; one that is relative lies in the first of the roots, and is made there.
        roots: the folders below which a folder may be watched.
        both_sides: whether pages are fronts and backs in turn.

    Raises:
        NotPossible: it is not a folder that can be written to, lies elsewhere, or is watched already.
    """
    folder = _folder(typed.strip(), [Path(root) for root in roots])
    there = WatchedFolder(path=str(folder), both_sides=both_sides)
    session.add(there)
    try:
        session.flush()
    except IntegrityError as exc:
        raise NotPossible("folder_watched", path=str(folder)) from exc
    notify_intake(session)
    return there.id


def _folder(typed: str, roots: list[Path]) -> Path:
    if not typed or len(typed) > MAX_PATH or "\0" in typed:
        raise NotPossible("watch_refused", path=typed[:60])
    folder = (roots[0] / typed).resolve()
    if not any(folder.is_relative_to(root.resolve()) for root in roots):
        raise NotPossible("folder_elsewhere", path=str(folder), roots=[str(root) for root in roots])
    try:
        if not Path(typed).is_absolute():
            folder.mkdir(parents=True, exist_ok=True)
        usable = folder.is_dir() and os.access(folder, os.R_OK | os.W_OK | os.X_OK)
    except OSError:
        usable = False
    if not usable:
        raise NotPossible("watch_refused", path=str(folder))
    return folder


def list_folders(_: Caller, store: Store) -> list[FolderView]:
    """Return the folders that are watched."""
    with store.begin() as session:
        watched = select(WatchedFolder).where(WatchedFolder.removed_at.is_(None)).order_by(WatchedFolder.id)
        rows = session.scalars(watched).all()
    return [FolderView(row.id, row.path, row.both_sides, Path(row.path).is_dir()) for row in rows]


@transaction
def stop_watching(_: Caller, session: Session, folder_id: int) -> None:
    """Watch a folder no more; what lies in it stays there. Raises NotFound."""
    folder = session.get(WatchedFolder, folder_id, with_for_update=True)
    if folder is None or folder.removed_at is not None:
        raise NotFound("folder_gone")
    folder.removed_at = datetime.now(UTC)
    notify_intake(session)


class Watcher:
    """Looks at all watched folders and takes in what is new.

    Args:
        store: rows and files.
        incoming: where files are kept until they are captures.
        say: puts the reasons into words that are written beside what failed.
    """

    def __init__(self, store: Store, incoming: Incoming, say: Callable[[Message], str]) -> None:
        self._store = store
        self._incoming = incoming
        self._say = say
        self._seen: dict[int, DropFolder] = {}

    def look(self, now_s: float) -> list[Path]:
        """Look at all folders once; return those that are there.

        Args:
            now_s: any clock that only goes forwards.
        """
        folders = list_folders(MACHINE, self._store)
        self._seen = {folder.id: self._seen.get(folder.id) or DropFolder(Path(folder.path)) for folder in folders}
        there = []
        for folder in folders:
            with self._store.advisory_lock(LOCK_PURPOSE, folder.id) as lock:
                if not lock.hold():
                    continue  # another worker is at it
                try:
                    whole = self._seen[folder.id].whole(now_s)
                except OSError as exc:
                    log.info("a watched folder is not there", action="folder.gone", folder_id=folder.id, cause=str(exc))
                    continue
                there.append(Path(folder.path))
                self._take(folder, whole)
        return there

    def _take(self, folder: FolderView, whole: list[FoundFile]) -> None:
        known = self._known(folder.id, whole)
        for file in whole:
            try:
                row = known.get(file)
                if row is None:
                    self._take_in(folder, file)
                elif row.state is FileState.COMING:
                    self._copy(folder, file, row.id)
                elif row.state.over or row.state is FileState.LOCKED:
                    put_away(Path(folder.path), file, self._why(row))
            except OSError as exc:  # a full disk, a folder that may not be written to: the next look tries again
                log.warning("a dropped file waits", action="folder.wait", folder_id=folder.id, cause=str(exc))

    def _known(self, folder_id: int, whole: list[FoundFile]) -> Mapping[FoundFile, IncomingFile]:
        with self._store.begin() as session:
            paths = [file.path for file in whole]
            here = IncomingFile.folder_id == folder_id, IncomingFile.source_path.in_(paths)
            rows = session.scalars(select(IncomingFile).where(*here)).all()
        return {FoundFile(row.source_path or "", row.byte_size, row.source_mtime_ns or 0): row for row in rows}

    def _take_in(self, folder: FolderView, file: FoundFile) -> None:
        if is_as_seen(Path(folder.path), file):
            file_id = _note(MACHINE, self._store, folder.id, file, folder.both_sides)
            self._copy(folder, file, file_id)

    def _copy(self, folder: FolderView, file: FoundFile, file_id: int) -> None:
        """Copy a file; where it has changed meanwhile, it is left out, and what it is now is another file."""
        with (Path(folder.path) / file.path).open("rb") as source, self._incoming.write(file_id) as target:
            shutil.copyfileobj(source, target, 1 << 20)
        if is_as_seen(Path(folder.path), file) and self._incoming.received(file_id) == file.byte_size:
            self._incoming.flush(file_id)
            all_here(MACHINE, self._store, file_id)
        else:
            _left_out(MACHINE, self._store, file_id)

    def _why(self, row: IncomingFile) -> str | None:
        if row.state is FileState.DONE:
            return None
        message = Message.model_validate(row.message) if row.message else Message(code="file_unreadable_now")
        return self._say(message)


@transaction
def _note(caller: Caller, session: Session, folder_id: int, file: FoundFile, both_sides: bool) -> int:
    """Record that a file is being taken in: a run of its own in a new Mappe, with the ticket of its sub-folder."""
    name = Path(file.path).name[:180]
    mappe_id = open_within(session, Path(name).stem)
    ticket = _ticket_of(session, Path(file.path))
    run = Run(origin=RunOrigin.FOLDER, ticket=ticket.model_dump(mode="json") if ticket else None)
    runs.begin(session, locked_mappe(caller, session, mappe_id), run)
    row = IncomingFile(
        run_id=run.id,
        number=1,
        name=name,
        byte_size=file.byte_size,
        both_sides=both_sides or (ticket is not None and ticket.sides is Sides.BOTH),
        state=FileState.COMING,
        folder_id=folder_id,
        source_path=file.path,
        source_mtime_ns=file.mtime_ns,
    )
    session.add(row)
    session.flush()
    return row.id


def _ticket_of(session: Session, path: Path) -> TicketSettings | None:
    """Return the settings of the ticket after which the first sub-folder of a path is called, if there is one."""
    if len(path.parts) < 2:
        return None
    called = Ticket.removed_at.is_(None), func.lower(Ticket.name) == path.parts[0].lower()
    settings = session.scalar(select(Ticket.settings).where(*called).order_by(Ticket.id).limit(1))
    return TicketSettings.model_validate(settings) if settings else None


@transaction
def _left_out(caller: Caller, session: Session, file_id: int) -> None:
    row = session.get_one(IncomingFile, file_id)
    run, mappe = runs.locked_run(caller, session, row.run_id)
    row.state = FileState.CANCELLED
    runs.end_locked(session, mappe, run, RunState.STOPPED, None)
