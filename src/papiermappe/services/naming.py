"""What the documents of a Mappe are called."""

from collections.abc import Callable, Iterator, Sequence
from datetime import date, datetime
from itertools import count
from typing import Annotated, NamedTuple

from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from papiermappe.core.encode.format import Format
from papiermappe.core.naming.filling import FilledName, NameFacts, PlacedWord, counter_period, name_of, texts_of
from papiermappe.core.naming.names import MAX_SUBJECT, one_line
from papiermappe.core.naming.rule import NamingRule
from papiermappe.core.order.places import Side
from papiermappe.core.reading.name_facts import name_facts, placed_words, spelled_kind, sure_value
from papiermappe.core.reading.proposal import Proposal, Proposals
from papiermappe.services.caller import Caller, visible_mappe
from papiermappe.services.destinations import destination_in_use
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.naming_rules import RuleInUse, next_count, rule_in_use, take_count
from papiermappe.services.pages import picture_name, printed_on_page
from papiermappe.services.planning import PagesWanted, planned_documents
from papiermappe.services.reading import Reader, Reading
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Delivery, Destination, Document, KnownSender, Mappe, Page, Run, Ticket
from papiermappe.store.models import NamingRule as NamingRuleRow

MOST_SHOWN = 3

Words = Callable[[Page], Sequence[PlacedWord]]
"""Returns all words of a page, as far as it has been read."""

Typed = Annotated[str, Field(max_length=MAX_SUBJECT)]


class ByHand(BaseModel):
    """What a person has said of a document, instead of what its page says; None: as the page says."""

    dated: date | None = None
    sender: Typed | None = None
    number: Typed | None = None
    kind: Typed | None = None
    who: Typed = ""
    """Who files it, as they call themselves."""


class NameWanted(NamedTuple):
    """How documents are to be named."""

    rule_id: int | None = None
    """None: by the default rule."""
    changed: NamingRule | None = None
    """The rule as it is changed for this once; None: as it is kept."""
    by_hand: ByHand = ByHand()
    """For a filing of one document."""


class NameView(BaseModel):
    """What the next documents of a Mappe would be called."""

    rule_id: int
    rule: NamingRule
    texts: list[str]
    """What each part of the rule gives for the first of them, as it is spelled; empty where nothing is known."""
    names: list[str]
    """Of the first documents, with folders and endings."""
    documents: int
    """How many there are."""
    waits: bool
    """Whether first pages have still to be read: what they say is not in the names yet, but will be."""


def name_view(
    caller: Caller,
    store: Store,
    mappe_id: int,
    destination_id: int,
    wanted: NameWanted,
    pages: PagesWanted,
    reading: Reading,
    kind: Format,
    replaces: int | None = None,
) -> NameView:
    """Return what documents would be called if they were filed now.

    Raises:
        NotFound: there is no such Mappe, destination, rule, or document to replace.
        NotPossible: there is no page to file, or the document to replace has a later version.
        RangeRefused: the ranges of pages make no sense.
    """
    with store.begin() as session:
        mappe = visible_mappe(caller, session, mappe_id)
        documents = planned_documents(session, mappe_id, pages)
        rule_id, rule = rule_for(session, destination_id, documents[0].pages[0], wanted)
        words = words_known(store, reading) if rule.needs_words else no_words
        by_hand = wanted.by_hand if len(documents) == 1 else ByHand(who=wanted.by_hand.who)
        today = datetime.now().astimezone().date()
        shown = [
            texts_of(rule, facts_of(session, document.pages[0], document.name or mappe.subject, by_hand, today, words))
            for document in documents[:MOST_SHOWN]
        ]
        names = _next_names(session, rule_id, rule, shown, today)
        waits = any(
            waits_for_reading(rule, reading, session.get_one(Page, document.pages[0]), document.name or mappe.subject)
            for document in documents[:MOST_SHOWN]
        )
        version = (
            next(_version_names(session, replaceable(session, replaces, locked=False), kind)) if replaces else None
        )
    return NameView(
        rule_id=rule_id,
        rule=rule,
        texts=list(names[0].parts),
        names=[version] if version else [name.path + kind for name in names],
        documents=len(documents),
        waits=waits and version is None,
    )


def rule_for(session: Session, destination_id: int, first_page: int, wanted: NameWanted) -> RuleInUse:
    """Return the rule that names a document.

    It is the one that a person has chosen, or else that of the destination, or else that of the ticket that its first
    page was scanned by, or else the default one.

    Raises:
        NotFound: there is no such destination or rule.
    """
    destination = destination_in_use(session, destination_id)
    chosen = wanted.rule_id or destination.naming_rule_id or _rule_of_ticket(session, first_page)
    return rule_in_use(session, chosen, wanted.changed)


def _rule_of_ticket(session: Session, page_id: int) -> int | None:
    of_page = select(Ticket.naming_rule_id).join(Run, Run.ticket_id == Ticket.id).join(Capture).join(Page)
    of_rule = of_page.join(NamingRuleRow, NamingRuleRow.id == Ticket.naming_rule_id)
    return session.scalar(of_rule.where(Page.id == page_id, NamingRuleRow.removed_at.is_(None)))


def next_name(session: Session, mappe: Mappe) -> str:
    """Return what the document of a Mappe would be called now, by the default rule, as a PDF."""
    rule_id, rule = rule_in_use(session, None)
    today = datetime.now().astimezone().date()
    first = session.scalar(
        select(Page.id)
        .where(Page.mappe_id == mappe.id, Page.set_aside.is_(False))
        .order_by(Page.rank, Page.side == Side.BACK)
        .limit(1)
    )
    facts = facts_of(session, first, mappe.subject, ByHand(), today, no_words)
    (name,) = _next_names(session, rule_id, rule, [texts_of(rule, facts)], today)
    return name.path + Format.PDF


def facts_of(
    session: Session, first_page: int | None, subject: str, by_hand: ByHand, today: date, words: Words
) -> NameFacts:
    """Return what the name of a document can be made of. What its page says doubtfully is left out.

    Args:
        session: of the transaction.
        first_page: of the document; None where it has none yet.
        subject: of it.
        by_hand: what a person has said of it.
        today: the day for names.
        words: returns those of the page.
    """
    page = session.get(Page, first_page) if first_page is not None else None
    if page is None:
        return NameFacts(today, subject=subject, who=one_line(by_hand.who))
    said = said_on(page)
    return facts_said(session, page.capture, name_facts(today, subject, said, words(page)), said, by_hand)


def said_on(page: Page) -> Proposals | None:
    """Return what a page proposes for a name; None before all of it has been read."""
    printed = printed_on_page(page)
    return printed.proposals if printed else None


def waits_for_reading(rule: NamingRule, reading: Reading, first_page: Page, subject: str) -> bool:
    """Return whether a document can be named only once its first page has been read, which its making will do."""
    printed = printed_on_page(first_page)
    is_read = printed is not None and printed.words is not None
    return bool(reading.languages) and not is_read and rule.needs_page(has_subject=bool(subject))


def facts_said(
    session: Session, capture: Capture, found: NameFacts, said: Proposals | None, by_hand: ByHand
) -> NameFacts:
    """Return what a name can be made of: what the first page says, as a person has said otherwise, and how it came.

    Args:
        session: of the transaction.
        capture: of the first page.
        found: what that page says.
        said: what it proposes; None where it was not read.
        by_hand: what a person has said of the document.
    """
    run = session.get_one(Run, capture.run_id)
    return found._replace(
        scanned=capture.arrived_at.astimezone().date(),
        printed=by_hand.dated or found.printed,
        sender=_sender(session, by_hand.sender, said.sender if said else None),
        number=found.number if by_hand.number is None else one_line(by_hand.number),
        kind=found.kind if by_hand.kind is None else spelled_kind(one_line(by_hand.kind)),
        device=run.device.name if run.device else "",
        ticket=run.kept_ticket.name if run.kept_ticket else "",
        who=one_line(by_hand.who),
    )


def _sender(session: Session, typed: str | None, read: Proposal | None) -> str:
    """Return who sent a document: as typed, as a person has called that sender before, or as it is read for sure."""
    if typed is None and read is not None:
        known = session.get(KnownSender, _as_read(read.value))
        return known.name if known else sure_value(read)
    return one_line(typed or "")


def remember_sender(session: Session, said: Proposals | None, typed: str | None) -> None:
    """Remember what a person has called a sender, for the next document that is read in the same way."""
    read = said.sender if said else None
    if typed is None or read is None or not (name := one_line(typed)):
        return
    row = insert(KnownSender).values(read_as=_as_read(read.value), name=name)
    session.execute(row.on_conflict_do_update(index_elements=["read_as"], set_={"name": name}))


def _as_read(value: str) -> str:
    return one_line(value).casefold()[:MAX_SUBJECT]


def no_words(_: Page) -> Sequence[PlacedWord]:
    """Return none: for rules that ask for none, so that nothing is read from the disk."""
    return ()


def words_known(store: Store, reading: Reading) -> Words:
    """Return what tells the words of pages, where they have been read in this way."""
    reader = Reader(store, None, reading)

    def words(page: Page) -> Sequence[PlacedWord]:
        text = reader.known(picture_name(page))
        return placed_words(text) if text else ()

    return words


def reserve_name(
    session: Session, destinations: Sequence[int], rule: RuleInUse, texts: Sequence[str], kind: Format, today: date
) -> str:
    """Take a name that is free at all destinations, for this transaction and, once it has ended well, for ever.

    Two people at once get two names: destinations are locked, in their order, until the transaction ends.

    Returns:
        The name with its folders and its ending.
    """
    locked = select(Destination.id).where(Destination.id.in_(destinations)).order_by(Destination.id)
    session.execute(locked.with_for_update(key_share=True))
    counted = _counted(rule.rule, texts, today)
    while True:
        name = _numbered(rule.rule, texts, take_count(session, rule.id, counted)).path + kind
        if not _is_taken(session, destinations, name):
            return name


def replaceable(session: Session, document_id: int, locked: bool = True) -> Document:
    """Return a document of which a later version can be made; locked, nobody else makes one meanwhile.

    Raises:
        NotFound: there is no such document, or it is not made.
        NotPossible: it has a later version already.
    """
    document = session.get(Document, document_id, with_for_update={"key_share": True} if locked else None)
    if document is None or document.sha256 is None:
        raise NotFound("document_gone")
    if session.scalar(select(Document.id).where(Document.replaces_id == document_id)) is not None:
        raise NotPossible("document_replaced", file=document.file_name)
    return document


def reserve_version(session: Session, destinations: Sequence[int], replaced: Document, kind: Format) -> str:
    """Take a name for a later version of a document, free at all destinations, as `reserve_name` does."""
    locked = select(Destination.id).where(Destination.id.in_(destinations)).order_by(Destination.id)
    session.execute(locked.with_for_update(key_share=True))
    for name in _version_names(session, replaced, kind):
        if not _is_taken(session, destinations, name):
            return name
    raise AssertionError("names of versions have no end")


def _version_names(session: Session, replaced: Document, kind: Format) -> Iterator[str]:
    """Yield names after the first version's, with its folders: `_v2` behind it, or more."""
    number, first = 2, replaced
    while first.replaces_id is not None:
        number, first = number + 1, session.get_one(Document, first.replaces_id)
    there = select(Delivery.file_name).where(Delivery.document_id == first.id).order_by(Delivery.id).limit(1)
    stem = (session.scalar(there) or first.file_name).rpartition(".")[0]
    for version in count(number):
        yield f"{stem}_v{version}{kind}"


def _is_taken(session: Session, destinations: Sequence[int], name: str) -> bool:
    taken = select(Delivery.id).where(Delivery.destination_id.in_(destinations), Delivery.file_name == name)
    return session.scalar(taken.limit(1)) is not None


def _counted(rule: NamingRule, texts: Sequence[str], today: date) -> str:
    """Return what the number of a name counts: names within a period; without a counter, names that are alike."""
    return counter_period(rule.counter, today) if rule.counter else f"={name_of(rule, texts, 0).path}"


def _numbered(rule: NamingRule, texts: Sequence[str], number: int) -> FilledName:
    return name_of(rule, texts, number, 0 if rule.counter else number - 1)


def _next_names(
    session: Session, rule_id: int, rule: NamingRule, documents: Sequence[Sequence[str]], today: date
) -> list[FilledName]:
    """Return what documents would be called next, given the texts of their names' parts."""
    given: dict[str, int] = {}
    names = []
    for texts in documents:
        counted = _counted(rule, texts, today)
        given[counted] = given.get(counted, next_count(session, rule_id, counted) - 1) + 1
        names.append(_numbered(rule, texts, given[counted]))
    return names
