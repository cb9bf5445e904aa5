"""Naming rules: keeping, changing, naming, removing."""

from fastapi import APIRouter
from pydantic import BaseModel, Field

from papiermappe.core.naming.rule import NamingRule
from papiermappe.services import naming_rules
from papiermappe.services.naming_rules import KeptRule
from papiermappe.web.author import Asks
from papiermappe.web.context import Ctx, Id

router = APIRouter(prefix="/naming-rules")


class Name(BaseModel):
    """What a rule is called."""

    name: str = Field(min_length=1, max_length=300)


class NewRule(Name):
    """A rule to be kept under a name."""

    rule: NamingRule


@router.get("")
def list_rules(ctx: Ctx, caller: Asks) -> list[KeptRule]:
    """Return all rules, the default one first."""
    return naming_rules.list_rules(caller, ctx.store)


@router.post("")
def keep(ctx: Ctx, caller: Asks, command: NewRule) -> int:
    """Keep a rule under a new name."""
    return naming_rules.keep_rule(caller, ctx.store, command.name, command.rule)


@router.post("/{rule_id}/rule")
def change(ctx: Ctx, caller: Asks, rule_id: Id, rule: NamingRule) -> None:
    """Have a rule make names otherwise."""
    naming_rules.change_rule(caller, ctx.store, rule_id, rule)


@router.post("/{rule_id}/name")
def rename(ctx: Ctx, caller: Asks, rule_id: Id, command: Name) -> None:
    """Call a rule something else."""
    naming_rules.rename_rule(caller, ctx.store, rule_id, command.name)


@router.post("/{rule_id}/default")
def make_default(ctx: Ctx, caller: Asks, rule_id: Id) -> None:
    """Have a rule name what no other rule is chosen for."""
    naming_rules.make_default(caller, ctx.store, rule_id)


@router.post("/{rule_id}/remove")
def remove(ctx: Ctx, caller: Asks, rule_id: Id) -> None:
    """Remove a rule."""
    naming_rules.remove_rule(caller, ctx.store, rule_id)


@router.post("/{rule_id}/take-back")
def take_back(ctx: Ctx, caller: Asks, rule_id: Id) -> None:
    """Take back a rule that was removed."""
    naming_rules.take_rule_back(caller, ctx.store, rule_id)
