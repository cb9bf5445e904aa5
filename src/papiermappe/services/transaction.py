"""Services as transactions, and commands that are done once however often they are sent."""

from collections.abc import Callable
from functools import wraps
from typing import Concatenate, ParamSpec, TypeVar

from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from papiermappe.services.caller import Caller
from papiermappe.store.database import Store
from papiermappe.store.models import Receipt

P = ParamSpec("P")
R = TypeVar("R")

_ANSWER: TypeAdapter[object] = TypeAdapter(object)


def transaction(
    function: Callable[Concatenate[Caller, Session, P], R],
) -> Callable[Concatenate[Caller, Store, P], R]:
    """Make a function of a session one transaction on a store; a deadlock is tried again.

    A caller that names a request gets the answer of the first time, if it has been sent before: the receipt is written
    in the same transaction, so either both are there or neither. What is answered then is a JSON value.
    """

    @wraps(function)
    def in_transaction(caller: Caller, store: Store, /, *args: P.args, **kwargs: P.kwargs) -> R:
        def once(session: Session) -> R:
            if caller.request_id is None:
                return function(caller, session, *args, **kwargs)
            taken = insert(Receipt).values(request_id=caller.request_id).on_conflict_do_nothing()
            if session.execute(taken.returning(Receipt.request_id)).first() is None:
                known = session.scalar(select(Receipt.answer).where(Receipt.request_id == caller.request_id))
                return known["answer"] if known else None  # type: ignore[return-value]  # as it was answered before
            answer = function(caller, session, *args, **kwargs)
            session.get_one(Receipt, caller.request_id).answer = {"answer": _ANSWER.dump_python(answer, mode="json")}
            return answer

        return store.run(once)

    return in_transaction


def number_answered(caller: Caller, store: Store) -> int | None:
    """Return the number that a command was answered with when it came before; None if it did not.

    For commands that ask a device before their transaction: it may have gone since.
    """
    if caller.request_id is None:
        return None
    with store.begin() as session:
        known = session.scalar(select(Receipt.answer).where(Receipt.request_id == caller.request_id))
    return int(known["answer"]) if known else None
