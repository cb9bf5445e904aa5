"""The slip of a document: where it comes from, what was done, checksums; and whether a file is that document."""

import hashlib
from collections.abc import Mapping, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import SLIP_ENDING, Attachment
from papiermappe.message import Message, SaysMessages
from papiermappe.services.caller import Caller
from papiermappe.services.errors import NotFound
from papiermappe.services.history import HistoryLine, whole_history
from papiermappe.services.page_warnings import warnings_of
from papiermappe.services.pages import analysis_of, treatment_of
from papiermappe.store.database import Store
from papiermappe.store.models import Document, Filing, Page, Run

SLIP_DESCRIPTION = "Where the pages of this document come from, and what was done to them"


class SlipPage(BaseModel):
    """Where a page of a document comes from."""

    came_from: Message
    arrived_at: datetime
    scan_sha256: str
    scan_width_px: int
    scan_height_px: int
    scan_dpi: float
    treatment: dict[str, Any]
    """What was done to the scan to make the page."""
    findings: list[Message]
    """What the machine noticed."""
    said_to_be_fine: list[str]
    """The codes of those that a person has looked at."""


class SlipRecord(BaseModel):
    """What is kept with a filing when it is requested."""

    requested_by: str
    """Tells people apart; until there are accounts it is no name, and it is not what their browsers show to be them."""
    pages: list[SlipPage]
    history: list[HistoryLine]
    """Of the Mappe up to then, the oldest first."""


class SlipDelivery(BaseModel):
    """Where a document went."""

    destination: str
    place: str
    delivered_at: datetime


class SlipVersion(BaseModel):
    """An earlier version of a document."""

    file_name: str
    sha256: str | None


class Slip(BaseModel):
    """The record that goes with a document."""

    file_name: str
    title: str
    sha256: str | None
    """Of the document; None in the slip that it carries itself, which cannot know it."""
    byte_size: int | None
    format: Format
    level: Level
    languages: str
    requested_at: datetime
    requested_by: str
    replaces: SlipVersion | None = None
    """The version before it."""
    pages: list[SlipPage]
    history: list[HistoryLine]
    deliveries: list[SlipDelivery]


def record_of(session: Session, mappe_id: int, pages: Sequence[Page], author: str) -> SlipRecord:
    """Return what is to be kept with a filing of pages of a Mappe."""
    runs = {
        run.id: run for run in session.scalars(select(Run).where(Run.id.in_({page.capture.run_id for page in pages})))
    }
    return SlipRecord(
        requested_by=hashlib.sha256(author.encode()).hexdigest()[:12],
        pages=[_slip_page(page, runs) for page in pages],
        history=whole_history(session, mappe_id),
    )


def _slip_page(page: Page, runs: Mapping[int, Run]) -> SlipPage:
    capture, analysis = page.capture, analysis_of(page)
    return SlipPage(
        came_from=_came_from(page, runs[capture.run_id]),
        arrived_at=capture.arrived_at,
        scan_sha256=capture.sha256,
        scan_width_px=capture.width_px,
        scan_height_px=capture.height_px,
        scan_dpi=capture.dpi,
        treatment=page.treatment,
        findings=warnings_of(treatment_of(page), analysis) if analysis else [],
        said_to_be_fine=sorted(page.accepted),
    )


def _came_from(page: Page, run: Run) -> Message:
    capture = page.capture
    if capture.file_name is not None:
        return Message(code="slip_file", params={"file": capture.file_name, "page": capture.file_page or 1})
    device = run.device.name if run.device else ""
    params = {"device": device, "run": run.number, "sheet": capture.sheet or 0, "side": capture.side}
    return Message(code="slip_scanner", params=params)


def slip_of(_: Caller, store: Store, document_id: int) -> Slip:
    """Return the slip of a document that is made. Raises NotFound."""
    with store.begin() as session:
        document = session.get(Document, document_id)
        if document is None or document.sha256 is None:
            raise NotFound("document_gone")
        slip = _slip(session, document)
        delivered = [
            SlipDelivery(
                destination=delivery.destination.name,
                place=delivery.place or "",
                delivered_at=delivery.delivered_at,
            )
            for delivery in document.deliveries
            if delivery.delivered_at is not None
        ]
        return slip.model_copy(update={"deliveries": delivered})


def slip_without_deliveries(store: Store, document_id: int) -> Slip:
    """Return the slip of a document as far as it is known before it is delivered, or made. Raises NotFound."""
    with store.begin() as session:
        return _slip(session, session.get_one(Document, document_id))


def _slip(session: Session, document: Document) -> Slip:
    """Return the slip of a document without where it went."""
    filing = session.scalars(select(Filing).where(Filing.id == document.filing_id).options(undefer(Filing.slip))).one()
    if filing.slip is None:
        raise NotFound("slip_not_kept")
    record = SlipRecord.model_validate(filing.slip)
    end = document.first_page + document.page_count
    earlier = session.get_one(Document, document.replaces_id) if document.replaces_id else None
    return Slip(
        file_name=document.file_name,
        title=document.title,
        sha256=document.sha256,
        byte_size=document.byte_size,
        format=filing.format,
        level=filing.level,
        languages=filing.languages,
        requested_at=filing.requested_at,
        requested_by=record.requested_by,
        replaces=SlipVersion(file_name=earlier.file_name, sha256=earlier.sha256) if earlier else None,
        pages=record.pages[document.first_page : end],
        history=record.history,
        deliveries=[],
    )


def slip_file(slip: Slip, words: SaysMessages | None) -> Attachment:
    """Return a slip as a file, JSON; what is said in codes is said in words too, where there are any."""
    body = slip.model_dump_json(indent=1, context={"words": words} if words else None)
    name = slip.file_name.rpartition(".")[0] + SLIP_ENDING
    return Attachment(name, "application/json", body.encode(), SLIP_DESCRIPTION)


def documents_like(_: Caller, store: Store, file: Path) -> list[int]:
    """Return the documents that are, byte for byte, what a file is; none where it was not filed here, or was changed.

    Raises:
        OSError: the file cannot be read.
    """
    with file.open("rb") as opened:
        sha256 = hashlib.file_digest(opened, "sha256").hexdigest()
    with store.begin() as session:
        return list(session.scalars(select(Document.id).where(Document.sha256 == sha256).order_by(Document.id)))
