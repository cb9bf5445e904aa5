"""Numbers for file names: each given out once, whoever asks."""

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from papiermappe.store.models import NamingRule

RULE = "date, subject, number"


def next_number(session: Session) -> int:
    """Return the number that would come next, without taking it."""
    return session.scalar(select(NamingRule.next_number).where(NamingRule.name == RULE)) or 1


def take_number(session: Session) -> int:
    """Take the next number. Who asks at the same time waits until this transaction ends, then gets the one after."""
    taken: int | None = session.scalar(
        update(NamingRule)
        .where(NamingRule.name == RULE)
        .values(next_number=NamingRule.next_number + 1)
        .returning(NamingRule.next_number)
    )
    if taken is None:
        session.add(NamingRule(name=RULE, next_number=2))
        session.flush()
        return 1
    return taken - 1
