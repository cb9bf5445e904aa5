"""Many pages changed by one statement, however many they are."""

import json
from collections.abc import Callable, Collection, Mapping
from decimal import Decimal
from typing import Any

from sqlalchemy import text
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import set_committed_value

from papiermappe.core.order.places import Side
from papiermappe.store.models import Page

_WRITE_DOWN = text(
    "insert into journal_change (page_id, seq, before, after)"
    " select id, :seq, before, after"
    " from jsonb_to_recordset(cast(:rows as jsonb)) as r(id int, before jsonb, after jsonb)"
)
_SET = text(
    "update page set"
    " rank = coalesce((fields ->> 'rank')::numeric, rank),"
    " side = coalesce(fields ->> 'side', side),"
    " set_aside = coalesce((fields ->> 'set_aside')::boolean, set_aside),"
    " begins = case when fields ? 'begins' then fields ->> 'begins' else begins end,"
    " treatment = coalesce(fields -> 'treatment', treatment),"
    " accepted = coalesce(fields -> 'accepted', accepted),"
    " revision = :seq,"
    " content_revision = case when changed then :seq else content_revision end"
    " from jsonb_to_recordset(cast(:rows as jsonb)) as r(number int, fields jsonb, changed boolean)"
    " where page.id = number"
)

_MADE: dict[str, Callable[[Any], Any]] = {"rank": Decimal, "side": Side}


def write_down(session: Session, seq: int, changes: Mapping[int, tuple[Mapping[str, Any], Mapping[str, Any]]]) -> None:
    """Write down the fields of pages that an entry of the journal set: before and after, by page."""
    rows = [{"id": page, "before": before, "after": after} for page, (before, after) in changes.items()]
    session.execute(_WRITE_DOWN, {"seq": seq, "rows": json.dumps(rows)})


def set_pages(session: Session, seq: int, pages: Mapping[Page, Mapping[str, Any]], changed: Collection[int]) -> None:
    """Set fields of pages that are loaded.

    Args:
        session: of the transaction.
        seq: the change that this is.
        pages: the fields of each as JSON values, of `rank`, `side`, `set_aside`, `begins`, `accepted` and
            `treatment`; maybe none.
        changed: the pages that are others now, not only lie elsewhere.
    """
    session.flush()
    rows = [{"number": page.id, "fields": fields, "changed": page.id in changed} for page, fields in pages.items()]
    session.execute(_SET, {"seq": seq, "rows": json.dumps(rows)})
    for page, fields in pages.items():
        _follow(page, {**fields, "revision": seq, **({"content_revision": seq} if page.id in changed else {})})


def _follow(page: Page, fields: Mapping[str, Any]) -> None:
    """Have a loaded page show what has been set behind its back."""
    for name, value in fields.items():
        set_committed_value(page, name, _MADE[name](value) if name in _MADE else value)
