"""Finding filed documents by what they say."""

import re
from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import CTE, ColumnElement, ScalarSelect, Select, Subquery, and_, delete, func, select, true
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from papiermappe.services.caller import Caller
from papiermappe.services.filed import Wanted, narrowed
from papiermappe.store.database import Store, plan_anew
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
        plan_anew(session)
        return [
            FoundPage(
                document_id=row.document_id,
                mappe_id=row.mappe_id,
                file_name=row.file_name,
                destination=row.destination,
                delivered_at=row.delivered_at,
                page=row.page,
                line=_parts_of(row.line),
            )
            for row in session.execute(_found(wanted, most))
        ]


def _found(wanted: Wanted, most: int) -> Select[*tuple[Any, ...]]:
    """Return a query of the documents that say something best, each with its best page and the line that says it."""
    best = _best_pages(wanted)
    there = select(Delivery).where(
        Delivery.document_id == best.c.document_id, Delivery.state == DeliveryState.DELIVERED
    )
    if wanted.destination_id:
        there = there.where(Delivery.destination_id == wanted.destination_id)
    first = there.order_by(Delivery.id).limit(1).lateral("delivery")
    by_rank = select(best, first.c.file_name, first.c.destination_id, first.c.delivered_at).join(first, true())
    top = by_rank.order_by(best.c.rank.desc(), first.c.delivered_at.desc()).limit(most).cte("top")
    return (
        select(
            *top.c,
            Filing.mappe_id,
            Destination.name.label("destination"),
            _marked_line(wanted.find).label("line"),
        )
        .join(Document, Document.id == top.c.document_id)
        .join(Filing, Filing.id == Document.filing_id)
        .join(Destination, Destination.id == top.c.destination_id)
        .join(DocumentPage, and_(DocumentPage.document_id == top.c.document_id, DocumentPage.page == top.c.page))
        .order_by(top.c.rank.desc(), top.c.delivered_at.desc())
    )


def _best_pages(wanted: Wanted) -> CTE:
    """Return the best page of each document that says something: document_id, page, rank."""
    asked = [func.websearch_to_tsquery(stems, wanted.find) for stems in LANGUAGES]
    query = asked[0].op("||")(asked[1]).op("||")(asked[2])
    quoted = _quoted(wanted.find)
    among = _with_pairs(quoted) if any(len(said.split()) > 1 for said in quoted) else DocumentPage.__table__
    pages = select(among.c.document_id, among.c.page, among.c.words).where(among.c.words.op("@@")(query))
    for said in quoted:
        pages = pages.where(among.c.words.op("@@")(func.phraseto_tsquery("simple", said)))
    if wanted.is_narrow:
        meant = select(Delivery.document_id).join(Document, Document.id == Delivery.document_id)
        meant = narrowed(meant.where(Delivery.state == DeliveryState.DELIVERED), wanted)
        pages = pages.where(among.c.document_id.in_(meant))
    saying = pages.limit(RANKED_PAGES).cte("saying")
    rank = func.ts_rank(saying.c.words, query).label("rank")
    of_document = select(saying.c.document_id, saying.c.page, rank).ext(distinct_on(saying.c.document_id))
    return of_document.order_by(saying.c.document_id, rank.desc(), saying.c.page).cte("best")


def _with_pairs(quoted: Sequence[str]) -> Subquery:
    """Return the pages on which the words of what is quoted stand one behind the other, each with the next.

    Where all words are common, looking for their places on each page takes long, and so does their index; the offset
    keeps the database from asking that too.
    """
    pages = select(DocumentPage.document_id, DocumentPage.page, DocumentPage.words)
    for said in quoted:
        pages = pages.where(DocumentPage.word_pairs.contains(func.word_pairs(said)))
    return pages.offset(0).subquery("paired")


def _marked_line(find: str) -> ColumnElement[str]:
    """Return the words around those that were looked for, which are marked, as the first language has them."""
    in_languages = [_marked_in(language, find) for language in LANGUAGES]
    return func.coalesce(*(_if_marked(line) for line in in_languages), in_languages[-1])


def _marked_in(language: str, find: str) -> ColumnElement[str]:
    options = f"MaxWords=22, MinWords=10, ShortWord=2, StartSel={MARK}, StopSel={END}"
    return func.ts_headline(language, DocumentPage.text, func.websearch_to_tsquery(language, find), options)


def _if_marked(line: ColumnElement[str]) -> ScalarSelect[str]:
    """Return a line, worked out once; null where nothing is marked in it."""
    worked_out = select(line.label("line")).correlate(DocumentPage).offset(0).lateral()
    return select(worked_out.c.line).where(func.strpos(worked_out.c.line, MARK) > 0).scalar_subquery()


def _quoted(find: str) -> list[str]:
    """Return what stands in quotation marks and is wanted on every page that is found."""
    return [] if _EITHER.search(_QUOTED.sub("", find)) else _QUOTED.findall(find)


def _parts_of(line: str) -> tuple[TextPart, ...]:
    parts = []
    for piece in line.split(MARK):
        marked, ended, rest = piece.partition(END)
        parts += [TextPart(marked, True), TextPart(rest, False)] if ended else [TextPart(piece, False)]
    return tuple(part._replace(text=re.sub(r"\s+", " ", part.text)) for part in parts if part.text)
