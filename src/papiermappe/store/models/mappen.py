"""Mappen, their pages, and the journal of what was done to them."""

from datetime import datetime
from decimal import Decimal
from enum import StrEnum

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, func, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from papiermappe.core.order.places import Side
from papiermappe.store.models.base import Base, BigInt, Json, codes
from papiermappe.store.models.incoming import Capture


class EntryKind(StrEnum):
    """What a journal entry is to undo and redo."""

    DO = "do"
    """An operation by a person: can be undone."""
    UNDO = "undo"
    REDO = "redo"
    MACHINE = "machine"
    """Something that happened (a page arrived, a sheet was found): it stays, and stands in nobody's way."""


class Mappe(Base):
    """One document in the making."""

    __tablename__ = "mappe"
    id: Mapped[int] = mapped_column(primary_key=True)
    subject: Mapped[str]
    opened_at: Mapped[datetime] = mapped_column(server_default=func.now())
    cleared_at: Mapped[datetime | None] = mapped_column(index=True)
    """When it was cleared away; it can be taken back for some days."""
    change: Mapped[int] = mapped_column(BigInt, server_default="0")
    """The newest number of the change sequence that concerns it."""
    subject_change: Mapped[int] = mapped_column(BigInt, server_default="0")
    """The change that named it last."""


TO_BE_FLATTENED = "treatment ->> 'corners' is not null and treatment ->> 'straighten' is null"
"""Which pages wait to be examined by their corners, as `Treatment.waits_to_be_examined` says."""


class Page(Base):
    """One side, or half of a spread, at its place in a Mappe: a capture and a treatment. Copies share a capture."""

    __tablename__ = "page"
    __table_args__ = (
        UniqueConstraint("mappe_id", "rank", "side", deferrable=True, initially="DEFERRED"),
        Index("ix_page_mappe_id_revision", "mappe_id", "revision"),
        Index("ix_page_not_analysed", "id", postgresql_where=text("analysis is null")),
        Index("ix_page_to_be_flattened", "id", postgresql_where=text(TO_BE_FLATTENED)),
        CheckConstraint("revision > 0", name="revision"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    mappe_id: Mapped[int | None] = mapped_column(ForeignKey("mappe.id"))
    """None: it lies nowhere, as a copy that was undone does."""
    capture_id: Mapped[int] = mapped_column(ForeignKey("capture.id"), index=True)
    rank: Mapped[Decimal]
    side: Mapped[Side] = mapped_column(codes(Side, "side"))
    set_aside: Mapped[bool] = mapped_column(server_default="false")
    begins: Mapped[str | None]
    """The name of the document that begins with its sheet, empty where it has none yet; None where none begins."""
    treatment: Mapped[Json]
    analysis: Mapped[Json | None]
    """What the machine found when the page arrived; None before it was analysed."""
    accepted: Mapped[list[str]] = mapped_column(JSONB, default=list, server_default=text("'[]'::jsonb"))
    """The codes of warnings about it that a person has looked at: it is fine."""
    printed: Mapped[Json | None]
    """The page numbers and dates that were read on it; None before it was read."""
    revision: Mapped[int] = mapped_column(BigInt)
    """The number of the change of it or its place that was last."""
    content_revision: Mapped[int] = mapped_column(BigInt)
    """The number of the last change that made it another one, and did not only lay it elsewhere in its Mappe."""
    capture: Mapped[Capture] = relationship(lazy="joined")


class JournalEntry(Base):
    """One thing that was done or happened. What it changed is in `journal_change`."""

    __tablename__ = "journal_entry"
    seq: Mapped[int] = mapped_column(BigInt, primary_key=True, autoincrement=False)
    kind: Mapped[EntryKind] = mapped_column(codes(EntryKind, "kind"))
    of_seq: Mapped[int | None] = mapped_column(ForeignKey("journal_entry.seq"), index=True)
    """The entry that is undone or redone."""
    author: Mapped[str]
    """Who did it; empty for the machine."""
    operation: Mapped[Json | None]
    message: Mapped[Json | None]
    """What happened, where it is no operation; None where nothing is to be told."""
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class JournalMappe(Base):
    """A Mappe that an entry touched, and what it set of the Mappe itself, before and after."""

    __tablename__ = "journal_mappe"
    mappe_id: Mapped[int] = mapped_column(ForeignKey("mappe.id"), primary_key=True)
    seq: Mapped[int] = mapped_column(ForeignKey("journal_entry.seq"), primary_key=True)
    before: Mapped[Json | None]
    """Its `subject`, and whether it is `there`; None where the entry set neither."""
    after: Mapped[Json | None]


class JournalChange(Base):
    """The fields of one page that an entry set, before and after."""

    __tablename__ = "journal_change"
    page_id: Mapped[int] = mapped_column(ForeignKey("page.id"), primary_key=True)
    seq: Mapped[int] = mapped_column(ForeignKey("journal_entry.seq"), primary_key=True, index=True)
    before: Mapped[Json]
    after: Mapped[Json]


class Receipt(Base):
    """The answer to a command that was sent with a request id: sent again, it is not done again."""

    __tablename__ = "receipt"
    request_id: Mapped[str] = mapped_column(primary_key=True)
    answer: Mapped[Json | None]
    at: Mapped[datetime] = mapped_column(server_default=func.now(), index=True)
