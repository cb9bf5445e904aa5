"""Naming what is made by a rule from a file."""

import os
from datetime import date
from pathlib import Path
from uuid import uuid4

from pydantic import ValidationError

from papiermappe.assembly.errors import NamingRuleRefused
from papiermappe.core.naming.filling import name_of, texts_of
from papiermappe.core.naming.rule import NamingRule
from papiermappe.core.reading.name_facts import name_facts, placed_words
from papiermappe.core.reading.page_text import PageText
from papiermappe.core.reading.proposals import proposals_of

MOST_BYTES = 100_000


def rule_in(file: Path) -> NamingRule:
    """Return the rule that a file holds, as JSON.

    Raises:
        NamingRuleRefused: it holds none.
        OSError: it cannot be read.
    """
    with file.open("rb") as opened:
        content = opened.read(MOST_BYTES)
    try:
        return NamingRule.model_validate_json(content)
    except ValidationError as exc:
        error = exc.errors()[0]
        where = ".".join(map(str, error["loc"]))
        raise NamingRuleRefused("naming_rule_refused", file=str(file), where=where, reason=error["msg"]) from exc


def hidden(out: Path) -> Path:
    """Return where a document lies until its name is known: nothing that is there is ever written over."""
    return out.with_name(f".{uuid4().hex}{out.suffix}")


def named(file: Path, rule: NamingRule, subject: str, otherwise: str, first: PageText | None, today: date) -> Path:
    """Give a document the first name of a rule that is free in its folder; counters begin at 1.

    Args:
        file: the document.
        rule: how it is named.
        subject: what it is about; empty: as its first page says.
        otherwise: what stands for it where the page does not say either.
        first: what its first page says; None where it was not read.
        today: the day for names.

    Returns:
        Where it lies now.

    Raises:
        OSError: it cannot be given a name.
    """
    said = proposals_of(first) if first else None
    facts = name_facts(today, subject, said, placed_words(first) if first else ())
    texts = texts_of(rule, facts if facts.subject else facts._replace(subject=otherwise))
    number = 0
    while True:
        number += 1
        name = name_of(rule, texts, number, 0 if rule.counter else number - 1)
        target = file.parent.joinpath(*name.folders, name.stem + file.suffix)
        target.parent.mkdir(parents=True, exist_ok=True)
        if _given(file, target):
            return target


def _given(file: Path, target: Path) -> bool:
    """Move a file unless something has its new name; return whether it was moved."""
    try:
        os.link(file, target)
    except FileExistsError:
        return False
    except OSError:  # FAT and some network folders have no links
        if target.exists():
            return False
        file.replace(target)
        return True
    file.unlink()
    return True
