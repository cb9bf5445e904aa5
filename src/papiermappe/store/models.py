"""The tables. PostgreSQL keeps what must always hold: unique places, unique names, one pass a device."""

from datetime import date, datetime
from decimal import Decimal
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    CheckConstraint,
    DateTime,
    Enum,
    ForeignKey,
    Index,
    MetaData,
    Numeric,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from papiermappe.core.encode.formats import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.order.history import EntryKind
from papiermappe.core.order.places import Side
from papiermappe.core.page_text import Care

Json = dict[str, Any]


class Base(DeclarativeBase):
    """The root of the tables; constraints are named after them."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {datetime: DateTime(timezone=True), Json: JSONB, Decimal: Numeric}  # noqa: RUF012 (SQLAlchemy's way)


def _named(kind: type[StrEnum], name: str) -> Enum:
    """Return a column type that keeps an enum by its values, as text with a CHECK."""
    return Enum(
        kind,
        name=name,
        native_enum=False,
        length=20,
        create_constraint=True,
        values_callable=lambda all_: [one.value for one in all_],
    )


class PassState(StrEnum):
    """How far a pass is.

    taking -> waiting (a sheet from the glass is in) -> taking ...; taking, waiting -> done, stopped, failed.
    """

    TAKING = "taking"
    WAITING = "waiting"
    DONE = "done"
    STOPPED = "stopped"
    FAILED = "failed"

    @property
    def live(self) -> bool:
        """Whether the pass still has its device."""
        return self in {PassState.TAKING, PassState.WAITING}


class FilingState(StrEnum):
    """How far a filing is: queued -> making -> done, failed or stopped; failed, stopped -> queued (tried again)."""

    QUEUED = "queued"
    MAKING = "making"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"

    @property
    def under_way(self) -> bool:
        """Whether it is being worked on, or will be."""
        return self in {FilingState.QUEUED, FilingState.MAKING}


class Device(Base):
    """A scanner, known by its address."""

    __tablename__ = "device"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    url: Mapped[str] = mapped_column(unique=True)


class Ticket(Base):
    """Scan settings under a name."""

    __tablename__ = "ticket"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    settings: Mapped[Json]


class Destination(Base):
    """A folder that files go to."""

    __tablename__ = "destination"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    folder: Mapped[str]


class NamingRule(Base):
    """A rule for file names, with the number that comes next."""

    __tablename__ = "naming_rule"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    next_number: Mapped[int] = mapped_column(server_default="1")


class Mappe(Base):
    """One document in the making."""

    __tablename__ = "mappe"
    id: Mapped[int] = mapped_column(primary_key=True)
    subject: Mapped[str]
    opened_at: Mapped[datetime] = mapped_column(server_default=func.now())
    seq: Mapped[int] = mapped_column(server_default="0")
    """The number of the newest journal entry."""


class Pass(Base):
    """One run that brings captures in."""

    __tablename__ = "pass"
    __table_args__ = (
        UniqueConstraint("mappe_id", "number"),
        Index(
            "uq_pass_device_live",
            "device_id",
            unique=True,
            postgresql_where=text("state in ('taking', 'waiting')"),
        ),
        Index(
            "uq_pass_mappe_live",
            "mappe_id",
            unique=True,
            postgresql_where=text("state in ('taking', 'waiting')"),
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    mappe_id: Mapped[int] = mapped_column(ForeignKey("mappe.id"))
    number: Mapped[int]
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"))
    ticket: Mapped[Json]
    first_sheet: Mapped[int] = mapped_column(server_default="1")
    """The number of its first sheet: a pass that goes on after a jam counts on."""
    state: Mapped[PassState] = mapped_column(_named(PassState, "state"))
    stop_wanted: Mapped[bool] = mapped_column(server_default="false")
    job_url: Mapped[str | None]
    message: Mapped[str | None]
    started_at: Mapped[datetime] = mapped_column(server_default=func.now())
    ended_at: Mapped[datetime | None]
    device: Mapped[Device] = relationship(lazy="joined")
    captures: Mapped[list["Capture"]] = relationship(order_by="Capture.id", viewonly=True)


class Capture(Base):
    """The untouched picture of one side, as the device delivered it. Never changed."""

    __tablename__ = "capture"
    __table_args__ = (
        UniqueConstraint("pass_id", "sheet", "side"),
        CheckConstraint("width_px > 0 and height_px > 0 and dpi > 0", name="size"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    pass_id: Mapped[int] = mapped_column(ForeignKey("pass.id"))
    sheet: Mapped[int]
    side: Mapped[Side] = mapped_column(_named(Side, "side"))
    sha256: Mapped[str]
    media_type: Mapped[str]
    byte_size: Mapped[int]
    width_px: Mapped[int]
    height_px: Mapped[int]
    dpi: Mapped[float]
    arrived_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Page(Base):
    """One side at its place in a Mappe: a capture and a treatment."""

    __tablename__ = "page"
    __table_args__ = (
        UniqueConstraint("mappe_id", "rank", "side", deferrable=True, initially="DEFERRED"),
        CheckConstraint("revision > 0", name="revision"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    mappe_id: Mapped[int] = mapped_column(ForeignKey("mappe.id"), index=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("capture.id"), unique=True)
    rank: Mapped[Decimal]
    side: Mapped[Side] = mapped_column(_named(Side, "side"))
    put_away: Mapped[bool] = mapped_column(server_default="false")
    treatment: Mapped[Json]
    look: Mapped[Json | None]
    """What the machine saw when the page arrived; None before it has looked."""
    printed: Mapped[Json | None]
    """The page numbers and dates that were read on it; None before it has been read."""
    revision: Mapped[int]
    """The number of the journal entry that changed it last."""
    capture: Mapped[Capture] = relationship(lazy="joined")


class JournalEntry(Base):
    """One change of a Mappe: the fields of the pages it touched, before and after."""

    __tablename__ = "journal_entry"
    mappe_id: Mapped[int] = mapped_column(ForeignKey("mappe.id"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[EntryKind] = mapped_column(_named(EntryKind, "kind"))
    of_seq: Mapped[int | None]
    """The entry that is undone or redone."""
    text: Mapped[str]
    at: Mapped[datetime] = mapped_column(server_default=func.now())
    before: Mapped[Json]
    after: Mapped[Json]


class Filing(Base):
    """The making of a file, and the record of it."""

    __tablename__ = "filing"
    __table_args__ = (UniqueConstraint("destination_id", "file_name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    mappe_id: Mapped[int] = mapped_column(ForeignKey("mappe.id"), index=True)
    destination_id: Mapped[int] = mapped_column(ForeignKey("destination.id"))
    file_name: Mapped[str]
    title: Mapped[str]
    pages: Mapped[Json]
    """What is filed: for each page, in order, its capture and treatment as they were."""
    page_count: Mapped[int]
    kind: Mapped[Format] = mapped_column(_named(Format, "kind"))
    level: Mapped[Level] = mapped_column(_named(Level, "level"))
    languages: Mapped[str] = mapped_column(server_default="")
    """That its pages are read in, as in eng+deu; empty: they are not read."""
    care: Mapped[Care] = mapped_column(_named(Care, "care"))
    dated: Mapped[date]
    """The day in its name."""
    state: Mapped[FilingState] = mapped_column(_named(FilingState, "state"))
    stop_wanted: Mapped[bool] = mapped_column(server_default="false")
    pages_done: Mapped[int] = mapped_column(server_default="0")
    message: Mapped[str | None]
    byte_size: Mapped[int | None]
    sha256: Mapped[str | None]
    made: Mapped[Json | None]
    """Of each page, in order, what it was made of and what it weighs; None before it is done."""
    asked_at: Mapped[datetime] = mapped_column(server_default=func.now())
    done_at: Mapped[datetime | None]
    destination: Mapped[Destination] = relationship(lazy="joined")
