"""Naming rules: kept under names, one of them the default, each with its counters."""

from datetime import UTC, datetime
from typing import NamedTuple

from pydantic import BaseModel
from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from papiermappe.core.naming import rule as naming
from papiermappe.services.caller import Caller
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.kept_names import KeptNames
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Destination, NamingCounter, NamingRule

NAMES = KeptNames(NamingRule, limit=40)


class KeptRule(BaseModel):
    """A rule under a name."""

    id: int
    name: str
    rule: naming.NamingRule
    is_default: bool


class RuleInUse(NamedTuple):
    """A rule, and whose counter its names count on."""

    id: int
    rule: naming.NamingRule


def list_rules(_: Caller, store: Store) -> list[KeptRule]:
    """Return all rules, the default one first, then in the order in which they were kept."""
    with store.begin() as session:
        there = select(NamingRule).where(NamingRule.removed_at.is_(None))
        rows = session.scalars(there.order_by(NamingRule.is_default.desc(), NamingRule.id)).all()
    return [KeptRule(id=row.id, name=row.name, rule=_rule(row), is_default=row.is_default) for row in rows]


@transaction
def keep_rule(_: Caller, session: Session, name: str, rule: naming.NamingRule) -> int:
    """Keep a rule under a new name; return its number. Raises NotPossible."""
    kept = NamingRule(name=NAMES.free(session, name), rule=rule.model_dump(mode="json"))
    session.add(kept)
    NAMES.flush(session, kept.name)
    return kept.id


@transaction
def change_rule(_: Caller, session: Session, rule_id: int, rule: naming.NamingRule) -> None:
    """Have a rule make names otherwise; its counters go on. Raises NotFound."""
    _locked_rule(session, rule_id).rule = rule.model_dump(mode="json")


@transaction
def rename_rule(_: Caller, session: Session, rule_id: int, name: str) -> None:
    """Give a rule another name. Raises NotFound, NotPossible."""
    kept = _locked_rule(session, rule_id)
    kept.name = NAMES.free(session, name, besides=rule_id)
    NAMES.flush(session, kept.name)


@transaction
def make_default(_: Caller, session: Session, rule_id: int) -> None:
    """Have a rule name what no other rule is chosen for. Raises NotFound."""
    kept = _locked_rule(session, rule_id)
    session.execute(update(NamingRule).where(NamingRule.is_default).values(is_default=False))
    session.flush()
    kept.is_default = True


@transaction
def remove_rule(_: Caller, session: Session, rule_id: int) -> None:
    """Remove a rule; destinations that had it take the default one. It can be taken back.

    Raises:
        NotFound: it is gone already.
        NotPossible: it is the default one.
    """
    kept = _locked_rule(session, rule_id)
    if kept.is_default:
        raise NotPossible("naming_rule_is_default", name=kept.name)
    kept.removed_at = datetime.now(UTC)
    having_it = update(Destination).where(Destination.naming_rule_id == rule_id)
    session.execute(having_it.values(naming_rule_id=None))


@transaction
def take_rule_back(_: Caller, session: Session, rule_id: int) -> None:
    """Take back a rule that was removed; where its name is taken by now, with a number. Raises NotFound."""
    kept = session.get(NamingRule, rule_id, with_for_update=True)
    if kept is None:
        raise NotFound("naming_rule_gone")
    if kept.removed_at is not None:
        kept.name, kept.removed_at = NAMES.numbered(session, kept.name), None


def rule_in_use(session: Session, rule_id: int | None, changed: naming.NamingRule | None = None) -> RuleInUse:
    """Return a rule, perhaps changed for this once; None: the default one. Raises NotFound."""
    there = select(NamingRule).where(NamingRule.removed_at.is_(None))
    kept = session.scalar(there.where(NamingRule.is_default if rule_id is None else NamingRule.id == rule_id))
    if kept is None:
        raise NotFound("naming_rule_gone")
    return RuleInUse(kept.id, changed or _rule(kept))


def take_count(session: Session, rule_id: int, counted: str) -> int:
    """Take the next number. A concurrent caller waits until this transaction ends, then gets the number after it."""
    first = insert(NamingCounter).values(rule_id=rule_id, counted=counted, next_number=2)
    after_that = {"next_number": NamingCounter.next_number + 1}
    taken = first.on_conflict_do_update(index_elements=["rule_id", "counted"], set_=after_that)
    return (session.scalar(taken.returning(NamingCounter.next_number)) or 2) - 1


def next_count(session: Session, rule_id: int, counted: str) -> int:
    """Return the number that the next caller would get."""
    counter = NamingCounter.rule_id == rule_id, NamingCounter.counted == counted
    return session.scalar(select(func.max(NamingCounter.next_number)).where(*counter)) or 1


def _rule(row: NamingRule) -> naming.NamingRule:
    return naming.NamingRule.model_validate(row.rule)


def _locked_rule(session: Session, rule_id: int) -> NamingRule:
    kept = session.get(NamingRule, rule_id, with_for_update=True)
    if kept is None or kept.removed_at is not None:
        raise NotFound("naming_rule_gone")
    return kept
