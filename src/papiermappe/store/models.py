"""The tables. PostgreSQL keeps what must always hold: unique places, unique names, one live run a device.

One sequence, `change_seq`, numbers everything that windows are told of: journal entries and the changes of runs,
filings and Mappen. It is read while the Mappe's row is locked, so the numbers of one Mappe are committed in order.
"""

from datetime import date, datetime
from decimal import Decimal
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    Computed,
    DateTime,
    Enum,
    ForeignKey,
    Index,
    MetaData,
    Numeric,
    Sequence,
    Text,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, TSVECTOR
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.order.codes import CodeFormat
from papiermappe.core.order.dividers import CodeUse
from papiermappe.core.order.places import Side
from papiermappe.core.reading.page_text import RecognitionMode

Json = dict[str, Any]
BigInt = BigInteger()

LIVE_STATES = "state in ('receiving', 'waiting')"


class Base(DeclarativeBase):
    """The root of the tables; constraints are named after them."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_N_label)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012 (SQLAlchemy's way)
        datetime: DateTime(timezone=True),
        Json: JSONB(none_as_null=True),
        list[Json]: JSONB(none_as_null=True),
        Decimal: Numeric,
    }


CHANGE_SEQ = Sequence("change_seq", metadata=Base.metadata)


def _codes(kind: type[StrEnum], name: str) -> Enum:
    """Return a column type that keeps an enum by its codes, as text with a CHECK."""
    return Enum(
        kind,
        name=name,
        native_enum=False,
        length=20,
        create_constraint=True,
        values_callable=lambda members: [member.value for member in members],
    )


class RunOrigin(StrEnum):
    """Where the captures of a run come from."""

    SCANNER = "scanner"
    FILES = "files"
    FOLDER = "folder"
    CAMERA = "camera"

    @property
    def is_files(self) -> bool:
        """Whether captures come from files, whichever way those come."""
        return self in {RunOrigin.FILES, RunOrigin.FOLDER}


class RunState(StrEnum):
    """How far a run is.

    receiving -> waiting (a sheet from the glass is in) -> receiving ...;
    receiving, waiting -> done, stopped, interrupted.
    """

    RECEIVING = "receiving"
    WAITING = "waiting"
    DONE = "done"
    STOPPED = "stopped"
    INTERRUPTED = "interrupted"

    @property
    def live(self) -> bool:
        """Whether the run still has its device."""
        return self in {RunState.RECEIVING, RunState.WAITING}


class FileState(StrEnum):
    """How far a file is that is brought in.

    coming -> waiting (all of it is here) -> done, failed or locked; locked -> waiting (with a password);
    coming, waiting, locked -> cancelled.
    """

    COMING = "coming"
    WAITING = "waiting"
    LOCKED = "locked"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"

    @property
    def over(self) -> bool:
        """Whether nothing more comes of it."""
        return self in {FileState.DONE, FileState.FAILED, FileState.CANCELLED}


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


class DestinationKind(StrEnum):
    """What kind of place documents go to."""

    FOLDER = "folder"
    OBJECT_STORE = "object_store"
    MAIL = "mail"
    DOWNLOAD = "download"


class EntryKind(StrEnum):
    """What a journal entry is to undo and redo."""

    DO = "do"
    """An operation by a person: can be undone."""
    UNDO = "undo"
    REDO = "redo"
    MACHINE = "machine"
    """Something that happened (a page arrived, a sheet was found): it stays, and stands in nobody's way."""


class Device(Base):
    """A scanner or camera. It is known by its UUID; its address may change."""

    __tablename__ = "device"
    __table_args__ = (
        Index("uq_device_url_nameless", "url", unique=True, postgresql_where=text("uuid is null")),
        Index("uq_device_default", "is_default", unique=True, postgresql_where=text("is_default")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    uuid: Mapped[str | None] = mapped_column(unique=True)
    """As the device tells it; None where it has not told one: then it is known by its address."""
    name: Mapped[str]
    url: Mapped[str]
    capabilities: Mapped[Json | None]
    """What it said last that it can do."""
    removed_at: Mapped[datetime | None]
    """When a person has removed it; its runs stay, and it comes back when it is added again."""
    is_default: Mapped[bool] = mapped_column(server_default="false")
    """Whether it is chosen where a person has not chosen any yet."""


class Ticket(Base):
    """Scan settings under a name."""

    __tablename__ = "ticket"
    __table_args__ = (
        Index("uq_ticket_default", "is_default", unique=True, postgresql_where=text("is_default")),
        Index("uq_ticket_name", "name", unique=True, postgresql_where=text("removed_at is null")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    settings: Mapped[Json]
    is_default: Mapped[bool] = mapped_column(server_default="false")
    """Whether it is chosen where a person has not chosen any yet."""
    removed_at: Mapped[datetime | None]
    """When a person has removed it; it can be taken back."""
    naming_rule_id: Mapped[int | None] = mapped_column(ForeignKey("naming_rule.id"))
    """By which documents that it scans are named, unless their destination has a rule; None: by that or the default."""


class Routine(Base):
    """Operations under a name, to be run on other pages."""

    __tablename__ = "routine"
    __table_args__ = (Index("uq_routine_name", "name", unique=True, postgresql_where=text("removed_at is null")),)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    steps: Mapped[list[Json]] = mapped_column(JSONB())
    removed_at: Mapped[datetime | None]
    """When a person has removed it; it can be taken back."""


class Destination(Base):
    """A place that documents go to."""

    __tablename__ = "destination"
    __table_args__ = (Index("uq_destination_name", "name", unique=True, postgresql_where=text("removed_at is null")),)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    kind: Mapped[DestinationKind] = mapped_column(_codes(DestinationKind, "kind"))
    settings: Mapped[Json]
    """What this kind of place needs: of a folder, its path."""
    secret: Mapped[bytes | None]
    """Its password or secret key, encrypted."""
    form: Mapped[Json]
    """How documents that go there are made, unless a person says otherwise: format, level, languages."""
    removed_at: Mapped[datetime | None]
    """When a person has removed it; it can be taken back."""
    naming_rule_id: Mapped[int | None] = mapped_column(ForeignKey("naming_rule.id"))
    """The rule that names what goes there; None: the default one."""


class NamingRule(Base):
    """How file names are made, under a name."""

    __tablename__ = "naming_rule"
    __table_args__ = (
        Index("uq_naming_rule_default", "is_default", unique=True, postgresql_where=text("is_default")),
        Index("uq_naming_rule_name", "name", unique=True, postgresql_where=text("removed_at is null")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    rule: Mapped[Json]
    is_default: Mapped[bool] = mapped_column(server_default="false")
    """Whether it is chosen where neither a person nor a destination says which."""
    removed_at: Mapped[datetime | None]
    """When a person has removed it; it can be taken back."""


class NamingCounter(Base):
    """The number that comes next in the names of a rule."""

    __tablename__ = "naming_counter"
    rule_id: Mapped[int] = mapped_column(ForeignKey("naming_rule.id"), primary_key=True)
    counted: Mapped[str] = mapped_column(primary_key=True)
    """Names within 2026 or 2026-11; empty: all; of a rule without a counter, names that are alike: = and the name."""
    next_number: Mapped[int]


class KnownSender(Base):
    """What a person has called a sender whose letterhead is read in some way."""

    __tablename__ = "known_sender"
    read_as: Mapped[str] = mapped_column(primary_key=True)
    """In small letters."""
    name: Mapped[str]


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


class PhoneLink(Base):
    """A secret address under which a phone adds pictures to a Mappe, for a while.

    open until `expires_at`, or until somebody closes it.
    """

    __tablename__ = "phone_link"
    __table_args__ = (Index("uq_phone_link_open", "mappe_id", unique=True, postgresql_where=text("closed_at is null")),)
    id: Mapped[int] = mapped_column(primary_key=True)
    mappe_id: Mapped[int] = mapped_column(ForeignKey("mappe.id"))
    digest: Mapped[str] = mapped_column(unique=True)
    """SHA-256 of its secret, by which it is found."""
    sealed: Mapped[bytes]
    """Its secret, encrypted: the desk shows it again."""
    author: Mapped[str]
    """Who opened it, and stands for what the phone does."""
    opened_at: Mapped[datetime] = mapped_column(server_default=func.now())
    expires_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]


class Run(Base):
    """One go that brings captures in."""

    __tablename__ = "run"
    __table_args__ = (
        UniqueConstraint("mappe_id", "number"),
        CheckConstraint("origin <> 'scanner' or device_id is not null", name="scanner"),
        CheckConstraint("origin in ('scanner', 'camera') or device_id is null", name="no_device"),
        CheckConstraint("origin = 'camera' or phone_link_id is null", name="phone"),
        Index("uq_run_device_live", "device_id", unique=True, postgresql_where=text(LIVE_STATES)),
        Index("uq_run_mappe_live", "mappe_id", unique=True, postgresql_where=text(LIVE_STATES)),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    mappe_id: Mapped[int] = mapped_column(ForeignKey("mappe.id"))
    number: Mapped[int]
    origin: Mapped[RunOrigin] = mapped_column(_codes(RunOrigin, "origin"))
    device_id: Mapped[int | None] = mapped_column(ForeignKey("device.id"), index=True)
    ticket: Mapped[Json | None]
    ticket_id: Mapped[int | None] = mapped_column(ForeignKey("ticket.id"))
    """The ticket that was chosen, perhaps changed for this once."""
    expected_sheets: Mapped[int | None]
    """How many sheets the person counted."""
    first_sheet: Mapped[int] = mapped_column(server_default="1")
    """The number of its first sheet: a run that continues after a jam counts on."""
    state: Mapped[RunState] = mapped_column(_codes(RunState, "state"))
    stop_requested: Mapped[bool] = mapped_column(server_default="false")
    dismissed: Mapped[bool] = mapped_column(server_default="false")
    """Whether a person has decided to finish without the rest."""
    phone_link_id: Mapped[int | None] = mapped_column(ForeignKey("phone_link.id"), index=True)
    """The link of the phone that its pictures come from; None: no phone."""
    job_intention: Mapped[Json | None]
    """The names of the jobs that the device had (`known`), and the time (`at`), when it was about to be given one."""
    job_url: Mapped[str | None]
    captures_before_job: Mapped[int] = mapped_column(server_default="0")
    """How many pictures were in when the device's job began."""
    author: Mapped[str] = mapped_column(server_default="")
    """Who began it; empty where that was not kept."""
    landing: Mapped[Json | None]
    """Where its pages go; None: to the Mappe's end."""
    areas: Mapped[list[Json] | None]
    """Areas of the glass that become a page each; None: the paper, wherever it lies."""
    pairing: Mapped[Json | None]
    """Of a run of backs, what became of laying them to their fronts; None before that was tried."""
    open_book: Mapped[bool] = mapped_column(server_default="false")
    """Whether its pictures show two pages each, which are to be split once all are in."""
    retaking: Mapped[bool] = mapped_column(server_default="false")
    """Whether the sheet that came in last is being taken again."""
    message: Mapped[Json | None]
    """What happened: a code with its parameters."""
    started_at: Mapped[datetime] = mapped_column(server_default=func.now())
    ended_at: Mapped[datetime | None]
    change: Mapped[int] = mapped_column(BigInt, server_default="0")
    device: Mapped[Device | None] = relationship(lazy="joined")
    kept_ticket: Mapped[Ticket | None] = relationship(viewonly=True)
    captures: Mapped[list["Capture"]] = relationship(order_by="Capture.id", viewonly=True)


class Capture(Base):
    """The untouched picture of one side, as it came in. Never changed."""

    __tablename__ = "capture"
    __table_args__ = (
        UniqueConstraint("run_id", "sheet", "side", "take"),
        UniqueConstraint("run_id", "file_name", "file_page"),
        CheckConstraint("width_px > 0 and height_px > 0 and dpi > 0", name="size"),
        CheckConstraint("(sheet is null) = (side is null) and (file_name is null) = (file_page is null)", name="pairs"),
        CheckConstraint("sheet is not null or file_name is not null", name="source"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id"))
    sheet: Mapped[int | None]
    side: Mapped[Side | None] = mapped_column(_codes(Side, "side"))
    take: Mapped[int] = mapped_column(server_default="1")
    """Above 1 where a sheet was taken again within its run."""
    file_name: Mapped[str | None]
    file_page: Mapped[int | None]
    sha256: Mapped[str] = mapped_column(index=True)
    media_type: Mapped[str]
    byte_size: Mapped[int] = mapped_column(BigInt)
    width_px: Mapped[int]
    height_px: Mapped[int]
    dpi: Mapped[float]
    by_camera: Mapped[bool] = mapped_column(server_default="false")
    """Whether a camera took it, so that it shows a sheet on a table."""
    photo_sheet: Mapped[Json | None]
    """Where that sheet is, as it was found when the photo came."""
    arrived_at: Mapped[datetime] = mapped_column(server_default=func.now())
    text_layer: Mapped[Json | None] = mapped_column(deferred=True)
    """What the file that it comes from says of it, with places on the capture."""


class WatchedFolder(Base):
    """A folder whose files are brought in as they are dropped there."""

    __tablename__ = "watched_folder"
    __table_args__ = (
        Index("uq_watched_folder_path", "path", unique=True, postgresql_where=text("removed_at is null")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    path: Mapped[str]
    both_sides: Mapped[bool] = mapped_column(server_default="false")
    """Whether pages are fronts and backs in turn."""
    removed_at: Mapped[datetime | None]
    """When it was watched no more."""


class IncomingFile(Base):
    """A file that a run brings in. Its pages become captures; the file itself goes when they are."""

    __tablename__ = "incoming_file"
    __table_args__ = (
        UniqueConstraint("run_id", "number"),
        UniqueConstraint("run_id", "name"),
        Index(
            "uq_incoming_file_source", "folder_id", "source_path", "source_mtime_ns", "byte_size",
            unique=True, postgresql_where=text("folder_id is not null"),
        ),
    )  # fmt: skip
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id"))
    number: Mapped[int]
    """Its place among the files of the run, from 1."""
    name: Mapped[str]
    byte_size: Mapped[int] = mapped_column(BigInt)
    both_sides: Mapped[bool] = mapped_column(server_default="false")
    """Whether its pages are fronts and backs in turn; else each is the front of a sheet."""
    state: Mapped[FileState] = mapped_column(_codes(FileState, "state"))
    password: Mapped[str | None]
    """Of a locked PDF; forgotten when it has been read."""
    message: Mapped[Json | None]
    """Why it was left out."""
    asked_at: Mapped[datetime] = mapped_column(server_default=func.now())
    again_page_id: Mapped[int | None] = mapped_column(ForeignKey("page.id", ondelete="SET NULL"))
    """The page that is taken again: its first page becomes the new scan of it."""
    again_file_id: Mapped[int | None] = mapped_column(ForeignKey("incoming_file.id", ondelete="SET NULL"))
    """The picture that is taken again, whose page may not be there yet."""
    near: Mapped[list[list[float]] | None] = mapped_column(JSONB(none_as_null=True))
    """About where the sheet is on a photo, as shares of its width and height, where that was seen before."""
    folder_id: Mapped[int | None] = mapped_column(ForeignKey("watched_folder.id"))
    """The watched folder it was found in."""
    source_path: Mapped[str | None]
    """Within that folder."""
    source_mtime_ns: Mapped[int | None] = mapped_column(BigInt)
    """When it was written; with path and size it tells one dropped file from another."""


class CodePattern(Base):
    """Codes printed on pages that count as dividers or give names, by a pattern of their texts."""

    __tablename__ = "code_pattern"
    __table_args__ = (UniqueConstraint("format", "pattern", "use", postgresql_nulls_not_distinct=True),)
    id: Mapped[int] = mapped_column(primary_key=True)
    format: Mapped[CodeFormat | None] = mapped_column(_codes(CodeFormat, "format"))
    """None: any."""
    pattern: Mapped[str]
    use: Mapped[CodeUse] = mapped_column(_codes(CodeUse, "use"))


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
    side: Mapped[Side] = mapped_column(_codes(Side, "side"))
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
    kind: Mapped[EntryKind] = mapped_column(_codes(EntryKind, "kind"))
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


class Filing(Base):
    """The making of documents of a Mappe, and the record of it."""

    __tablename__ = "filing"
    id: Mapped[int] = mapped_column(primary_key=True)
    mappe_id: Mapped[int] = mapped_column(ForeignKey("mappe.id"), index=True)
    pages: Mapped[Json]
    """What is filed: for each page, in order, its capture, treatment and colour as they were."""
    page_count: Mapped[int]
    format: Mapped[Format] = mapped_column(_codes(Format, "format"))
    level: Mapped[Level] = mapped_column(_codes(Level, "level"))
    languages: Mapped[str] = mapped_column(server_default="")
    """That its pages are read in, as in eng+deu; empty: they are not read."""
    recognition_mode: Mapped[RecognitionMode] = mapped_column(_codes(RecognitionMode, "recognition_mode"))
    options: Mapped[Json] = mapped_column(server_default=text("'{}'::jsonb"))
    """What was asked of its documents beyond format and level."""
    password: Mapped[bytes | None]
    """Of its documents, encrypted; forgotten as soon as they are made."""
    naming_rule_id: Mapped[int] = mapped_column(ForeignKey("naming_rule.id"))
    """Whose counter its names count on."""
    naming: Mapped[Json]
    """The rule as it was, perhaps changed for this once."""
    slip: Mapped[Json | None] = mapped_column(deferred=True)
    """Where its pages came from, and what had been done to them; None of filings from before that was kept."""
    state: Mapped[FilingState] = mapped_column(_codes(FilingState, "state"))
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
    """A document on its way to one destination. Its name there is reserved from the beginning."""

    __tablename__ = "delivery"
    __table_args__ = (
        UniqueConstraint("destination_id", "file_name"),
        UniqueConstraint("document_id", "destination_id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = mapped_column(ForeignKey("document.id"))
    destination_id: Mapped[int] = mapped_column(ForeignKey("destination.id"))
    file_name: Mapped[str]
    """With the folders that the rule puts it in, a slash between them."""
    idempotency_key: Mapped[str] = mapped_column(unique=True)
    """Tells the destination that a second try is the same delivery."""
    state: Mapped[DeliveryState] = mapped_column(_codes(DeliveryState, "state"))
    tries: Mapped[int] = mapped_column(server_default="0")
    next_try_at: Mapped[datetime | None]
    """When it is tried again, where the destination was away."""
    place: Mapped[str | None]
    """Where it lies: of a folder, the path; of mail, who got it, while others still wait too."""
    message: Mapped[Json | None]
    delivered_at: Mapped[datetime | None]
    destination: Mapped[Destination] = relationship(lazy="joined")


class Receipt(Base):
    """The answer to a command that was sent with a request id: sent again, it is not done again."""

    __tablename__ = "receipt"
    request_id: Mapped[str] = mapped_column(primary_key=True)
    answer: Mapped[Json | None]
    at: Mapped[datetime] = mapped_column(server_default=func.now(), index=True)
