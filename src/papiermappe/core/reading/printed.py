"""What is printed on a page that tells its place and its day: page numbers and dates."""

import re
from collections.abc import Iterable, Iterator
from datetime import date
from enum import StrEnum
from itertools import islice
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.naming.names import MAX_SUBJECT
from papiermappe.core.reading.dates import dates_on
from papiermappe.core.reading.letters import closes_a_letter, opens_a_document, title_of
from papiermappe.core.reading.page_text import BoxMm, PageText
from papiermappe.core.reading.proposal import Proposals
from papiermappe.core.reading.proposals import proposals_of
from papiermappe.core.reading.spoken import language_of

EDGE_SHARE = 0.12  # of the page's height: page numbers stand within this of the top or the bottom
HIGHEST_NUMBER = 9999
MAX_DATES = 5
HEAD_SHARE = 0.2
LONG_LINE = 9  # a line of so many words at the top of a page is not of its head, but of its text
MAX_WORDS = 30
RUNNING_WORDS = 5  # shorter lines are heads, feet, cells of tables
SENTENCE_ENDS = frozenset(".!?:;…")

_WORDS = (
    r"page|pg|sheet|seite|blatt|bl|pagina|página|sida|side|sivu|strana|stránka|oldal|lehekülg|puslapis|lappuse|p|s|f"
)
_NAMED = re.compile(
    rf"\b(?:{_WORDS})\b\.?\s*(?:no\.?|nr\.?)?\s*(\d{{1,4}})(?:\s*(?:of|von|de|di|van|av|af|z|/)\s*(\d{{1,4}}))?\b", re.I
)
_OF = re.compile(r"^\W*(\d{1,4})\s*(?:of|von|de|di|van|av|af|z|/)\s*(\d{1,4})\W*$", re.I)
_ALONE = re.compile(r"^[\W_]*(\d{1,4})[\W_]*$")
_AT_ENDS = re.compile(r"^(\d{1,4})\s+\D|\D\s+(\d{1,4})$")

_LETTERS = re.compile(r"[^\W\d_]{3,}")


class NumberKind(StrEnum):
    """How a page number is printed; the sooner, the surer."""

    NAMED = "named"
    """Page 3, 3 of 12."""
    ALONE = "alone"
    """Nothing else stands in its line."""
    AT_END = "at_end"
    """It begins or ends a line, as running heads do."""


class _Value(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class PageNumber(_Value):
    """What may be the number of a page."""

    number: Annotated[int, Field(ge=0, le=HIGHEST_NUMBER)]
    of: Annotated[int, Field(ge=1, le=HIGHEST_NUMBER)] | None = None
    kind: NumberKind


class Printed(_Value):
    """What is printed on one page."""

    numbers: tuple[PageNumber, ...] = ()
    """All that may be its number: which one is, only the other pages tell."""
    dates: tuple[date, ...] = ()
    """In the order of reading, each once."""
    begins_within: bool | None = None
    """Whether its text begins in the middle of a sentence; None where there are no lines of text."""
    ends_within: bool | None = None
    """Whether its text breaks off in the middle of a sentence."""
    title: Annotated[str, Field(max_length=MAX_SUBJECT)] = ""
    """Its subject line or its largest heading; empty where it has none."""
    head: tuple[str, ...] = ()
    """The words at its top, in small letters: a letterhead, a running head."""
    foot: tuple[str, ...] = ()
    """The words at its bottom."""
    language: str | None = None
    """That its words are of, as ISO 639-2; None where they are few, or of no language that is known here."""
    words: int | None = None
    """How many it has; None where only its head and foot have been read."""
    opens: bool = False
    """Whether it has what letters and forms begin with: a salutation, a subject line, the number of an invoice."""
    closes: bool = False
    """Whether it has what letters end with."""
    proposals: Proposals | None = None
    """What it says of the document that it begins; None where nothing tells, or only its head and foot
    have been read."""


def printed_on(page: PageText) -> Printed:
    """Return what is printed on a page that tells its place, its day and its document."""
    rims = printed_on_rims(page)
    texts = [text for line in page.lines() if (text := line.text.strip())]
    running = [text for text in texts if len(text.split()) >= RUNNING_WORDS]
    return rims.model_copy(
        update={
            "dates": tuple(dict.fromkeys(dates_on(page)))[:MAX_DATES],
            "begins_within": running[0].lstrip("-\u2013\u2014\u201c\"'(")[:1].islower() if running else None,
            "ends_within": running[-1].rstrip("”\"')»")[-1:] not in SENTENCE_ENDS if running else None,
            "title": title_of(page),
            "language": language_of(texts),
            "words": sum(len(line.words) for line in page.lines()),
            "opens": any(map(opens_a_document, texts)),
            "closes": any(map(closes_a_letter, texts)),
            "proposals": proposals_of(page),
        }
    )


def printed_on_rims(page: PageText) -> Printed:
    """Return what stands at the top and the bottom of a page, of which the rest may not have been read."""
    head, foot = HEAD_SHARE * page.height_mm, (1 - EDGE_SHARE) * page.height_mm
    lines = list(page.lines())
    return Printed(
        numbers=tuple(_numbers(page)),
        head=_words(line.text for line in lines if line.box.bottom < head and len(line.words) < LONG_LINE),
        foot=_words(line.text for line in lines if line.box.top > foot),
    )


def _words(texts: Iterable[str]) -> tuple[str, ...]:
    found = (word for text in texts for word in _LETTERS.findall(text.casefold()))
    return tuple(islice(dict.fromkeys(found), MAX_WORDS))


def _numbers(page: PageText) -> Iterator[PageNumber]:
    for line in page.lines():
        if _is_at_edge(line.box, page.height_mm):
            yield from _numbers_in(line.text.strip())


def _is_at_edge(box: BoxMm, height_mm: float) -> bool:
    middle = (box.top + box.bottom) / 2
    return not EDGE_SHARE * height_mm < middle < (1 - EDGE_SHARE) * height_mm


def _numbers_in(line: str) -> Iterator[PageNumber]:
    named = _NAMED.search(line) or _OF.search(line)
    if named:
        number, of = int(named[1]), int(named[2]) if named[2] else None
        if of is None or 1 <= number <= of:
            yield PageNumber(number=number, of=of, kind=NumberKind.NAMED)
    elif alone := _ALONE.search(line):
        yield PageNumber(number=int(alone[1]), kind=NumberKind.ALONE)
    else:
        for found in _AT_ENDS.finditer(line):
            yield PageNumber(number=int(found[1] or found[2]), kind=NumberKind.AT_END)
