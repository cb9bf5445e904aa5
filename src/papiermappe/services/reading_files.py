"""Files that have come in are read into captures, in their order, whatever dies in between."""

from collections.abc import Sequence
from dataclasses import replace
from functools import partial

import structlog
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.photo_sheet import NearCorners
from papiermappe.devices.errors import FileRefused
from papiermappe.devices.file_reader import FileReader, ReaderLimits
from papiermappe.devices.files import FilePicture, HowToRead
from papiermappe.errors import PictureRefused
from papiermappe.message import Message
from papiermappe.services import keeping, runs
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.changes import run_changed
from papiermappe.services.errors import RunHeld
from papiermappe.services.importing import file_of, locked_file
from papiermappe.services.keeping import FilePlace
from papiermappe.services.patience import patiently
from papiermappe.services.transaction import transaction
from papiermappe.store.database import AdvisoryLock, Store
from papiermappe.store.incoming import Incoming
from papiermappe.store.models import Capture, FileState, IncomingFile, Run, RunOrigin, RunState

log = structlog.get_logger()

LOCK_PURPOSE = 2
LOCK_PATIENCE_S = 2.0


def import_files(store: Store, incoming: Incoming, run_id: int, max_px: int = DEFAULT_LIMIT_PX) -> None:
    """Read the files of a run that are here, in their order, and end the run when there is none to come.

    Raises:
        RunHeld: another worker is at it; try again.
        DatabaseGone: the database stayed away.
    """
    with store.advisory_lock(LOCK_PURPOSE, run_id) as lock:
        if not lock.wait(LOCK_PATIENCE_S):
            raise RunHeld("run_held")
        with FileReader(ReaderLimits(page_px=max_px)) as reader:
            while (file := patiently(partial(_next_file, store, run_id))) is not None:
                if not _read(store, incoming, reader, run_id, file, lock):
                    return
        patiently(partial(_end_if_over, MACHINE, store, run_id))


def _next_file(store: Store, run_id: int) -> IncomingFile | None:
    """Return the file to be read next; None where the next in order is still to come, or all are over.

    Pictures of a camera are read as they come: a person waits for each, and one may be long on its way.
    """
    with store.begin() as session:
        run = session.get(Run, run_id)
        if run is None or not run.state.live:
            return None
        awaited = [FileState.WAITING] if run.origin is RunOrigin.CAMERA else [FileState.COMING, FileState.WAITING]
        pending = select(IncomingFile).where(IncomingFile.run_id == run_id, IncomingFile.state.in_(awaited))
        file = session.scalar(pending.order_by(IncomingFile.number).limit(1))
        return file if file is not None and file.state is FileState.WAITING else None


def _read(
    store: Store, incoming: Incoming, reader: FileReader, run_id: int, file: IncomingFile, lock: AdvisoryLock
) -> bool:
    """Read a file into captures; return whether the run goes on."""
    first, is_photo = patiently(partial(_so_far, store, run_id, file.name))
    # The reader names files by what they are called, not by where they lie.
    how = HowToRead(first=first, password=file.password, as_photos=is_photo, near=_near(file))
    try:
        guessed: list[FilePicture] = []
        for number, picture in enumerate(reader.pages(incoming.path_of(file.id), how), first + 1):
            guessed += [replace(picture, data=b"")] if picture.is_dpi_guessed else []
            if not patiently(lock.hold) or not patiently(partial(_is_wanted, store, file.id)):
                return patiently(lock.hold)
            patiently(partial(keeping.keep_capture, store, run_id, FilePlace(file.name, number), picture))
    except (FileRefused, PictureRefused) as exc:
        locked = isinstance(exc, FileRefused) and exc.message.code == "file_locked" and file.folder_id is None
        params = {**exc.message.params, "file": file.name}
        message = Message(code=exc.message.code, params=params)
        log.info("file left out", action="file.refused", run_id=run_id, cause=exc.message.code)
        state = FileState.LOCKED if locked else FileState.FAILED
        patiently(partial(_end_file, MACHINE, store, file.id, state, message))
    else:
        patiently(partial(_end_file, MACHINE, store, file.id, FileState.DONE, _of_guessed(guessed)))
        incoming.remove(file.id)
    return True


def _near(file: IncomingFile) -> NearCorners | None:
    if file.near is None:
        return None
    first, second, third, fourth = ((float(x), float(y)) for x, y in file.near)
    return first, second, third, fourth


def _of_guessed(pictures: Sequence[FilePicture]) -> Message | None:
    """Return what is said of pages whose resolution is a likely one; None if there are none."""
    if not pictures:
        return None
    code = "photo_scaled" if all(picture.by_camera for picture in pictures) else "resolution_guessed"
    dpi = sorted({round(picture.dpi) for picture in pictures})
    return Message(code=code, params={"count": len(pictures), "dpi": dpi})


def _so_far(store: Store, run_id: int, name: str) -> tuple[int, bool]:
    """Return how many pages of a file are in, and whether a camera took it."""
    with store.begin() as session:
        counted = select(func.count()).where(Capture.run_id == run_id, Capture.file_name == name)
        return session.scalar(counted) or 0, session.get_one(Run, run_id).origin is RunOrigin.CAMERA


def _is_wanted(store: Store, file_id: int) -> bool:
    with store.begin() as session:
        file, run = file_of(session, file_id)
        return run.state.live and file.state is FileState.WAITING


@transaction
def _end_file(caller: Caller, session: Session, file_id: int, state: FileState, message: Message | None) -> None:
    file, run = locked_file(caller, session, file_id)
    if file.state is FileState.WAITING:
        file.state, file.password = state, None
        file.message = message.model_dump(mode="json") if message else None
        run_changed(session, locked_mappe(MACHINE, session, run.mappe_id), run)


@transaction
def _end_if_over(caller: Caller, session: Session, run_id: int) -> None:
    """End a run of which all files are over; say which were left out. One of a camera goes on until it is stopped."""
    run, mappe = runs.locked_run(caller, session, run_id)
    files = session.scalars(
        select(IncomingFile).where(IncomingFile.run_id == run_id).order_by(IncomingFile.number)
    ).all()
    goes_on = run.origin is RunOrigin.CAMERA and not run.stop_requested
    if goes_on or not run.state.live or not all(file.state.over for file in files):
        return
    causes = [file.message for file in files if file.state is FileState.FAILED and file.message]
    message = Message(code="files_left_out", params={"causes": causes[:3], "count": len(causes)}) if causes else None
    runs.end_locked(session, mappe, run, RunState.DONE, message)
