"""Enqueueing jobs, within the transaction that makes them necessary."""

from collections.abc import Sequence
from enum import StrEnum

from procrastinate import App, SyncPsycopgConnector
from procrastinate.jobs import JobDeferrer
from procrastinate.types import JSONValue
from sqlalchemy import text
from sqlalchemy.orm import Session


class JobKind(StrEnum):
    """The kinds of jobs, by the names under which workers know them. Each has a queue of its own."""

    RECEIVE = "receive"
    LOOK = "look"
    IMPORT = "import"
    RENDER = "render"
    RENDER_TOGETHER = "render_together"
    ANALYSE = "analyse"
    EXAMINE_FLATTENED = "examine_flattened"
    ESTIMATE_LEVELS = "estimate_levels"
    FIND_UPRIGHT = "find_upright"
    PAIR = "pair"
    ROUTINE = "routine"
    TRY_ROUTINE = "try_routine"
    PILE = "pile"
    COMPARE_RUN = "compare_run"
    MAKE = "make"
    DELIVER = "deliver"
    LEAF = "leaf"
    READ_AHEAD = "read_ahead"


_PRIORITY = {
    JobKind.RECEIVE: 30,
    JobKind.LOOK: 30,
    JobKind.RENDER: 24,
    JobKind.RENDER_TOGETHER: 22,
    JobKind.IMPORT: 15,
    JobKind.PILE: 12,
    JobKind.TRY_ROUTINE: 12,
    JobKind.ROUTINE: 11,
    JobKind.EXAMINE_FLATTENED: 18,
    JobKind.ANALYSE: 10,
    JobKind.ESTIMATE_LEVELS: 8,
    JobKind.PAIR: 8,
    JobKind.COMPARE_RUN: 7,
    JobKind.FIND_UPRIGHT: 5,
    JobKind.DELIVER: 2,
    JobKind.MAKE: 0,
    JobKind.LEAF: -5,
    JobKind.READ_AHEAD: -10,
}

READ_AFTER_S = 3  # pages that come or are changed one after the other are read together

# Never opened: each job goes through the connection of the session that enqueues it.
_deferrer = App(connector=SyncPsycopgConnector())


_WAITS = text(
    "select exists (select from procrastinate_jobs"
    " where task_name = :task and status = 'todo' and (args ->> 'mappe_id')::bigint = :mappe_id)"
)

_UNDER_WAY = text(
    "select exists (select from procrastinate_jobs"
    " where task_name = :task and status in ('todo', 'doing') and args ->> 'name' = :name)"
)

_DROP = text(
    "delete from procrastinate_jobs"
    " where task_name = :task and status = 'todo' and (args ->> 'mappe_id')::bigint = :mappe_id"
)


def enqueue(session: Session, kind: JobKind, **arguments: JSONValue) -> None:
    """Enqueue a job; workers see it when the session's transaction is committed."""
    _task(session, kind).defer(**arguments)


def enqueue_later(session: Session, kind: JobKind, in_s: float, **arguments: JSONValue) -> None:
    """Enqueue a job that is to begin after some time."""
    _task(session, kind, in_s=int(in_s)).defer(**arguments)


def drop_waiting(session: Session, kind: JobKind, mappe_id: int) -> None:
    """Forget the jobs of a kind on a Mappe that no worker has begun: another one takes their place."""
    session.execute(_DROP, {"task": kind.value, "mappe_id": mappe_id})


def read_soon(session: Session, mappe_id: int, excluded: Sequence[int] = ()) -> None:
    """Have the pages of a Mappe read when nothing else is to be done, unless that waits already.

    One Mappe is read at a time; pages that are `excluded` could not be read and are left out. The queue's own way to
    keep one waiting is not used: it would keep a job of a dead worker from being given back while another waits.
    """
    if not session.scalar(_WAITS, {"task": JobKind.READ_AHEAD.value, "mappe_id": mappe_id}):
        task = _task(session, JobKind.READ_AHEAD, lock=JobKind.READ_AHEAD.value, in_s=READ_AFTER_S)
        task.defer(mappe_id=mappe_id, excluded=list(excluded))


def is_under_way(session: Session, kind: JobKind, name: str) -> bool:
    """Whether a job of a kind with a name waits or is being done."""
    return bool(session.scalar(_UNDER_WAY, {"task": kind.value, "name": name}))


def live_job_ids(session: Session, kind: JobKind, argument: str) -> set[int]:
    """Return the values of an argument of all jobs of a kind that wait or are being done."""
    query = text(
        "select (args ->> :argument)::bigint from procrastinate_jobs"
        " where task_name = :task and status in ('todo', 'doing')"
    )
    return set(session.scalars(query, {"task": kind.value, "argument": argument}))


def _task(session: Session, kind: JobKind, lock: str | None = None, in_s: int | None = None) -> JobDeferrer:
    return _deferrer.configure_task(
        kind.value,
        queue=kind.value,
        priority=_PRIORITY[kind],
        connection=session.connection().connection.driver_connection,
        lock=lock,
        schedule_in={"seconds": in_s} if in_s else None,
    )
