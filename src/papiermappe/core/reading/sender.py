"""Who sent a document: the name in its letterhead, its line above the address, its foot and its signature."""

import re
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

from papiermappe.core.reading.dates import dates_in
from papiermappe.core.reading.kinds import kind_named
from papiermappe.core.reading.layout import height_mm, usual_height_mm
from papiermappe.core.reading.letters import closes_a_letter, opens_with_salutation
from papiermappe.core.reading.page_text import BoxMm, Line, PageText

HEAD_SHARE = 0.17  # of the page's height
ADDRESS_SHARE = (0.1, 0.36)
FOOT_SHARE = 0.88
MOST_WORDS = 9
SIGNED_MM = 50.0
LARGER = 1.2
APART_MM = 6.0  # words of one name are nearer, in large letters too
CLOSE = 0.1
DOUBTFUL = 0.45
LONGEST = 80

_ORGANISATION = re.compile(
    r"\b(?:gmbh|ag|kg|ohg|eg|e\.?\s?g\.?|e\.?\s?v\.?|ug|se|ltd|limited|plc|llp|llc|inc|corp|co|company|"
    r"sons|söhne|brothers|gebr(?:üder)?|"
    r"cooperative|co-operative|genossenschaft|verein|verband|association|society|club|council|office|department|agency|"
    r"authority|ministry|university|college|school|schule|universität|bank|sparkasse|versicherung|insurance|stadtwerke|"
    r"gemeinde|landratsamt|finanzamt|amt|kanzlei|praxis|partners?|services|supplies|works|group|trust|foundation|stiftung|"
    r"hotel|apotheke|pharmacy|garage|nursery|orchards?|farm|hof|handel|trading|logistik|logistics|transport|druckerei|press|"
    r"surveyors?|solicitors?|architects?|engineers?|builders?|merchants?|board|stores?|spedition|kelterei|baumschule)\b",
    re.I,
)
_POSTCODE = re.compile(r"\b(?:(?:[A-Z]{1,2}-)?\d{4,5}\s+[A-ZÄÖÜ][a-zäöüß]|[A-Z]{1,2}\d[\dA-Z]?\s*\d[A-Z]{2}\b)")
_STREET = re.compile(
    r"(?:str(?:aße|asse|\.)|weg|platz|allee|gasse|street|road|lane|avenue|square|way|close)\b.*\d|^\d+\w?\s+[A-Z]", re.I
)
_CONTACT = re.compile(
    r"@|www\.|https?:|\b(?:tel|phone|fax|telefon|e-?mail|mobil|iban|bic|vat|ust|hrb|registered|sitz)\b|\d{5,}", re.I
)
_LABEL = re.compile(
    r"(?:datum|nummer|\b(?:date|number|no|nr|zeichen|ref|reference|page|seite|betrag|amount))\W*$", re.I
)
_DOMAIN = re.compile(r"(?:@|www\.)(?P<name>[\w.-]+)\.[a-z]{2,}", re.I)
_STRONG = re.compile(r"\s*[·•|\u2013\u2014]\s*|\s+[-*:]\s+")  # a dot in the middle of a line is read as a colon, too
_WEAK = re.compile(r"\s*,\s+")
_HONORIFIC = re.compile(r"^(?:mr|mrs|ms|miss|dr|herrn?|frau|firma|family|familie)\b", re.I)


class SenderFound(NamedTuple):
    """A sender, and what told it."""

    name: str
    confidence: float
    """0 to 1; from 0.5 it is sure."""
    line: str


def sender_of(page: PageText) -> SenderFound | None:
    """Return who sent a document, given its first page; None where nothing tells.

    Names that several places give, or that the address of a web site or of mail repeats, are the surer.
    """
    lines = list(page.lines())
    recipient = recipient_of(page)
    candidates = [
        found
        for found in (*_in_head(lines, page), *_above_address(lines, page), *_in_foot(lines, page), *_signed(lines))
        if found.name and found.line not in recipient
    ]
    domains = {part.casefold() for line in lines for part in _domain_parts(line.text)}
    scored: dict[str, SenderFound] = {}
    for found in candidates:
        agreeing = [one for one in candidates if one is not found and _agree(one.name, found.name)]
        confidence = found.confidence + 0.15 * min(len(agreeing), 2) + 0.2 * _is_in_domain(found.name, domains)
        key = _key(found.name)
        if key not in scored or confidence > scored[key].confidence:
            scored[key] = found._replace(confidence=min(confidence, 0.96))
    ranked = sorted(scored.values(), key=lambda one: -one.confidence)
    if not ranked:
        return None
    first = ranked[0]
    rivals = [one for one in ranked[1:] if not _agree(one.name, first.name)]
    if rivals and first.confidence - rivals[0].confidence < CLOSE:
        return first._replace(confidence=min(first.confidence, DOUBTFUL))
    return first


def _in_head(lines: Sequence[Line], page: PageText) -> Iterator[SenderFound]:
    """Yield the names at the top of the page, those in large letters and of organisations as the surer ones."""
    usual_mm = usual_height_mm(page)
    for line in map(_before_contacts, lines):
        if line.box.top > HEAD_SHARE * page.height_mm or not _may_be_name(line, page.languages):
            continue
        first = _parts(line.text)[0]
        confidence = 0.3 + 0.25 * (height_mm(line) > LARGER * usual_mm) + 0.25 * _is_organisation(line.text)
        yield SenderFound(_clean(first if _POSTCODE.search(line.text) else line.text), confidence, line.text.strip())


def _before_contacts(line: Line) -> Line:
    """Return a line as far as the addresses of web and mail that stand some way to the right of a name."""
    for at, (before, word) in enumerate(pairwise(line.words), 1):
        if _CONTACT.search(word.text) and word.box.left - before.box.right >= APART_MM:
            words = line.words[:at]
            return Line(words=words, box=BoxMm.around(word.box for word in words))
    return line


def _above_address(lines: Sequence[Line], page: PageText) -> Iterator[SenderFound]:
    """Yield the name in the small line above the address, which repeats the sender's own."""
    low, high = (share * page.height_mm for share in ADDRESS_SHARE)
    for line in lines:
        parts = _parts(line.text)
        if (
            low < line.box.top < high
            and len(parts) >= 3
            and _POSTCODE.search(line.text)
            and not _CONTACT.search(parts[0])
        ):
            yield SenderFound(_clean(parts[0]), 0.65, line.text.strip())


def _in_foot(lines: Sequence[Line], page: PageText) -> Iterator[SenderFound]:
    for line in lines:
        if line.box.top > FOOT_SHARE * page.height_mm:
            first = _parts(line.text)[0]
            if _is_organisation(first) and len(first.split()) <= MOST_WORDS and not _CONTACT.search(first):
                yield SenderFound(_clean(first), 0.4, line.text.strip())


def _signed(lines: Sequence[Line]) -> Iterator[SenderFound]:
    """Yield the organisations named below a closing."""
    for at, line in enumerate(lines):
        if not closes_a_letter(line.text.strip()):
            continue
        for below in lines[at + 1 :]:
            near = 0 < below.box.top - line.box.top < SIGNED_MM
            if near and _is_organisation(below.text) and len(below.words) <= MOST_WORDS:
                yield SenderFound(
                    _clean(re.sub(r"^(?:for|für|i\.\s?a\.)\s+", "", below.text.strip(), flags=re.I)), 0.4, below.text
                )
            elif near and below is lines[at + 1] and 2 <= len(below.words) <= 4 and not re.search(r"\d", below.text):
                yield SenderFound(_clean(below.text), 0.25, below.text)


def recipient_of(page: PageText) -> set[str]:
    """Return the lines of the address that a letter goes to: those above and with a postcode, at the left."""
    lines = list(page.lines())
    low, high = (share * page.height_mm for share in ADDRESS_SHARE)
    for at, line in enumerate(lines):
        is_town = _POSTCODE.search(line.text) and len(_parts(line.text)) < 3
        if is_town and low < line.box.top < high and line.box.left < 0.5 * page.width_mm:
            near = [
                other.text.strip()
                for other in lines[max(0, at - 5) : at + 1]
                if 0 <= line.box.top - other.box.top < 32 and abs(other.box.left - line.box.left) < 4
            ]
            return {text for text in near if len(_parts(text)) < 3}
    return set()


def _may_be_name(line: Line, languages: Sequence[str]) -> bool:
    text = line.text.strip()
    is_long = len(line.words) > MOST_WORDS or len(text) < 3
    told = dates_in(text, languages) or kind_named(text) or opens_with_salutation(text) or _HONORIFIC.search(text)
    told = told or _LABEL.search(text)
    only_address = _CONTACT.search(text) or (_POSTCODE.search(text) and len(_parts(text)) < 2) or _STREET.search(text)
    return not (is_long or told or only_address) and re.search(r"[^\W\d_]{3,}", text) is not None


def _is_organisation(text: str) -> bool:
    return _ORGANISATION.search(text) is not None


def _parts(text: str) -> list[str]:
    """Return the parts of a line of an address. Commas part it only where nothing else does: names have them too."""
    strong = _STRONG.split(text.strip())
    return strong if len(strong) > 1 else _WEAK.split(text.strip())


def _clean(text: str) -> str:
    """Return a name without what stands around it; a logo is read as signs, or a small letter, before it."""
    bare = re.sub(r"^[^\w(]+|[^\w).]+$", "", " ".join(text.split()))
    return re.sub(r"^[a-z] (?=[A-ZÄÖÜ])", "", bare)[:LONGEST]


def _key(name: str) -> str:
    return re.sub(r"[\W_]+", "", name.casefold())


def _agree(one: str, other: str) -> bool:
    """Whether two names are of the same: one holds the other."""
    first, second = _key(one), _key(other)
    return bool(first and second) and min(len(first), len(second)) >= 5 and (first in second or second in first)


def _domain_parts(text: str) -> Iterator[str]:
    for found in _DOMAIN.finditer(text):
        yield from (part for part in re.split(r"[.-]", found["name"]) if len(part) >= 4)


def _is_in_domain(name: str, domains: set[str]) -> bool:
    words = re.findall(r"[^\W\d_]{4,}", name.casefold())
    return any(word in domain or domain in word for word in words for domain in domains)
