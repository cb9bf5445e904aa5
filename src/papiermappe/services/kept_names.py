"""Names that people keep things under: each there once, until what it names has been removed."""

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from papiermappe.core.naming.names import one_line
from papiermappe.services.errors import NotPossible
from papiermappe.store.models import Destination, NamingRule, Routine, Ticket


@dataclass(frozen=True)
class KeptNames:
    """The names of one kind of things.

    Args:
        model: their table, whose unique index on names is `uq_`, the table's name, and `_name`.
        limit: the most letters that a name may have.
    """

    model: type[Destination | NamingRule | Routine | Ticket]
    limit: int

    def free(self, session: Session, name: str, besides: int | None = None) -> str:
        """Return a name that a person has typed, cleaned. Raises NotPossible where it is none, or is taken.

        Args:
            session: of the transaction.
            name: as typed.
            besides: what may have it already.
        """
        cleaned = one_line(name)
        if not 0 < len(cleaned) <= self.limit:
            raise NotPossible(f"{self._kind}_name_length", limit=self.limit)
        if self._holder(session, cleaned) not in {None, besides}:
            raise NotPossible(f"{self._kind}_name_taken", name=cleaned)
        return cleaned

    def numbered(self, session: Session, name: str) -> str:
        """Return a name, with a number behind it where it is taken."""
        number, numbered = 1, name[: self.limit]
        while self._holder(session, numbered) is not None:
            number += 1
            ending = f" {number}"
            numbered = name[: self.limit - len(ending)] + ending
        return numbered

    def flush(self, session: Session, name: str) -> None:
        """Write; two people who take one name at once are told apart by PostgreSQL. Raises NotPossible."""
        try:
            session.flush()
        except IntegrityError as exc:
            if f"uq_{self._kind}_name" in str(getattr(getattr(exc.orig, "diag", None), "constraint_name", "")):
                raise NotPossible(f"{self._kind}_name_taken", name=name) from exc
            raise

    @property
    def _kind(self) -> str:
        return self.model.__tablename__

    def _holder(self, session: Session, name: str) -> int | None:
        return session.scalar(select(self.model.id).where(self.model.name == name, self.model.removed_at.is_(None)))
