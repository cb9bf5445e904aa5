"""Handing work to the queue, within the transaction that makes it necessary."""

from enum import StrEnum

from procrastinate import App, SyncPsycopgConnector
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


_PRIORITY = {
    Work.TAKE_IN: 30,
    Work.RENDER: 20,
    Work.LOOK_AT: 10,
    Work.TRY_LEVELS: 8,
    Work.FIND_UPRIGHT: 5,
    Work.FILE: 0,
}

# Never opened: each job goes through the connection of the session that hands it in.
_deferrer = App(connector=SyncPsycopgConnector())


def hand_in(session: Session, work: Work, **arguments: JSONValue) -> None:
    """Queue work; it is seen by the workers when the session's transaction is committed."""
    connection = session.connection().connection.driver_connection
    _deferrer.configure_task(work.value, queue=work.value, priority=_PRIORITY[work], connection=connection).defer(
        **arguments
    )
