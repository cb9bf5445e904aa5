"""What kind of document a page begins: an invoice, a delivery note, a letter."""

import re
from enum import StrEnum
from typing import NamedTuple

from papiermappe.core.reading.layout import height_mm, usual_height_mm
from papiermappe.core.reading.letters import closes_a_letter, opens_with_salutation
from papiermappe.core.reading.page_text import Line, PageText

TITLE_SHARE = 0.6  # of the page's height: the word for the kind stands above this
MOST_TITLE_WORDS = 8
LARGER = 1.25


class DocumentKind(StrEnum):
    """The kinds that are told apart."""

    INVOICE = "invoice"
    CREDIT_NOTE = "credit_note"
    REMINDER = "reminder"
    DELIVERY_NOTE = "delivery_note"
    ORDER_CONFIRMATION = "order_confirmation"
    ORDER = "order"
    QUOTATION = "quotation"
    RECEIPT = "receipt"
    STATEMENT = "statement"
    CONTRACT = "contract"
    LEASE = "lease"
    NOTICE = "notice"
    MINUTES = "minutes"
    LETTER = "letter"


# A word that holds another one comes before it.
_WORDS: tuple[tuple[DocumentKind, tuple[str, ...]], ...] = (
    (DocumentKind.CREDIT_NOTE, (r"credit note", r"rechnungskorrektur", r"stornorechnung", r"gutschrift")),
    (DocumentKind.REMINDER, (r"(?:payment |final |first |second )?reminder", r"zahlungserinnerung", r"mahnung")),
    (DocumentKind.DELIVERY_NOTE, (r"delivery (?:note|slip)", r"packing (?:list|slip)", r"lieferschein")),
    (
        DocumentKind.ORDER_CONFIRMATION,
        (r"order (?:confirmation|acknowledgement)", r"confirmation of order", r"auftragsbestätigung"),
    ),
    (
        DocumentKind.INVOICE,
        (r"(?:tax |sales |commercial |pro[- ]?forma |final )?invoice", r"(?:abschlags|schluss|sammel)?rechnung"),
    ),
    (DocumentKind.QUOTATION, (r"quotation", r"quote", r"estimate", r"angebot", r"kostenvoranschlag")),
    (DocumentKind.ORDER, (r"(?:purchase )?order", r"bestellung", r"auftrag")),
    (DocumentKind.RECEIPT, (r"receipt", r"proof of payment", r"quittung", r"kassenbon", r"zahlungsbeleg")),
    (DocumentKind.STATEMENT, (r"(?:account |bank )?statement(?: of account)?", r"kontoauszug")),
    (DocumentKind.LEASE, (r"(?:land )?lease(?: contract| agreement)?", r"(?:land)?pachtvertrag", r"mietvertrag")),
    (
        DocumentKind.CONTRACT,
        (r"(?:service |supply |purchase )?(?:contract|agreement)", r"(?:kauf|liefer|arbeits|dienst|werk)?vertrag"),
    ),
    (DocumentKind.MINUTES, (r"minutes(?: of (?:the )?meeting)?", r"(?:sitzungs)?protokoll", r"niederschrift")),
    (DocumentKind.NOTICE, (r"notice", r"(?:steuer|gebühren|bewilligungs)?bescheid", r"bekanntmachung")),
)
_KINDS = tuple((kind, re.compile(rf"^(?:{'|'.join(words)})\b(?P<rest>.*)$", re.I)) for kind, words in _WORDS)
_NUMBERED = re.compile(r"^\W*(?:no|nr|number|nummer|vom|of|dated|of the)?\b\.?\W*\S*\d|^\W*$", re.I)
"""What may follow the word in a line that says no more than the kind and its number."""


class KindFound(NamedTuple):
    """A kind, and what told it."""

    kind: DocumentKind
    confidence: float
    """0 to 1; from 0.5 it is sure."""
    line: str


def kind_of(page: PageText) -> KindFound | None:
    """Return what kind of document a first page begins; None where nothing tells.

    A short line that begins with the word for the kind, above the text, tells it: in larger letters, or with nothing
    but a number behind it. A salutation or a closing without such a line makes a letter.
    """
    usual_mm = usual_height_mm(page)
    named = [found for line in page.lines() if (found := _named(line, page, usual_mm)) is not None]
    best = max(named, key=lambda found: found.confidence, default=None)
    texts = [line.text.strip() for line in page.lines()]
    letter = next((text for text in texts if opens_with_salutation(text) or closes_a_letter(text)), None)
    if letter is None or (best is not None and best.confidence >= 0.7):
        return best
    return KindFound(DocumentKind.LETTER, 0.8 if best is None else 0.45, letter)


def kind_named(text: str) -> DocumentKind | None:
    """Return the kind whose word a line begins with.

    >>> kind_named("Rechnung Nr. 2026-0042"), kind_named("the invoice")
    (<DocumentKind.INVOICE: 'invoice'>, None)
    """
    return next((kind for kind, pattern in _KINDS if pattern.search(text)), None)


def _named(line: Line, page: PageText, usual_mm: float) -> KindFound | None:
    text = line.text.strip()
    if line.box.top > TITLE_SHARE * page.height_mm or len(line.words) > MOST_TITLE_WORDS:
        return None
    for kind, pattern in _KINDS:
        if found := pattern.search(text):
            is_large = height_mm(line) > LARGER * usual_mm
            says_no_more = _NUMBERED.search(found["rest"]) is not None
            confidence = 0.95 if is_large and says_no_more else 0.75 if is_large or says_no_more else 0.4
            return KindFound(kind, confidence, text)
    return None
