"""Numbers for file names: each given out once, whoever asks."""

from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from papiermappe.store.models import NamingRule

RULE = "date, subject, number"


def take_number(session: Session) -> int:
    """Take the next number. A concurrent caller waits until this transaction ends, then gets the number after it."""
    first = insert(NamingRule).values(name=RULE, next_number=2)
    after_that = {"next_number": NamingRule.next_number + 1}
    taken = first.on_conflict_do_update(index_elements=["name"], set_=after_that).returning(NamingRule.next_number)
    return (session.scalar(taken) or 2) - 1
