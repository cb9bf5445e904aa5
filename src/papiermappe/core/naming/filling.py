"""Making names by a rule."""

import re
import unicodedata
from collections.abc import Sequence
from datetime import date
from itertools import groupby
from typing import NamedTuple

from anyascii import anyascii
from pathvalidate import Platform, sanitize_filename

from papiermappe.core.naming.names import MAX_BYTES, spelled_plainly
from papiermappe.core.naming.rule import (
    CounterPart,
    DateForm,
    DatePart,
    DateSource,
    Letters,
    NamePart,
    NamingRule,
    PatternPart,
    PlacePart,
    Restarts,
    TextPart,
)
from papiermappe.core.wildcards import matches

NOTHING = "papers"
_ENDING_BYTES = 20  # left free for ".pdf", and for a number that tells a name from one that is taken
_MOST_LETTERS = 300  # of one part: more than fits in any name
_FORMS = {DateForm.DAY: "%Y-%m-%d", DateForm.DIGITS: "%Y%m%d", DateForm.MONTH: "%Y-%m", DateForm.YEAR: "%Y"}
_FORBIDDEN = re.compile(r'[<>:"/\\|?*]')
_SHORTENED = frozenset({"subject", "sender", "place", "pattern", "device", "ticket", "who", "text", "kind"})


class PlacedWord(NamedTuple):
    """A word of a page, and where its middle lies, in mm from the page's top left."""

    text: str
    x_mm: float
    y_mm: float


class NameFacts(NamedTuple):
    """What names are made of; empty or None where it is not known."""

    today: date
    scanned: date | None = None
    printed: date | None = None
    subject: str = ""
    sender: str = ""
    number: str = ""
    kind: str = ""
    device: str = ""
    ticket: str = ""
    who: str = ""
    words: Sequence[PlacedWord] = ()
    """Of the first page, in the order of reading."""


class FilledName(NamedTuple):
    """A name."""

    folders: tuple[str, ...]
    """From the outermost."""
    stem: str
    """Of the file, without its ending."""
    parts: tuple[str, ...]
    """What each part of the rule gives, as it is spelled, uncut; empty where nothing is known."""

    @property
    def path(self) -> str:
        """With its folders, a slash between them."""
        return "/".join((*self.folders, self.stem))


def counter_period(counter: CounterPart, today: date) -> str:
    """Return what a counter counts within: empty, a year as in 2026, or a month as in 2026-11."""
    return {Restarts.NEVER: "", Restarts.YEARLY: f"{today:%Y}", Restarts.MONTHLY: f"{today:%Y-%m}"}[counter.restarts]


def texts_of(rule: NamingRule, facts: NameFacts) -> tuple[str, ...]:
    """Return what each part of a rule gives, as words; empty where nothing is known, and where a counter counts.

    Where no subject is known, the kind and the number of the document stand for it, unless the rule has them anyway.
    """
    known = facts if facts.subject else facts._replace(subject=_title(rule, facts))
    return tuple(_text(part, known)[:_MOST_LETTERS] for part in rule.parts)


def name_of(rule: NamingRule, texts: Sequence[str], count: int, again: int = 0) -> FilledName:
    """Return the name that a rule makes.

    Parts of which nothing is known are left out with their separator, and so are folders without a name; a file of
    which nothing is known is called "papers". Too long a name loses whole words from its longest part; days and numbers
    are never cut. Every file system takes the result, whatever the texts are.

    Args:
        rule: how it is made.
        texts: what its parts give.
        count: what its counter shows.
        again: how many files of that name there are already, where no counter tells them apart.

    >>> from papiermappe.core.naming.rule import SIMPLE_RULE
    >>> texts = texts_of(SIMPLE_RULE, NameFacts(date(2026, 11, 24), subject="Lease Upper Meadow"))
    >>> name_of(SIMPLE_RULE, texts, 42).stem
    '2026-11-24_lease-upper-meadow_0042'
    """
    counted = [
        f"{count:0{part.width}d}" if isinstance(part, CounterPart) else text
        for part, text in zip(rule.parts, texts, strict=True)
    ]
    cleaned = [_cleaned(rule, part, text) for part, text in zip(rule.parts, counted, strict=True)]
    names: list[str] = []
    for is_end, group in groupby(zip(rule.parts, cleaned, strict=True), key=lambda pair: pair[0].kind == "folder"):
        if not is_end:
            names.append(_joined(rule, [(part, text) for part, text in group if text]))
    *folders, stem = names
    numbered = f"{stem or NOTHING}{rule.separator}{again + 1}" if again else stem or NOTHING
    return FilledName(tuple(filter(None, folders)), numbered, tuple(cleaned))


def _title(rule: NamingRule, facts: NameFacts) -> str:
    """Return what stands for the subject of a document whose kind is known."""
    has = {part.kind for part in rule.parts}
    title = [text for kind, text in (("kind", facts.kind), ("number", facts.number)) if text and kind not in has]
    return " ".join(title) if facts.kind else ""


def _text(part: NamePart, facts: NameFacts) -> str:
    match part:
        case DatePart():
            days = {DateSource.TODAY: facts.today, DateSource.SCANNED: facts.scanned, DateSource.PRINTED: facts.printed}
            return (days[part.source] or facts.today).strftime(_FORMS[part.form])
        case TextPart():
            return part.text
        case PlacePart():
            return " ".join(word.text for word in facts.words if _lies_in(part, word))
        case PatternPart():
            bare = (word.text.strip(".,;:()") for word in facts.words)
            return next((text for text in bare if matches(text, part.pattern)), "")
        case _:
            known = {
                "subject": facts.subject,
                "sender": facts.sender,
                "number": facts.number,
                "kind": facts.kind,
                "device": facts.device,
                "ticket": facts.ticket,
                "who": facts.who,
            }
            return known.get(part.kind, "")


def _lies_in(place: PlacePart, word: PlacedWord) -> bool:
    across = place.x_mm <= word.x_mm <= place.x_mm + place.width_mm
    return across and place.y_mm <= word.y_mm <= place.y_mm + place.height_mm


def _cleaned(rule: NamingRule, part: NamePart, text: str) -> str:
    """Return a text as part of a name: words joined by hyphens, or by spaces where the rule separates by these."""
    between = " " if rule.separator == " " else "-"
    if isinstance(part, DatePart | CounterPart):
        return text  # their hyphens stand where they are meant to
    return _words(rule, text, between)


def _words(rule: NamingRule, text: str, between: str) -> str:
    composed = unicodedata.normalize("NFC", text)
    if rule.small:
        composed = composed.lower()
    if rule.letters is Letters.PLAIN:
        spelled = anyascii(spelled_plainly(composed))
        return re.sub(r"[^A-Za-z0-9]+", between, spelled.lower() if rule.small else spelled).strip(between)
    printable = "".join(" " if unicodedata.category(letter)[0] in "CZ" else letter for letter in composed)
    return re.sub(r"\s+", between, _FORBIDDEN.sub(" ", printable)).strip(" .-_")


def _joined(rule: NamingRule, parts: list[tuple[NamePart, str]]) -> str:
    """Return the name of a folder or a file, within the limits."""
    texts = [text for _, text in parts]
    while _is_too_long(rule, name := rule.separator.join(filter(None, texts))):
        cuttable = [at for at, (part, _) in enumerate(parts) if part.kind in _SHORTENED and len(texts[at]) > 1]
        if not cuttable:
            name = _within(name, rule.max_characters)
            break
        longest = max(cuttable, key=lambda at: len(texts[at]))
        texts[longest] = _shortened(texts[longest])
    return sanitize_filename(name, platform=Platform.UNIVERSAL).strip(" .") if name else ""


def _is_too_long(rule: NamingRule, name: str) -> bool:
    return len(name) > rule.max_characters or len(name.encode()) > MAX_BYTES - _ENDING_BYTES


def _within(name: str, characters: int) -> str:
    return name[:characters].encode()[: MAX_BYTES - _ENDING_BYTES].decode(errors="ignore")


def _shortened(text: str) -> str:
    """Return a text without its last word; a single word without its last letter."""
    last = max(text.rfind("-"), text.rfind(" "))
    return text[:last].rstrip("- ") if last > 0 else text[:-1]
