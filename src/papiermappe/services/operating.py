"""Operations as windows send them: answered with what they show at once, before they hear all of it."""

from collections.abc import Sequence

from pydantic import BaseModel
from sqlalchemy.orm import Session

from papiermappe.core.operations import Operation
from papiermappe.services.caller import Caller
from papiermappe.services.journal import carry_out, places_of_entry
from papiermappe.services.pictures import PagePicture, Pictures, have_made
from papiermappe.services.places import PagePlace
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store


class Done(BaseModel):
    """What was done."""

    entry: int
    """Of the journal."""
    places: list[PagePlace]
    """Of the pages that have been moved."""
    pictures: list[PagePicture] = []
    """Of the pages that the window shows."""


def operate(
    caller: Caller, store: Store, mappe_id: int, operation: Operation, seen: int, shown: Sequence[Pictures]
) -> Done | None:
    """Carry out an operation, and have the pictures made that a window shows; return None where nothing would change.

    All in one transaction: what it sets off takes the time of both cores, and the answer would have to wait for that.

    Arguments and errors are those of `journal.apply_operation`; `shown` is what the window shows.
    """
    answer = _operate(caller, store, store.blobs, mappe_id, operation, seen, shown)
    return None if answer is None else Done.model_validate(answer)  # one that is remembered is a JSON value


@transaction
def _operate(
    caller: Caller,
    session: Session,
    blobs: Blobs,
    mappe_id: int,
    operation: Operation,
    seen: int,
    shown: Sequence[Pictures],
) -> Done | None:
    entry = carry_out(caller, session, mappe_id, operation, seen)
    if entry is None:
        return None
    places = places_of_entry(session, mappe_id, entry)
    return Done(entry=entry, places=places, pictures=have_made(session, blobs, mappe_id, shown))
