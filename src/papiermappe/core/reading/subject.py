"""What a document is about: its subject line, whether it says that it is one or not."""

import re
from typing import NamedTuple

from papiermappe.core.reading.dates import dates_in
from papiermappe.core.reading.kinds import kind_named
from papiermappe.core.reading.layout import below, right_of
from papiermappe.core.reading.letters import before_salutation, headings, letterhead, subject_line
from papiermappe.core.reading.page_text import Line, PageText
from papiermappe.core.reading.sender import recipient_of

UNDER_TITLE_MM = 16.0
WORDS = range(2, 13)
_OF_TABLE = re.compile(
    r"\b(?:pos|item|no|nr|description|bezeichnung|article|artikel|quantity|qty|menge|anzahl|unit|einheit|price|preis|"
    r"einzelpreis|amount|betrag|total|gesamt|summe|date|datum|tax|mwst|vat|ust)\b",
    re.I,
)


class SubjectFound(NamedTuple):
    """What a document is about, and what told it."""

    subject: str
    confidence: float
    """0 to 1; from 0.5 it is sure."""
    line: str


def subject_of(page: PageText) -> SubjectFound | None:
    """Return what a document is about, given its first page; None where nothing tells.

    A line that says so, the line above a salutation, the line right below the title of an invoice, or else the largest
    heading: not the title itself, nor what names sender and recipient.
    """
    lines = list(page.lines())
    for line in lines:
        if said := subject_line(line.text):
            return SubjectFound(said, 0.95, line.text.strip())
    if before := before_salutation(page):
        return SubjectFound(before, 0.85, before)
    if under := _under_title(lines, page):
        return SubjectFound(under, 0.7, under)
    persons = recipient_of(page) | letterhead(page)
    others = [heading for heading in headings(page) if heading not in persons and _says_something(heading)]
    return SubjectFound(others[0], 0.45, others[0]) if others else None


def _says_something(heading: str) -> bool:
    """Whether a heading is more than the word for the kind, or than what was read into a picture."""
    return kind_named(heading) is None and re.search(r"[^\W\d_]{4,}", heading) is not None


def _under_title(lines: list[Line], page: PageText) -> str:
    """Return the line below the word for the kind that stands alone in its row; empty where none does."""
    for title in lines:
        if kind_named(title.text.strip()) is None or len(title.words) > 3:
            continue
        under = below(title, lines, UNDER_TITLE_MM)
        if under is None or right_of(under, lines) is not None or len(under.words) not in WORDS:
            continue
        text = under.text.strip()
        if (
            len(_OF_TABLE.findall(text)) < 2
            and not text.endswith((":", "."))
            and not dates_in(text, page.languages)
            and not any(map(str.isdigit, text))
        ):
            return text
    return ""
