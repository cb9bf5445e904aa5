"""Dividers: what the codes on a page say about where a document begins, and what it is called.

Dividers and labels that Papiermappe prints carry a QR code with a URI of its own scheme. Other codes count where a
person has said so, by a pattern of their texts.
"""

from collections.abc import Iterable, Sequence
from enum import StrEnum
from typing import Annotated, NamedTuple
from urllib.parse import parse_qs, quote, urlsplit

from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.naming.names import MAX_SUBJECT, one_line
from papiermappe.core.order.codes import CodeFormat, PageCode
from papiermappe.core.wildcards import matches

SCHEME = "papiermappe"
MAX_PRINTED = 60  # letters of a name in a code: more make its squares too small to be read at 150 dpi


class CodeUse(StrEnum):
    """What a code does."""

    DIVIDER = "divider"
    """Its sheet only divides: it is set aside, and a document begins behind it."""
    BEGINS = "begins"
    """A document begins with its page, which stays; the code may name it."""
    NAMES = "names"
    """It names the document that its page belongs to; another text means another document."""


class CodeRule(BaseModel):
    """Codes that count, beside our own."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: CodeFormat | None = None
    """None: any."""
    pattern: Annotated[str, Field(min_length=1, max_length=120, pattern=r"^[^\x00-\x1f]+$")]
    """Of the whole text: * stands for any letters, ? for one."""
    use: CodeUse


class Meaning(NamedTuple):
    """What the codes of a page say."""

    use: CodeUse
    name: str
    """Of the document; empty where they give none."""


def divider_text(use: CodeUse, name: str = "") -> str:
    """Return what the code on a divider or a label says.

    >>> divider_text(CodeUse.DIVIDER, "Hail & frost")
    'papiermappe:divider?name=Hail%20%26%20frost'
    """
    given = one_line(name)[:MAX_PRINTED]
    spelled = "".join(letter if letter.isalnum() else quote(letter) for letter in given)
    return f"{SCHEME}:{use.value}" + (f"?name={spelled}" if given else "")


def meaning_of(codes: Iterable[PageCode], rules: Sequence[CodeRule] = ()) -> Meaning | None:
    """Return what the codes of a page say; None where none of them counts. Our own come first, then the first rule's.

    >>> codes = [PageCode(format=CodeFormat.CODE_128, text="K-2044")]
    >>> meaning_of(codes, [CodeRule(pattern="K-*", use=CodeUse.NAMES)])
    Meaning(use=<CodeUse.NAMES: 'names'>, name='K-2044')
    """
    known = list(codes)
    for code in known:
        if code.format is CodeFormat.QR and (own := _own_meaning(code.text)):
            return own
    for rule in rules:
        for code in known:
            if rule.format in {None, code.format} and matches(code.text, rule.pattern):
                return Meaning(rule.use, one_line(code.text)[:MAX_SUBJECT])
    return None


def _own_meaning(text: str) -> Meaning | None:
    """Return what a code of our own says; None of any other. Whatever its name holds is text, never a path."""
    try:
        parts = urlsplit(text)
        uses = {use.value: use for use in (CodeUse.DIVIDER, CodeUse.BEGINS)}
        if parts.scheme != SCHEME or parts.netloc or parts.path not in uses:
            return None
        names = parse_qs(parts.query, max_num_fields=4).get("name", [""])
    except ValueError:
        return None
    return Meaning(uses[parts.path], one_line(names[0])[:MAX_SUBJECT])
