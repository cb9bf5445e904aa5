"""Finding filed documents by what they say."""

import re
from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

from sqlalchemy import delete, text
from sqlalchemy.orm import Session

from papiermappe.services.caller import Caller
from papiermappe.store.database import Store
from papiermappe.store.models import DocumentPage

MAX_LETTERS = 200_000
"""Of a page: PostgreSQL holds up to 1 MB of words for one."""
RANKED_PAGES = 2000
"""Of a word that stands on more pages than these, only as many are ranked: it keeps no answer waiting."""
MAX_FOUND = 30
MARK, END = "\x02", "\x03"
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


_FIND = text("""
    with wanted as (
        select websearch_to_tsquery('simple', :find) || websearch_to_tsquery('english', :find)
            || websearch_to_tsquery('german', :find) as query
    ), saying as (
        select document_id, page, words from document_page, wanted where words @@ query limit :ranked
    ), best as (
        select distinct on (document_id) document_id, page, ts_rank(words, query) as rank
        from saying, wanted order by document_id, rank desc, page
    )
    select document.id as document_id, filing.mappe_id, delivery.file_name, destination.name as destination,
        delivery.delivered_at, best.page, document_page.text
    from best
    join document_page using (document_id, page)
    join document on document.id = best.document_id
    join filing on filing.id = document.filing_id
    join lateral (
        select * from delivery where delivery.document_id = document.id and state = 'delivered' order by id limit 1
    ) delivery on true
    join destination on destination.id = delivery.destination_id
    order by best.rank desc, delivery.delivered_at desc limit :most
""")

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


def find_pages(_: Caller, store: Store, find: str, most: int = MAX_FOUND) -> list[FoundPage]:
    """Return the delivered documents that say what is looked for, each with the page that says it best.

    Args:
        store: rows.
        find: words, as people type them; those in quotation marks stand one behind the other, `-` leaves a word out.
        most: documents.
    """
    if not find.strip():
        return []
    with store.begin() as session:
        rows = session.execute(_FIND, {"find": find, "ranked": RANKED_PAGES, "most": most}).all()
        return [
            FoundPage(
                document_id=row.document_id,
                mappe_id=row.mappe_id,
                file_name=row.file_name,
                destination=row.destination,
                delivered_at=row.delivered_at,
                page=row.page,
                line=_line(session, row.text, find),
            )
            for row in rows
        ]


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
