"""What letters, invoices and forms begin and end with, in the languages that offices here read most."""

import re

from papiermappe.core.naming.names import MAX_SUBJECT
from papiermappe.core.reading.page_text import Block, PageText
from papiermappe.core.reading.structure import Heading, elements_of

LETTERHEAD_SHARE = 0.09  # of the page's height
UPPER_SHARE = 0.5  # of the page's height: a title stands above this
SUBJECT_WORDS = range(2, 15)

_SUBJECT = re.compile(r"^(?:subject|re|concerning|betreff|betr|betrifft)\s*[.:]\s*(.{3,})$", re.I)
_SALUTATION = re.compile(r"^(?:dear\b|sehr geehrte|liebe[rs]?\s+[A-ZÄÖÜ]|guten tag\b)", re.I)
_OPENING = re.compile(
    r"^(?:dear\b|to whom it may concern|sehr geehrte|liebe[rs]?\s+[A-ZÄÖÜ]|guten tag\b|"
    r"(?:tax )?invoice\b(?!.*\bpaid\b)|credit note\b|delivery note\b|reminder\b|quotation\b|"
    r"rechnung\b|gutschrift\b|lieferschein\b|mahnung\b|angebot\b)",
    re.I,
)
_OPENING_NUMBER = re.compile(
    r"\b(?:invoice|order|reference|rechnungs?|auftrags?|kunden|lieferschein)[\s-]*(?:no|nr|number|nummer)\b", re.I
)
_CLOSING = re.compile(
    r"^(?:yours (?:sincerely|faithfully|truly)|(?:kind|best|warm|with kind) regards|sincerely\b|"
    r"mit (?:freundlichen|besten|herzlichen) gr(?:ü|u|ue)(?:ß|ss)en|hochachtungsvoll|viele gr(?:ü|u|ue)(?:ß|ss)e)",
    re.I,
)


def opens_a_document(line: str) -> bool:
    """Return whether a line is one that letters or forms begin with.

    >>> opens_a_document("Dear Mrs Quarrington,"), opens_a_document("the invoice you sent")
    (True, False)
    """
    return any(pattern.search(line) for pattern in (_SUBJECT, _OPENING, _OPENING_NUMBER))


def opens_with_salutation(line: str) -> bool:
    """Return whether a line is the salutation of a letter.

    >>> opens_with_salutation("Sehr geehrte Frau Quarrington,")
    True
    """
    return _SALUTATION.search(line) is not None


def closes_a_letter(line: str) -> bool:
    """Return whether a line is one that letters end with.

    >>> closes_a_letter("Mit freundlichen Grüßen")
    True
    """
    return _CLOSING.search(line) is not None


def subject_line(line: str) -> str:
    """Return what a subject line says behind its label; empty where it is none.

    >>> subject_line("Betreff: Reparatur der Tür")
    'Reparatur der Tür'
    """
    found = _SUBJECT.search(line.strip())
    return _short(found[1]) if found else ""


def title_of(page: PageText) -> str:
    """Return the subject line of a page, the line above its salutation, or else its largest heading in the upper half.

    That of a letterhead is taken only where there is no other. Empty where there is none.
    """
    for line in page.lines():
        if subject := subject_line(line.text):
            return subject
    if before := before_salutation(page):
        return _short(before)
    return _short(headings(page)[0]) if headings(page) else ""


def headings(page: PageText) -> list[str]:
    """Return the headings in the upper half, the largest first; a letterhead's only where there is no other."""
    above_mm = UPPER_SHARE * page.height_mm
    upper = page.model_copy(update={"blocks": tuple(block for block in page.blocks if _top_mm(block) < above_mm)})
    found = [element for element in elements_of(upper) if isinstance(element, Heading) and _is_words(element.text)]
    below = [heading for heading in found if heading.text not in letterhead(page)] or found
    return [heading.text for heading in sorted(below, key=lambda heading: heading.level)]


def before_salutation(page: PageText) -> str:
    """Return the line above a letter's salutation, which says what it is about; empty where it is none, but a date."""
    above = ""
    for line in page.lines():
        text = line.text.strip()
        if _SALUTATION.search(text):
            is_subject = len(above.split()) in SUBJECT_WORDS and not re.search(r"\d{4}", above)
            return above if is_subject else ""
        above = text
    return ""


def letterhead(page: PageText) -> set[str]:
    """Return the lines at the very top, which name the sender."""
    return {line.text for line in page.lines() if line.box.top < LETTERHEAD_SHARE * page.height_mm}


def _top_mm(block: Block) -> float:
    return min(line.box.top for paragraph in block.paragraphs for line in paragraph.lines)


def _is_words(text: str) -> bool:
    return len(re.findall(r"[^\W\d_]{2,}", text)) > 0


def _short(text: str) -> str:
    """Return a text of at most the length of a title, ended at a word."""
    plain = " ".join(text.split()).strip(" .,:;-")
    return plain if len(plain) <= MAX_SUBJECT else plain[: MAX_SUBJECT + 1].rsplit(" ", 1)[0][:MAX_SUBJECT]
