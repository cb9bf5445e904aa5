"""Handing work to the queue, within the transaction that makes it necessary."""

from collections.abc import Sequence
from contextlib import suppress
from enum import StrEnum

from procrastinate import App, SyncPsycopgConnector
from procrastinate.exceptions import AlreadyEnqueued
from procrastinate.jobs import JobDeferrer
from procrastinate.types import JSONValue
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

# Never opened: each job goes through the connection of the session that hands it in.
_deferrer = App(connector=SyncPsycopgConnector())


def hand_in(session: Session, work: Work, **arguments: JSONValue) -> None:
    """Queue work; it is seen by the workers when the session's transaction is committed."""
    _task(session, work).defer(**arguments)


def read_soon(session: Session, mappe_id: int, not_again: Sequence[int] = ()) -> None:
    """Have the pages of a Mappe read when nothing else is to be done, unless that waits already.

    One Mappe is read at a time; pages that are `not_again` to be tried are left out.
    """
    with suppress(AlreadyEnqueued), session.begin_nested():
        task = _task(session, Work.READ_AHEAD, Work.READ_AHEAD.value, f"{Work.READ_AHEAD} {mappe_id}")
        task.defer(mappe_id=mappe_id, not_again=list(not_again))


def _task(session: Session, work: Work, lock: str | None = None, queueing_lock: str | None = None) -> JobDeferrer:
    return _deferrer.configure_task(
        work.value,
        queue=work.value,
        priority=_PRIORITY[work],
        connection=session.connection().connection.driver_connection,
        lock=lock,
        queueing_lock=queueing_lock,
    )
