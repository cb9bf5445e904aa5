"""Dividers to print, and the codes that count as such."""

from enum import StrEnum
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel

from papiermappe.core.order.dividers import CodeRule
from papiermappe.making.divider_sheets import MAX_DIVIDERS, SheetWords, divider_sheets, label_sheets
from papiermappe.services import code_rules, destinations, tickets
from papiermappe.services.code_rules import KeptRule
from papiermappe.services.errors import NotPossible
from papiermappe.services.mappen import list_targets
from papiermappe.web.author import Asks
from papiermappe.web.context import Ctx, Id
from papiermappe.words.marks import N_

router = APIRouter()

TITLE = N_("Divider")
EXPLANATION = N_("A new document begins behind this sheet.")
MAX_TEXT = 20_000


class DividerKind(StrEnum):
    """What is printed."""

    SHEETS = "sheets"
    LABELS = "labels"


@router.get("/dividers.pdf", response_class=Response)
def dividers(
    ctx: Ctx,
    names: Annotated[str, Query(max_length=MAX_TEXT)] = "",
    kind: DividerKind = DividerKind.SHEETS,
    copies: Annotated[int, Query(ge=1, le=MAX_DIVIDERS)] = 1,
) -> Response:
    """Return a PDF of dividers: one for each line of `names`, so many times; without names they bear none."""
    lines = [line.strip() for line in names.splitlines() if line.strip()] or [""]
    if len(lines) * copies > MAX_DIVIDERS:
        raise NotPossible("too_many_dividers", limit=MAX_DIVIDERS)
    wanted = [line for line in lines for _ in range(copies)]
    if kind is DividerKind.LABELS:
        made = label_sheets(wanted)
    else:
        made = divider_sheets(wanted, SheetWords(ctx.words.gettext(TITLE), ctx.words.gettext(EXPLANATION)))
    headers = {"Content-Disposition": f'inline; filename="papiermappe-{kind.value}.pdf"'}
    return Response(made, media_type="application/pdf", headers=headers)


class KnownNames(BaseModel):
    """Names that dividers can bear."""

    tickets: list[str]
    destinations: list[str]
    mappen: list[str]
    """Subjects of open ones."""


@router.get("/divider-names")
def known_names(ctx: Ctx, caller: Asks) -> KnownNames:
    """Return names that are in use on this desk."""
    return KnownNames(
        tickets=[ticket.name for ticket in tickets.list_tickets(caller, ctx.store)],
        destinations=destinations.names_of_places(caller, ctx.store),
        mappen=[mappe.subject for mappe in list_targets(caller, ctx.store) if mappe.subject],
    )


@router.get("/code-rules")
def rules(ctx: Ctx, caller: Asks) -> list[KeptRule]:
    """Return the codes that count, beside those on our own dividers."""
    return code_rules.list_rules(caller, ctx.store)


@router.post("/code-rules")
def add(ctx: Ctx, caller: Asks, rule: CodeRule) -> int:
    """Have more codes count; answer with the number of the rule."""
    return code_rules.add_rule(caller, ctx.store, rule)


@router.post("/code-rules/{rule_id}/remove")
def remove(ctx: Ctx, caller: Asks, rule_id: Id) -> None:
    """Have them count no more."""
    code_rules.remove_rule(caller, ctx.store, rule_id)
