"""What is filed: documents, their words, and where they go."""

from datetime import date, datetime
from enum import StrEnum

from sqlalchemy import Computed, ForeignKey, Index, Text, UniqueConstraint, func, text
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, TSVECTOR
from sqlalchemy.orm import Mapped, mapped_column, relationship

from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.store.models.base import Base, BigInt, Json, codes
from papiermappe.store.models.kept import Destination


class FilingState(StrEnum):
    """How far the making of documents is.

    queued -> making -> made, failed or stopped; failed, stopped -> queued (tried again).
    """

    QUEUED = "queued"
    MAKING = "making"
    MADE = "made"
    FAILED = "failed"
    STOPPED = "stopped"

    @property
    def under_way(self) -> bool:
        """Whether it is being worked on, or will be."""
        return self in {FilingState.QUEUED, FilingState.MAKING}


class DeliveryState(StrEnum):
    """How far a document is: waiting -> delivering -> delivered or failed; failed -> waiting (tried again)."""

    WAITING = "waiting"
    DELIVERING = "delivering"
    DELIVERED = "delivered"
    FAILED = "failed"


class Filing(Base):
    """The making of documents of a Mappe, and the record of it."""

    __tablename__ = "filing"
    id: Mapped[int] = mapped_column(primary_key=True)
    mappe_id: Mapped[int] = mapped_column(ForeignKey("mappe.id"), index=True)
    pages: Mapped[Json]
    """What is filed: for each page, in order, its capture, treatment and colour as they were."""
    page_count: Mapped[int]
    format: Mapped[Format] = mapped_column(codes(Format, "format"))
    level: Mapped[Level] = mapped_column(codes(Level, "level"))
    languages: Mapped[str] = mapped_column(server_default="")
    """That its pages are read in, as in eng+deu; empty: they are not read."""
    recognition_mode: Mapped[RecognitionMode] = mapped_column(codes(RecognitionMode, "recognition_mode"))
    options: Mapped[Json] = mapped_column(server_default=text("'{}'::jsonb"))
    """What was asked of its documents beyond format and level."""
    password: Mapped[bytes | None]
    """Of its documents, encrypted; forgotten as soon as they are made."""
    naming_rule_id: Mapped[int] = mapped_column(ForeignKey("naming_rule.id"))
    """Whose counter its names count on."""
    naming: Mapped[Json]
    """The rule as it was, perhaps changed for this once."""
    by_hand: Mapped[Json] = mapped_column(server_default=text("'{}'::jsonb"))
    """What a person has said of its document instead of the first page, which may still have to be read."""
    slip: Mapped[Json | None] = mapped_column(deferred=True)
    """Where its pages came from, and what had been done to them; None of filings from before that was kept."""
    state: Mapped[FilingState] = mapped_column(codes(FilingState, "state"))
    stop_requested: Mapped[bool] = mapped_column(server_default="false")
    pages_done: Mapped[int] = mapped_column(server_default="0")
    message: Mapped[Json | None]
    requested_at: Mapped[datetime] = mapped_column(server_default=func.now())
    ended_at: Mapped[datetime | None]
    change: Mapped[int] = mapped_column(BigInt, server_default="0")
    documents: Mapped[list["Document"]] = relationship(order_by="Document.number", viewonly=True)


class Document(Base):
    """A file that a filing makes."""

    __tablename__ = "document"
    __table_args__ = (UniqueConstraint("filing_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    filing_id: Mapped[int] = mapped_column(ForeignKey("filing.id"))
    number: Mapped[int]
    """Its place among the documents of the filing, from 1."""
    title: Mapped[str]
    first_page: Mapped[int]
    """The place of its first page among those of the filing, from 0."""
    page_count: Mapped[int]
    name_texts: Mapped[list[str]] = mapped_column(JSONB())
    """What each part of the naming rule gave."""
    file_name: Mapped[str]
    """Empty until its first page has been read, where its name is made of what that says."""
    sender: Mapped[str] = mapped_column(server_default="")
    """Who has sent it, as its first page says or a person has said; empty where that is not known."""
    dated: Mapped[date | None]
    """The day that it tells."""
    replaces_id: Mapped[int | None] = mapped_column(ForeignKey("document.id"), unique=True)
    """The document that it is a later version of."""
    thumbnail: Mapped[bytes | None] = mapped_column(deferred=True)
    """Of its first page, JPEG; None before it is made."""
    sha256: Mapped[str | None] = mapped_column(index=True)
    """None before it is made."""
    byte_size: Mapped[int | None] = mapped_column(BigInt)
    made: Mapped[Json | None]
    """Of each page, in order, how it was encoded and what it weighs; None before it is made."""
    filing: Mapped[Filing] = relationship(viewonly=True)
    deliveries: Mapped[list["Delivery"]] = relationship(order_by="Delivery.id", viewonly=True, lazy="selectin")


class DocumentPage(Base):
    """What a page of a document says, so that it is found by its words."""

    __tablename__ = "document_page"
    __table_args__ = (
        Index("ix_document_page_words", "words", postgresql_using="gin"),
        Index("ix_document_page_word_pairs", "word_pairs", postgresql_using="gin"),
    )
    document_id: Mapped[int] = mapped_column(ForeignKey("document.id"), primary_key=True)
    page: Mapped[int] = mapped_column(primary_key=True)
    """Its number in the document, from 1."""
    text: Mapped[str]
    words: Mapped[str] = mapped_column(
        TSVECTOR,
        Computed(
            "to_tsvector('simple', text) || to_tsvector('english', text) || to_tsvector('german', text)", persisted=True
        ),
    )
    """As they stand, and their stems in both languages."""
    word_pairs: Mapped[list[str]] = mapped_column(ARRAY(Text), Computed("word_pairs(text)", persisted=True))
    """Each word, as it stands, with the one behind it, a space between."""


class Delivery(Base):
    """A document on its way to one destination. Its name there is reserved as soon as it is known."""

    __tablename__ = "delivery"
    __table_args__ = (
        Index(
            "uq_delivery_destination_id_file_name",
            "destination_id",
            "file_name",
            unique=True,
            postgresql_where=text("file_name <> ''"),
        ),
        UniqueConstraint("document_id", "destination_id"),
        Index(
            "ix_delivery_file_name", "file_name", postgresql_using="gin", postgresql_ops={"file_name": "gin_trgm_ops"}
        ),
        Index("ix_delivery_delivered_at", "delivered_at", postgresql_where=text("state = 'delivered'")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = mapped_column(ForeignKey("document.id"))
    destination_id: Mapped[int] = mapped_column(ForeignKey("destination.id"))
    file_name: Mapped[str]
    """With the folders that the rule puts it in, a slash between them; empty as long as the document's is."""
    idempotency_key: Mapped[str] = mapped_column(unique=True)
    """Tells the destination that a second try is the same delivery."""
    state: Mapped[DeliveryState] = mapped_column(codes(DeliveryState, "state"))
    tries: Mapped[int] = mapped_column(server_default="0")
    next_try_at: Mapped[datetime | None]
    """When it is tried again, where the destination was away."""
    place: Mapped[str | None]
    """Where it lies: of a folder, the path; of mail, who got it, while others still wait too."""
    message: Mapped[Json | None]
    delivered_at: Mapped[datetime | None]
    destination: Mapped[Destination] = relationship(lazy="joined")
