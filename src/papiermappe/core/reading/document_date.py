"""The day of a document: of all dates on its first page the one that it bears itself."""

import re
from collections.abc import Sequence
from datetime import date
from typing import NamedTuple

from papiermappe.core.reading.dates import DateFound, dates_in
from papiermappe.core.reading.layout import above, left_of
from papiermappe.core.reading.page_text import Line, PageText

UPPER_SHARE = 0.45  # of the page's height: a document's own date stands above this, as a rule
RUNNING_WORDS = 9  # a date within so long a line is spoken of
SHORT_WORDS = 6
CLOSE = 0.12  # two days whose scores are nearer than that leave it open
DOUBTFUL = 0.45

_OWN = re.compile(
    r"\b(?:(?:invoice|issue|document|letter|billing|statement|receipt|note|quotation|order|contract)\s+date|"
    r"date\s+of\s+(?:issue|invoice|this\s+\w+)|date|dated|issued(?:\s+on)?|"
    r"(?:rechnungs|beleg|ausstellungs|brief|angebots|auftrags|vertrags|lieferschein|erstellungs)?-?datum|vom|den)\W*$",
    re.I,
)
_OTHER = re.compile(
    r"due|pay(?:able|ment)|paid|fällig|zahl|deliver|liefer(?!schein)|leistung|order(?:ed)?\b(?!\s+date)|bestell|valid|gültig|period|"
    r"zeitraum|birth|geb(?:\.|oren)|since|seit|until|till|bis|by\b|next|meeting|sitzung|your|ihr|expir|abla|arriv|from|"
    r"until|between|beginn|start|end|termin|appointment|print|gedruckt|stand\b|revision|version",
    re.I,
)


class DayFound(NamedTuple):
    """A day, and what told it."""

    day: date
    confidence: float
    """0 to 1; from 0.5 it is sure."""
    line: str


def day_of(page: PageText) -> DayFound | None:
    """Return the day that a document bears, given its first page; None where there is none.

    A label before a date speaks for it or against it, and so does where it stands: in the upper part of the page, alone
    in its line or behind the name of a place, not within running text.
    """
    lines = list(page.lines())
    best: dict[date, DayFound] = {}
    for line in lines:
        for found in dates_in(line.text, page.languages):
            score = _score(found, line, lines, page)
            known = best.get(found.day)
            if known is None or score > known.confidence:
                best[found.day] = DayFound(found.day, score, line.text.strip())
    if not best:
        return None
    first, *others = sorted(best.values(), key=lambda one: -one.confidence)
    if others and first.confidence - others[0].confidence < CLOSE:
        return first._replace(confidence=min(first.confidence, DOUBTFUL))
    return first


def _score(found: DateFound, line: Line, lines: Sequence[Line], page: PageText) -> float:
    before, after = line.text[: found.start].strip(), line.text[found.end :].strip()
    label = before or _label_beside(line, lines)
    score = 0.35
    if _OTHER.search(_last_words(label)):
        score -= 0.5
    elif _OWN.search(label):
        score += 0.45
    elif not after and len(line.words) <= SHORT_WORDS and re.search(r"^[^\W\d]\D*,$", before):
        score += 0.4  # Hollerbeck, 28 November 2026
    elif not before and not after:
        score += 0.3
    if line.box.top < UPPER_SHARE * page.height_mm:
        score += 0.12
    if len(line.words) >= RUNNING_WORDS:
        score -= 0.3
    score = max(0.05, min(score, 0.97))
    return min(score, DOUBTFUL) if found.doubtful and not _OWN.search(label) else score - 0.25 * found.doubtful


def _label_beside(line: Line, lines: Sequence[Line]) -> str:
    """Return what stands to the left of a line, or else above it."""
    beside = left_of(line, lines) or above(line, lines)
    return beside.text.strip() if beside else ""


def _last_words(label: str) -> str:
    return " ".join(label.split()[-4:])
