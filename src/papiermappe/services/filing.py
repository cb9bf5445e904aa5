"""The station File: making documents from a Mappe."""

import uuid
from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from pydantic import SecretStr
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.documents import PlannedDocument
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import DocumentOptions
from papiermappe.message import Message
from papiermappe.services.caller import Caller, locked_filing, locked_mappe
from papiermappe.services.changes import filing_changed
from papiermappe.services.destinations import destination_in_use
from papiermappe.services.document_names import give_name, rule_of, take_name
from papiermappe.services.errors import NotPossible
from papiermappe.services.naming import (
    ByHand,
    NameWanted,
    Words,
    facts_of,
    no_words,
    remember_sender,
    replaceable,
    rule_for,
    said_on,
    waits_for_reading,
    words_known,
)
from papiermappe.services.naming_rules import RuleInUse
from papiermappe.services.pages import analysis_of, pages_of
from papiermappe.services.planning import PagesWanted, planned_documents
from papiermappe.services.reading import NOT_READ, Reading
from papiermappe.services.slips import SlipRecord, record_of
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import (
    Delivery,
    DeliveryState,
    Document,
    Filing,
    FilingState,
    Page,
)
from papiermappe.store.queue import JobKind, enqueue
from papiermappe.store.secrets import SecretBox


class FilingRequest(NamedTuple):
    """What is to be made, and where it is to go."""

    destinations: tuple[int, ...]
    """The first names it."""
    level: Level = Level.BALANCED
    reading: Reading = NOT_READ
    name: NameWanted = NameWanted()
    format: Format = Format.PDF
    pages: PagesWanted = PagesWanted()
    options: DocumentOptions = DocumentOptions()
    password: SecretStr | None = None
    """Without it a PDF does not open."""
    replaces: int | None = None
    """The document that this is a later version of: it is named after it."""


def request_filing(
    caller: Caller,
    store: Store,
    mappe_id: int,
    wanted: FilingRequest,
    now: datetime,
    secrets: SecretBox | None = None,
) -> int:
    """Reserve names and have the pages of a Mappe, as they are now, made into documents.

    Args:
        caller: who asks.
        store: of the Mappe.
        mappe_id: of the Mappe.
        wanted: what is to be made.
        now: the current time, with its zone.
        secrets: seals a password until the documents are made.

    Returns:
        The number of the filing.

    Raises:
        NotFound: there is no such Mappe, destination, naming rule, or document to replace.
        NotPossible: there is no page to file, several documents would replace one, they do not fit into a file of that
            format, or it cannot have what is asked for.
        RangeRefused: the ranges of pages make no sense.
        ValueError: there is a password, and nothing to seal it with.
    """
    typed = wanted.password.get_secret_value() if wanted.password else ""
    if typed and secrets is None:
        raise ValueError("a password has to be sealed: without a box for that, the document would go out open")
    sealed = secrets.seal(typed) if typed and secrets else None
    return _request(caller, store, mappe_id, wanted, now, words_known(store, wanted.reading), sealed)


@transaction
def _request(
    caller: Caller,
    session: Session,
    mappe_id: int,
    wanted: FilingRequest,
    now: datetime,
    words: Words,
    sealed_password: bytes | None,
) -> int:
    mappe = locked_mappe(caller, session, mappe_id)
    for destination_id in wanted.destinations:
        destination_in_use(session, destination_id)
    planned = planned_documents(session, mappe_id, wanted.pages)
    rule = rule_for(session, wanted.destinations[0], planned[0].pages[0], wanted.name)
    if wanted.replaces is not None:
        replaceable(session, wanted.replaces)
    _refuse_impossible(wanted, planned, has_password=sealed_password is not None)
    pages = _pages_of(session, mappe_id, [page for document in planned for page in document.pages])
    slip = record_of(session, mappe_id, pages, caller.author)
    # of several documents, of what was typed only who files them counts
    by_hand = wanted.name.by_hand if len(planned) == 1 else ByHand(who=wanted.name.by_hand.who)
    filing = _filing_of(mappe_id, wanted, pages, rule, by_hand, slip, now, sealed_password)
    session.add(filing)
    session.flush()
    _add_documents(session, filing, planned, wanted, mappe.subject, words)
    filing_changed(session, mappe, filing)
    enqueue(session, JobKind.MAKE, filing_id=filing.id)
    return filing.id


def _add_documents(
    session: Session,
    filing: Filing,
    planned: Sequence[PlannedDocument],
    wanted: FilingRequest,
    subject: str,
    words: Words,
) -> None:
    """Add the documents of a filing, and where they go. All have their names, or all wait for their first pages."""
    rule, by_hand = rule_of(filing).rule, ByHand.model_validate(filing.by_hand)
    destinations, today = list(dict.fromkeys(wanted.destinations)), filing.requested_at.astimezone().date()
    waits = wanted.replaces is None and any(
        waits_for_reading(rule, wanted.reading, session.get_one(Page, plan.pages[0]), plan.name or subject)
        for plan in planned
    )
    for document, plan in zip(_documents_of(filing, planned, wanted.replaces), planned, strict=True):
        document.title, name = plan.name or subject, ""
        session.add(document)
        if not waits:
            first_page = session.get_one(Page, plan.pages[0])
            said_words = words if rule.needs_words else no_words
            facts = facts_of(session, first_page.id, document.title, by_hand, today, said_words)
            remember_sender(session, said_on(first_page), by_hand.sender)
            name = give_name(session, filing, document, destinations, facts, today)
        session.flush()
        session.add_all(_delivery(document, destination_id, name) for destination_id in destinations)
        session.flush()


def _refuse_impossible(wanted: FilingRequest, planned: Sequence[PlannedDocument], *, has_password: bool) -> None:
    """Raise NotPossible where the documents cannot be made as it is wanted."""
    if wanted.replaces is not None and len(planned) > 1:
        raise NotPossible("one_document_replaces")
    longest = max(len(document.pages) for document in planned)
    if wanted.format.has_one_page and longest > 1:
        raise NotPossible("format_holds_one_page", format=wanted.format.value, pages=longest)
    if wanted.format.is_of_words and not wanted.reading.languages:
        raise NotPossible("format_needs_language")
    if wanted.format is not Format.PDF and (has_password or wanted.options.needs_pdf):
        raise NotPossible("options_need_pdf")


def _filing_of(
    mappe_id: int,
    wanted: FilingRequest,
    pages: Sequence[Page],
    rule: RuleInUse,
    by_hand: ByHand,
    slip: SlipRecord,
    now: datetime,
    sealed_password: bytes | None,
) -> Filing:
    """Return the row of what is wanted, with the pages as they are now."""
    return Filing(
        mappe_id=mappe_id,
        pages={"pages": [_as_filed(page) for page in pages]},
        page_count=len(pages),
        format=wanted.format,
        level=wanted.level,
        languages=wanted.reading.languages,
        recognition_mode=wanted.reading.mode,
        options=wanted.options.model_dump(mode="json"),
        password=sealed_password,
        naming_rule_id=rule.id,
        naming=rule.rule.model_dump(mode="json"),
        by_hand=by_hand.model_dump(mode="json"),
        slip=slip.model_dump(mode="json"),
        state=FilingState.QUEUED,
        requested_at=now,
    )


def _documents_of(filing: Filing, planned: Sequence[PlannedDocument], replaces: int | None) -> Iterator[Document]:
    """Yield the rows of the documents, still without their names."""
    first_page = 0
    for number, document in enumerate(planned, 1):
        yield Document(
            filing_id=filing.id,
            number=number,
            replaces_id=replaces,
            first_page=first_page,
            page_count=len(document.pages),
            name_texts=[],
            file_name="",
        )
        first_page += len(document.pages)


def _delivery(document: Document, destination_id: int, name: str) -> Delivery:
    return Delivery(
        document_id=document.id,
        destination_id=destination_id,
        file_name=name,
        idempotency_key=str(uuid.uuid4()),
        state=DeliveryState.WAITING,
    )


def _pages_of(session: Session, mappe_id: int, wanted: Sequence[int]) -> list[Page]:
    there = {page.id: page for page in pages_of(session, mappe_id)}
    return [there[number] for number in wanted]


def _as_filed(page: Page) -> dict[str, Any]:
    analysis = analysis_of(page)
    colour = analysis.colour if analysis else ColourKind.COLOUR
    return {"capture": page.capture_id, "treatment": page.treatment, "colour": colour.value}


@transaction
def try_again(caller: Caller, session: Session, filing_id: int) -> None:
    """Have what is left of a filing that failed or was stopped made, and delivered, under the same names.

    Raises:
        NotFound: there is no such filing.
        NotPossible: it is made already, or is being made.
    """
    filing, mappe = locked_filing(caller, session, filing_id)
    failed = [delivery for delivery in deliveries_of(session, filing_id) if _can_be_tried(delivery)]
    unmade = filing.state in {FilingState.FAILED, FilingState.STOPPED}
    if not (unmade or failed):
        raise NotPossible("filing_already")
    if unmade:
        filing.state, filing.message, filing.pages_done, filing.stop_requested = FilingState.QUEUED, None, 0, False
        enqueue(session, JobKind.MAKE, filing_id=filing_id)
    for delivery in failed:
        delivery.state, delivery.message, delivery.next_try_at = DeliveryState.WAITING, None, None
        enqueue(session, JobKind.DELIVER, delivery_id=delivery.id)
    filing_changed(session, mappe, filing)


@transaction
def stop(caller: Caller, session: Session, filing_id: int) -> None:
    """Have the making of documents stopped, or their waiting for a destination that is away.

    Raises:
        NotFound: there is no such filing.
        NotPossible: there is nothing to stop.
    """
    filing, mappe = locked_filing(caller, session, filing_id)
    waiting = [delivery for delivery in deliveries_of(session, filing_id) if delivery.next_try_at is not None]
    if not (filing.state.under_way or waiting):
        raise NotPossible("filing_over")
    filing.stop_requested = filing.state.under_way
    for delivery in waiting:
        delivery.state, delivery.next_try_at = DeliveryState.FAILED, None
        delivery.message = Message(code="delivery_stopped").model_dump(mode="json")
    filing_changed(session, mappe, filing)


def _can_be_tried(delivery: Delivery) -> bool:
    return delivery.state is DeliveryState.FAILED or delivery.next_try_at is not None


@transaction
def send_on(caller: Caller, session: Session, filing_id: int, destination_id: int, now: datetime) -> None:
    """Deliver the documents of a filing to another destination too, under names by its rule.

    Raises:
        NotFound: there is no such filing or destination.
        NotPossible: they go there already, or are not made yet.
    """
    filing, mappe = locked_filing(caller, session, filing_id)
    destination = destination_in_use(session, destination_id)
    there = {delivery.destination_id for delivery in deliveries_of(session, filing_id)}
    if filing.state is not FilingState.MADE or destination_id in there:
        raise NotPossible("documents_go_there", destination=destination.name)
    today = now.astimezone().date()
    for document in filing.documents:
        name = take_name(session, filing, document, [destination_id], today)
        delivery = _delivery(document, destination_id, name)
        session.add(delivery)
        session.flush()
        enqueue(session, JobKind.DELIVER, delivery_id=delivery.id)
    filing_changed(session, mappe, filing)


def deliveries_of(session: Session, filing_id: int) -> list[Delivery]:
    """Return where the documents of a filing go."""
    of_filing = select(Delivery).join(Document, Document.id == Delivery.document_id)
    return list(session.scalars(of_filing.where(Document.filing_id == filing_id).order_by(Delivery.id)))
