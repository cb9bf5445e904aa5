"""The tables. PostgreSQL keeps what must always hold: unique places, unique names, one live run a device.

One sequence, `change_seq`, numbers everything that windows are told of: journal entries and the changes of runs,
filings and Mappen. It is read while the Mappe's row is locked, so the numbers of one Mappe are committed in order.
"""

from papiermappe.store.models.base import CHANGE_SEQ, Base, Json
from papiermappe.store.models.filed import Delivery, DeliveryState, Document, DocumentPage, Filing, FilingState
from papiermappe.store.models.incoming import Capture, FileState, IncomingFile, PhoneLink, Run, RunOrigin, RunState
from papiermappe.store.models.kept import (
    CodePattern,
    Destination,
    DestinationKind,
    Device,
    KnownSender,
    NamingCounter,
    NamingRule,
    Routine,
    Ticket,
    WatchedFolder,
)
from papiermappe.store.models.mappen import (
    TO_BE_FLATTENED,
    EntryKind,
    JournalChange,
    JournalEntry,
    JournalMappe,
    Mappe,
    Page,
    Receipt,
)

__all__ = [
    "CHANGE_SEQ",
    "TO_BE_FLATTENED",
    "Base",
    "Capture",
    "CodePattern",
    "Delivery",
    "DeliveryState",
    "Destination",
    "DestinationKind",
    "Device",
    "Document",
    "DocumentPage",
    "EntryKind",
    "FileState",
    "Filing",
    "FilingState",
    "IncomingFile",
    "JournalChange",
    "JournalEntry",
    "JournalMappe",
    "Json",
    "KnownSender",
    "Mappe",
    "NamingCounter",
    "NamingRule",
    "Page",
    "PhoneLink",
    "Receipt",
    "Routine",
    "Run",
    "RunOrigin",
    "RunState",
    "Ticket",
    "WatchedFolder",
]
