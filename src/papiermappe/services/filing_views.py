"""Filings as windows show them."""

from collections.abc import Sequence
from datetime import datetime

from pydantic import BaseModel

from papiermappe.core.encode.level import Level
from papiermappe.message import Message
from papiermappe.services.caller import Caller, visible_mappe
from papiermappe.services.errors import NotFound
from papiermappe.store.database import Store
from papiermappe.store.models import Delivery, DeliveryState, Document, Filing, FilingState

DOCUMENTS_SHOWN = 10


class DeliveryView(BaseModel):
    """How far the documents of a filing have come to one destination."""

    destination: str
    state: DeliveryState
    """Of all of them: failed where one has, delivered once all are."""
    message: Message | None
    """Why the first that failed, or waits, does."""
    next_try_at: datetime | None
    """When it is tried again, where it is away."""
    place: str | None
    """Of a single document that is there: where it lies, or who got it."""


class DocumentView(BaseModel):
    """A document as windows show it."""

    id: int
    file_name: str
    byte_size: int | None
    """None before it is made."""
    replaces: int | None
    """The document that it is a later version of."""


class FilingView(BaseModel):
    """A filing as windows show it."""

    id: int
    documents: list[DocumentView]
    """The first of them."""
    document_count: int
    state: FilingState
    page_count: int
    pages_done: int
    byte_size: int | None
    """Of all documents together; None before they are made."""
    message: Message | None
    stopping: bool
    made: Message | None
    """What its pages were made of; None before it is made."""
    deliveries: list[DeliveryView]


def whole_filing(caller: Caller, store: Store, filing_id: int) -> FilingView:
    """Return a filing with all its documents. Raises NotFound."""
    with store.begin() as session:
        filing = session.get(Filing, filing_id)
        if filing is None:
            raise NotFound("filing_gone")
        visible_mappe(caller, session, filing.mappe_id)
        return filing_view(filing, len(filing.documents))


def filing_view(filing: Filing, documents_shown: int = DOCUMENTS_SHOWN) -> FilingView:
    """Return a filing as windows show it."""
    documents = filing.documents
    is_made = filing.state is FilingState.MADE
    return FilingView(
        id=filing.id,
        documents=[
            DocumentView(
                id=document.id,
                file_name=document.file_name,
                byte_size=document.byte_size,
                replaces=document.replaces_id,
            )
            for document in documents[:documents_shown]
        ],
        document_count=len(documents),
        state=filing.state,
        page_count=filing.page_count,
        pages_done=filing.pages_done,
        byte_size=sum(document.byte_size or 0 for document in documents) if is_made else None,
        message=Message.model_validate(filing.message) if filing.message else None,
        stopping=filing.stop_requested and filing.state.under_way,
        made=_made_of(documents, filing.level) if is_made else None,
        deliveries=_delivery_views([delivery for document in documents for delivery in document.deliveries]),
    )


def _made_of(documents: Sequence[Document], level: Level) -> Message:
    made = [document.made for document in documents if document.made]
    params = {
        "level": level,
        "pages": [page for each in made for page in each["pages"]],
        "guesses": sum(each.get("guesses", 0) for each in made),
        "unread": sum(each.get("unread", 0) for each in made),
        "unread_cause": next((cause for each in made if (cause := each.get("unread_cause"))), None),
    }
    return Message(code="document_made", params=params)


def _delivery_views(deliveries: Sequence[Delivery]) -> list[DeliveryView]:
    by_destination: dict[str, list[Delivery]] = {}
    for delivery in deliveries:
        by_destination.setdefault(delivery.destination.name, []).append(delivery)
    return [
        DeliveryView(
            destination=name,
            state=_state_of_all([delivery.state for delivery in there]),
            message=next((Message.model_validate(delivery.message) for delivery in there if delivery.message), None),
            next_try_at=next((delivery.next_try_at for delivery in there if delivery.next_try_at), None),
            place=there[0].place if len(there) == 1 else None,
        )
        for name, there in by_destination.items()
    ]


def _state_of_all(states: Sequence[DeliveryState]) -> DeliveryState:
    if set(states) == {DeliveryState.DELIVERED}:
        return DeliveryState.DELIVERED
    unfinished = DeliveryState.FAILED, DeliveryState.DELIVERING
    return next((state for state in unfinished if state in states), DeliveryState.WAITING)
