"""The number of a document: of an invoice its own, of a letter its reference."""

import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from papiermappe.core.reading.dates import dates_in
from papiermappe.core.reading.kinds import DocumentKind
from papiermappe.core.reading.layout import below, right_of
from papiermappe.core.reading.page_text import Line, PageText

SEARCHED_SHARE = 0.7  # of the page's height
POORLY_READ = 0.6
LONGEST = 30

_NO = r"(?:no|nr|number|nummer|num|id|#|№)\b\.?"
_OWN: dict[DocumentKind, str] = {
    DocumentKind.INVOICE: rf"(?:invoice|bill|inv\.?)\s*[-/]?\s*{_NO}|(?:rechnungs?|beleg)[\s-]*{_NO}|rechnungsnr\.?",
    DocumentKind.CREDIT_NOTE: rf"credit note\s*{_NO}|gutschrifts?[\s-]*{_NO}",
    DocumentKind.DELIVERY_NOTE: rf"(?:delivery|packing)\s+(?:note|slip|list)\s*{_NO}|lieferschein[\s-]*{_NO}",
    DocumentKind.ORDER_CONFIRMATION: rf"(?:order|confirmation)\s*{_NO}|auftrags[\s-]*{_NO}",
    DocumentKind.ORDER: rf"(?:purchase )?order\s*{_NO}|bestell[\s-]*{_NO}|auftrags[\s-]*{_NO}",
    DocumentKind.QUOTATION: rf"(?:quotation|quote|offer)\s*{_NO}|angebots?[\s-]*{_NO}",
    DocumentKind.REMINDER: rf"reminder\s*{_NO}|mahnungs?[\s-]*{_NO}",
    DocumentKind.LEASE: rf"(?:lease|contract)\s*{_NO}|(?:pacht)?vertrags?[\s-]*{_NO}",
    DocumentKind.CONTRACT: rf"(?:contract|agreement)\s*{_NO}|vertrags?[\s-]*{_NO}",
    DocumentKind.RECEIPT: rf"receipt\s*{_NO}|(?:beleg|quittungs?|bon)[\s-]*{_NO}",
    DocumentKind.STATEMENT: rf"statement\s*{_NO}|auszugs?[\s-]*{_NO}",
}
_GENERAL = (
    rf"(?:our|document|doc|file)\s*(?:ref(?:erence)?\b\.?|{_NO})|reference(?:\s*{_NO})?|ref\b\.?(?:\s*{_NO})?|unser(?:e)?\s+zeichen|"
    rf"aktenzeichen|az\b\.?|geschäftszeichen|vorgangs?[\s-]*{_NO}|dokument(?:en)?[\s-]*{_NO}"
)
_LESSER = rf"(?:order|contract|case|policy)\s*{_NO}|(?:auftrags|bestell|vertrags)[\s-]*{_NO}"
_FOREIGN = re.compile(
    r"\b(?:your|ihre?|customer|kunden|vat|ust|tax|steuer|iban|account|konto|phone|tel|fax|hrb|company reg)", re.I
)
_TOKEN = re.compile(r"(?P<number>(?:[A-Z]{1,6}[\s-])?[A-Za-z]{0,6}[-/.]?\d[\w/.\-]*)")
_WORD_AND_NUMBER = {
    DocumentKind.INVOICE: re.compile(
        r"^(?:\w+\s)?(?:invoice|\w*rechnung)\s+(?P<number>[A-Za-z]{0,6}[-/]?\d[\w/.\-]{2,})$", re.I
    ),
    DocumentKind.DELIVERY_NOTE: re.compile(
        r"^(?:delivery note|lieferschein)\s+(?P<number>[A-Za-z]{0,6}[-/]?\d[\w/.\-]{2,})$", re.I
    ),
}


class NumberFound(NamedTuple):
    """A number, and what told it."""

    number: str
    confidence: float
    """0 to 1; from 0.5 it is sure."""
    line: str


def number_of(page: PageText, kind: DocumentKind | None) -> NumberFound | None:
    """Return the number of a document, given its first page and its kind; None where there is none."""
    lines = [line for line in page.lines() if line.box.top < SEARCHED_SHARE * page.height_mm]
    found = list(_labelled(lines, kind, page.languages))
    if not found and kind and (pattern := _WORD_AND_NUMBER.get(kind)):
        texts = (line.text.strip() for line in lines)
        found += [NumberFound(alone["number"], 0.7, text) for text in texts if (alone := pattern.search(text))]
    return max(found, key=lambda one: one.confidence, default=None)


def _labelled(lines: Sequence[Line], kind: DocumentKind | None, languages: Sequence[str]) -> Iterator[NumberFound]:
    """Yield the numbers behind, beside or below the labels that speak of one."""
    own = _OWN.get(kind, "") if kind else ""
    others = "|".join(pattern for other, pattern in _OWN.items() if other is not kind)
    for pattern, confidence in ((own, 0.93), (_GENERAL, 0.75), (others, 0.5 if kind is None else 0.4), (_LESSER, 0.35)):
        if not pattern:
            continue
        label = re.compile(rf"(?<![\w-])(?:{pattern})(?P<rest>.*)$", re.I)
        for line in lines:
            text = line.text.strip()
            if (found := label.search(text)) and not _FOREIGN.search(text[: found.start("rest")]):
                yield from _value(found["rest"], line, lines, confidence, languages)


def _value(
    rest: str, line: Line, lines: Sequence[Line], confidence: float, languages: Sequence[str]
) -> Iterator[NumberFound]:
    """Yield the number that a label stands for: in its line, else beside it, else below it."""
    places = [(rest.strip(" .:#"), line, 0.0), (_text(right_of(line, lines)), right_of(line, lines), 0.03)]
    places.append((_text(below(line, lines)), below(line, lines), 0.15))
    for text, where, less in places:
        token = _TOKEN.match(text.strip(" .:#"))
        if token is None or where is None or _is_date(token["number"], text, languages):
            continue
        number = token["number"].strip(" .,-/")[:LONGEST]
        said = line.text.strip() if where is line else f"{line.text.strip()} {where.text.strip()}"
        poorly = min((word.confidence for word in where.words if word.text.strip(".,:") in number), default=1.0)
        yield NumberFound(number, (confidence - less) * (0.6 if poorly < POORLY_READ else 1.0), said)
        return


def _text(line: Line | None) -> str:
    return line.text.strip() if line else ""


def _is_date(token: str, text: str, languages: Sequence[str]) -> bool:
    return any(
        found.start == 0 or text[found.start : found.end].startswith(token) for found in dates_in(text, languages)
    )
