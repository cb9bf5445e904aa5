"""Codes that count as dividers or give names, beside those that Papiermappe prints itself."""

from pydantic import BaseModel
from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from papiermappe.core.order.dividers import CodeRule
from papiermappe.services.caller import Caller
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import CodePattern

MOST_RULES = 30


class KeptRule(BaseModel):
    """A rule, and the number it is known by."""

    id: int
    rule: CodeRule


@transaction
def add_rule(_: Caller, session: Session, rule: CodeRule) -> int:
    """Keep a rule; return its number, that of an equal one where there is one. Raises NotPossible."""
    same = CodePattern.pattern == rule.pattern, CodePattern.use == rule.use
    of_format = CodePattern.format.is_(None) if rule.format is None else CodePattern.format == rule.format
    known = session.scalar(select(CodePattern.id).where(*same, of_format))
    if known is not None:
        return known
    if (session.scalar(select(func.count()).select_from(CodePattern)) or 0) >= MOST_RULES:
        raise NotPossible("too_many_code_rules", limit=MOST_RULES)
    kept = CodePattern(format=rule.format, pattern=rule.pattern, use=rule.use)
    session.add(kept)
    session.flush()
    return kept.id


@transaction
def remove_rule(_: Caller, session: Session, rule_id: int) -> None:
    """Forget a rule. Raises NotFound."""
    kept = session.get(CodePattern, rule_id)
    if kept is None:
        raise NotFound("code_rule_gone")
    session.delete(kept)


def list_rules(_: Caller, store: Store) -> list[KeptRule]:
    """Return all rules, the oldest first."""
    with store.begin() as session:
        return [KeptRule(id=row.id, rule=_rule(row)) for row in session.scalars(_in_order())]


def rules_in(session: Session) -> list[CodeRule]:
    """Return all rules within a transaction, the oldest first."""
    return [_rule(row) for row in session.scalars(_in_order())]


def _in_order() -> Select[CodePattern]:
    return select(CodePattern).order_by(CodePattern.id)


def _rule(row: CodePattern) -> CodeRule:
    return CodeRule(format=row.format, pattern=row.pattern, use=row.use)
