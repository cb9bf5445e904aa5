"""Handing work to the queue, within the transaction that makes it necessary."""

from collections.abc import Sequence
from enum import StrEnum

from procrastinate import App, SyncPsycopgConnector
from procrastinate.jobs import JobDeferrer
from procrastinate.types import JSONValue
from sqlalchemy import text
from sqlalchemy.orm import Session


class Work(StrEnum):
    """The kinds of work, by the names under which workers know them."""

    TAKE_IN = "take_in"
    LOOK_AT = "look_at"
    FIND_UPRIGHT = "find_upright"
    RENDER = "render"
    TRY_LEVELS = "try_levels"
    FILE = "file"
    READ_AHEAD = "read_ahead"


_PRIORITY = {
    Work.TAKE_IN: 30,
    Work.RENDER: 20,
    Work.LOOK_AT: 10,
    Work.TRY_LEVELS: 8,
    Work.FIND_UPRIGHT: 5,
    Work.FILE: 0,
    Work.READ_AHEAD: -10,
}

READ_AFTER_S = 3  # pages that come or are changed one after the other are read together

# Never opened: each job goes through the connection of the session that hands it in.
_deferrer = App(connector=SyncPsycopgConnector())


_WAITS = text(
    "select exists (select from procrastinate_jobs"
    " where task_name = :task and status = 'todo' and (args ->> 'mappe_id')::bigint = :mappe_id)"
)


def hand_in(session: Session, work: Work, **arguments: JSONValue) -> None:
    """Queue work; it is seen by the workers when the session's transaction is committed."""
    _task(session, work).defer(**arguments)


def read_soon(session: Session, mappe_id: int, not_again: Sequence[int] = ()) -> None:
    """Have the pages of a Mappe read when nothing else is to be done, unless that waits already.

    One Mappe is read at a time; pages that are `not_again` to be tried are left out. The queue's own way to keep one
    waiting is not used: it would keep a job of a dead worker from being given back while another waits.
    """
    if not session.scalar(_WAITS, {"task": Work.READ_AHEAD.value, "mappe_id": mappe_id}):
        task = _task(session, Work.READ_AHEAD, lock=Work.READ_AHEAD.value, in_s=READ_AFTER_S)
        task.defer(mappe_id=mappe_id, not_again=list(not_again))


def _task(session: Session, work: Work, lock: str | None = None, in_s: int | None = None) -> JobDeferrer:
    return _deferrer.configure_task(
        work.value,
        queue=work.value,
        priority=_PRIORITY[work],
        connection=session.connection().connection.driver_connection,
        lock=lock,
        schedule_in={"seconds": in_s} if in_s else None,
    )
