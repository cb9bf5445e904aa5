"""The names of documents that are filed: given when a person asks, or once the first page has been read.

A person in a hurry files before that. What the name is made of is found while the document is made; it is not there
before it has its name.
"""

from collections.abc import Sequence
from datetime import date

from sqlalchemy.orm import Session

from papiermappe.core.naming.filling import NameFacts, texts_of
from papiermappe.core.naming.rule import NamingRule
from papiermappe.core.reading.name_facts import name_facts, placed_words
from papiermappe.core.reading.page_text import PageText
from papiermappe.core.reading.printed import printed_on
from papiermappe.services.caller import Caller, locked_filing
from papiermappe.services.changes import filing_changed
from papiermappe.services.naming import ByHand, facts_said, remember_sender, reserve_name, reserve_version
from papiermappe.services.naming_rules import RuleInUse
from papiermappe.services.transaction import transaction
from papiermappe.store.models import Capture, Delivery, Document, Filing


def rule_of(filing: Filing) -> RuleInUse:
    """Return the rule that a filing names its documents by."""
    return RuleInUse(filing.naming_rule_id, NamingRule.model_validate(filing.naming))


def give_name(
    session: Session, filing: Filing, document: Document, destinations: Sequence[int], facts: NameFacts, today: date
) -> str:
    """Name a document by what is known of it, and note that; return its name with its folders and its ending."""
    document.title, document.sender, document.dated = facts.subject, facts.sender, facts.printed
    document.name_texts = list(texts_of(rule_of(filing).rule, facts))
    name = take_name(session, filing, document, destinations, today)
    document.file_name = name.rpartition("/")[2]
    return name


def take_name(session: Session, filing: Filing, document: Document, destinations: Sequence[int], today: date) -> str:
    """Take a name for a document at some destinations: after the one that it replaces, or else by the rule.

    Returns:
        The name with its folders and its ending.
    """
    if document.replaces_id is not None:
        replaced = session.get_one(Document, document.replaces_id)
        return reserve_version(session, destinations, replaced, filing.format)
    return reserve_name(session, destinations, rule_of(filing), document.name_texts, filing.format, today)


def take_next_name(session: Session, filing: Filing, delivery: Delivery) -> None:
    """Give a document whose name is taken at its destination the next one."""
    document = session.get_one(Document, delivery.document_id)
    name = take_name(session, filing, document, [delivery.destination_id], _day_of(filing))
    delivery.file_name, document.file_name = name, name.rpartition("/")[2]


@transaction
def name_document(caller: Caller, session: Session, document_id: int, text: PageText | None) -> Document:
    """Name a document that was filed before its first page had been read.

    Args:
        caller: who asks.
        session: of the transaction.
        document_id: of the document; if it has a name, it keeps it.
        text: of its first page; None where that cannot be read: the name is made without it.
    """
    filing, mappe = locked_filing(caller, session, session.get_one(Document, document_id).filing_id)
    document = session.get_one(Document, document_id, populate_existing=True)
    if document.file_name:
        return document
    by_hand = ByHand.model_validate(filing.by_hand)
    said = printed_on(text).proposals if text else None
    found = name_facts(_day_of(filing), document.title, said, placed_words(text) if text else ())
    capture = session.get_one(Capture, filing.pages["pages"][document.first_page]["capture"])
    facts = facts_said(session, capture, found, said, by_hand)
    remember_sender(session, said, by_hand.sender)
    destinations = [delivery.destination_id for delivery in document.deliveries]
    name = give_name(session, filing, document, destinations, facts, _day_of(filing))
    for delivery in document.deliveries:
        delivery.file_name = name
    filing_changed(session, mappe, filing)
    return document


def _day_of(filing: Filing) -> date:
    return filing.requested_at.astimezone().date()
