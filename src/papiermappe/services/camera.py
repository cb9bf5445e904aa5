"""Pictures that a camera takes one at a time: each is expected, sent in parts, and read as soon as it is here.

The first picture begins a run, which goes on until somebody ends it or nothing more comes.
"""

from pathlib import Path

from sqlalchemy import ColumnElement, exists, func, or_, select
from sqlalchemy.orm import Session

from papiermappe.core.photo_sheet import NearCorners
from papiermappe.services import runs
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.errors import NotFound
from papiermappe.services.importing import SILENT_S, Announced, clean_name, must_not_be_too_large
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import FileState, IncomingFile, Mappe, Page, PhoneLink, Run, RunOrigin, RunState
from papiermappe.store.queue import JobKind, enqueue


@transaction
def expect_picture(
    caller: Caller,
    session: Session,
    mappe_id: int,
    picture: Announced,
    again: int | None = None,
    again_file: int | None = None,
    near: NearCorners | None = None,
    phone_link_id: int | None = None,
) -> int:
    """Expect a picture for a Mappe; return the file as which it is received.

    Args:
        caller: who takes it.
        session: of the transaction.
        mappe_id: that its page goes into.
        picture: its name and size.
        again: the page that is taken again; None: it becomes a page of its own, behind the others.
        again_file: the picture that is taken again, which may not be a page yet.
        near: about where the sheet is on it, where that was seen before it was taken.
        phone_link_id: the link of the phone that sends it; None: it comes from the camera of a desk.

    Raises:
        NotFound: there is no such Mappe, or no such page in it.
        NotPossible: it is too large, or another run is live.
    """
    must_not_be_too_large(picture)
    mappe = locked_mappe(caller, session, mappe_id)
    if again is not None and session.scalar(select(Page.mappe_id).where(Page.id == again)) != mappe_id:
        raise NotFound("page_gone")
    if again_file is not None and not _is_in(session, mappe_id, again_file):
        raise NotFound("page_gone")
    run = _live(session, mappe_id, phone_link_id) or _begun(caller, session, mappe, phone_link_id)
    number = (session.scalar(select(func.max(IncomingFile.number)).where(IncomingFile.run_id == run.id)) or 0) + 1
    named = Path(clean_name(picture.name))
    file = IncomingFile(
        run_id=run.id,
        number=number,
        name=f"{named.stem} ({number}){named.suffix}",  # cameras call every picture the same
        byte_size=picture.byte_size,
        state=FileState.COMING if picture.byte_size else FileState.WAITING,
        again_page_id=again,
        again_file_id=again_file,
        near=near and [list(corner) for corner in near],
    )
    session.add(file)
    session.flush()
    if file.state is FileState.WAITING:
        enqueue(session, JobKind.IMPORT, run_id=run.id)
    return file.id


@transaction
def end_pictures(caller: Caller, session: Session, mappe_id: int, *, open_book: bool = False) -> None:
    """End the run of a desk's camera, once what is here has been read; there may be none.

    Args:
        caller: who ends it.
        session: of the transaction.
        mappe_id: of the run.
        open_book: whether its pictures show two pages each, which are to be split.

    Raises:
        NotFound: there is no such Mappe.
    """
    locked_mappe(caller, session, mappe_id)
    end_within(caller, session, mappe_id, None, open_book=open_book)


def end_within(
    caller: Caller, session: Session, mappe_id: int, phone_link_id: int | None, *, open_book: bool = False
) -> None:
    """End the run of a camera, or of the phone of a link, in a locked Mappe; there may be none."""
    run = _live(session, mappe_id, phone_link_id)
    if run is not None:
        run.open_book = open_book
        runs.stop_within(caller, session, run.id)


def _is_in(session: Session, mappe_id: int, file_id: int) -> bool:
    """Return whether a file came, or comes, with a camera's run of a Mappe."""
    of_camera = exists().where(
        IncomingFile.id == file_id,
        Run.id == IncomingFile.run_id,
        Run.mappe_id == mappe_id,
        Run.origin == RunOrigin.CAMERA,
    )
    return bool(session.scalar(select(of_camera)))


def _live(session: Session, mappe_id: int, phone_link_id: int | None) -> Run | None:
    """Return the run that pictures of this camera come in; None if it has none that goes on."""
    of_camera = Run.phone_link_id.is_(None) if phone_link_id is None else Run.phone_link_id == phone_link_id
    return session.scalar(select(Run).where(_going_on(), Run.mappe_id == mappe_id, of_camera))


def _going_on() -> ColumnElement[bool]:
    """Of a run: whether it takes more pictures. A camera's run never waits: it receives until it ends."""
    return (Run.origin == RunOrigin.CAMERA) & (Run.state == RunState.RECEIVING) & ~Run.stop_requested


def _begun(caller: Caller, session: Session, mappe: Mappe, phone_link_id: int | None) -> Run:
    run = Run(origin=RunOrigin.CAMERA, author=caller.author, phone_link_id=phone_link_id)
    runs.begin(session, mappe, run)
    return run


def end_silent(store: Store) -> int:
    """End the runs of cameras that have sent nothing for long, or whose phone's link is over; return how many."""
    asked = select(func.max(IncomingFile.asked_at)).where(IncomingFile.run_id == Run.id).scalar_subquery()
    silent = func.coalesce(asked, Run.started_at) < func.now() - func.make_interval(0, 0, 0, 0, 0, 0, SILENT_S)
    awaited = exists().where(
        IncomingFile.run_id == Run.id, IncomingFile.state.in_([FileState.COMING, FileState.WAITING])
    )
    link_over = exists().where(
        PhoneLink.id == Run.phone_link_id, or_(PhoneLink.closed_at.is_not(None), PhoneLink.expires_at < func.now())
    )
    with store.begin() as session:
        silenced = session.scalars(select(Run.id).where(_going_on(), or_(silent & ~awaited, link_over))).all()
    for run_id in silenced:
        runs.stop(MACHINE, store, run_id)
    return len(silenced)
