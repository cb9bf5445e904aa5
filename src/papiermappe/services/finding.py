"""Finding filed documents by what they say."""

import re
from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import Select, and_, delete, func, select, text, true
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from papiermappe.services.caller import Caller
from papiermappe.services.filed import Wanted, narrowed
from papiermappe.store.database import Store
from papiermappe.store.models import Delivery, DeliveryState, Destination, Document, DocumentPage, Filing

MAX_LETTERS = 200_000
"""Of a page: PostgreSQL holds up to 1 MB of words for one."""
RANKED_PAGES = 2000
"""Of a word that stands on more pages than these, only as many are ranked: it keeps no answer waiting."""
MAX_FOUND = 30
MARK, END = "\x02", "\x03"
_QUOTED = re.compile(r'(?<!-)"([^"]*)"')
_EITHER = re.compile(r"\bor\b", re.IGNORECASE)
_CONTROLS = re.compile(r"[\x00-\x08\x0e-\x1f]")
LANGUAGES = ("english", "german", "simple")


class TextPart(NamedTuple):
    """A part of a line."""

    text: str
    marked: bool
    """Whether it is one of the words that were looked for."""


class FoundPage(NamedTuple):
    """A page of a filed document that says what was looked for."""

    document_id: int
    mappe_id: int
    file_name: str
    destination: str
    delivered_at: datetime
    page: int
    line: tuple[TextPart, ...]


_MARKED = text("""
    select ts_headline(cast(:language as regconfig), :text, websearch_to_tsquery(cast(:language as regconfig), :find),
        'MaxWords=22, MinWords=10, ShortWord=2, StartSel=' || chr(2) || ', StopSel=' || chr(3))
""")


def keep_words(session: Session, document_id: int, texts: Sequence[str]) -> None:
    """Keep what the pages of a document say, in their order; a second call replaces the first."""
    session.execute(delete(DocumentPage).where(DocumentPage.document_id == document_id))
    for page, said in enumerate(texts, 1):
        if kept := _CONTROLS.sub(" ", said)[:MAX_LETTERS].strip():
            session.add(DocumentPage(document_id=document_id, page=page, text=kept))


def find_pages(_: Caller, store: Store, wanted: Wanted, most: int = MAX_FOUND) -> list[FoundPage]:
    """Return the delivered documents that say what is looked for, each with the page that says it best.

    Args:
        store: rows.
        wanted: its words are as people type them; those in quotation marks stand one behind the other as they are,
            `-` leaves a word out, `or` between words wants one of them.
        most: documents.
    """
    if not wanted.find.strip():
        return []
    with store.begin() as session:
        return [
            FoundPage(
                document_id=row.document_id,
                mappe_id=row.mappe_id,
                file_name=row.file_name,
                destination=row.destination,
                delivered_at=row.delivered_at,
                page=row.page,
                line=_line(session, row.text, wanted.find),
            )
            for row in session.execute(_ranked(wanted).limit(most))
        ]


def _ranked(wanted: Wanted) -> Select[Any]:
    """Return a query of the documents that say something, each with its best page, the best ones first."""
    asked = [func.websearch_to_tsquery(stems, wanted.find) for stems in LANGUAGES]
    query = asked[0].op("||")(asked[1]).op("||")(asked[2])
    pages = select(DocumentPage.document_id, DocumentPage.page, DocumentPage.words)
    pages = pages.where(DocumentPage.words.op("@@")(query))
    for said in _quoted(wanted.find):
        # found by its pairs: where all words are common, looking for their places on each page takes long
        pages = pages.where(DocumentPage.word_pairs.contains(func.word_pairs(said)))
        pages = pages.where(DocumentPage.words.op("@@")(func.phraseto_tsquery("simple", said)))
    if wanted.is_narrow:
        meant = select(Delivery.document_id).join(Document, Document.id == Delivery.document_id)
        meant = narrowed(meant.where(Delivery.state == DeliveryState.DELIVERED), wanted)
        pages = pages.where(DocumentPage.document_id.in_(meant))
    saying = pages.limit(RANKED_PAGES).cte("saying")
    rank = func.ts_rank(saying.c.words, query).label("rank")
    of_document = select(saying.c.document_id, saying.c.page, rank).ext(distinct_on(saying.c.document_id))
    best = of_document.order_by(saying.c.document_id, rank.desc(), saying.c.page).cte("best")
    there = select(Delivery).where(Delivery.document_id == Document.id, Delivery.state == DeliveryState.DELIVERED)
    if wanted.destination_id:
        there = there.where(Delivery.destination_id == wanted.destination_id)
    first = there.order_by(Delivery.id).limit(1).lateral("delivery")
    return (
        select(
            Document.id.label("document_id"),
            Filing.mappe_id,
            first.c.file_name,
            Destination.name.label("destination"),
            first.c.delivered_at,
            best.c.page,
            DocumentPage.text,
        )
        .join(best, best.c.document_id == Document.id)
        .join(DocumentPage, and_(DocumentPage.document_id == best.c.document_id, DocumentPage.page == best.c.page))
        .join(Filing, Filing.id == Document.filing_id)
        .join(first, true())
        .join(Destination, Destination.id == first.c.destination_id)
        .order_by(best.c.rank.desc(), first.c.delivered_at.desc())
    )


def _quoted(find: str) -> list[str]:
    """Return what stands in quotation marks and is wanted on every page that is found."""
    return [] if _EITHER.search(_QUOTED.sub("", find)) else _QUOTED.findall(find)


def _line(session: Session, said: str, find: str) -> tuple[TextPart, ...]:
    """Return the words around those that were looked for, as the first language has them."""
    headline = ""
    for language in LANGUAGES:
        headline = session.scalar(_MARKED, {"language": language, "text": said, "find": find}) or ""
        if MARK in headline:
            break
    parts = []
    for piece in headline.split(MARK):
        marked, ended, rest = piece.partition(END)
        parts += [TextPart(marked, True), TextPart(rest, False)] if ended else [TextPart(piece, False)]
    return tuple(part._replace(text=re.sub(r"\s+", " ", part.text)) for part in parts if part.text)
