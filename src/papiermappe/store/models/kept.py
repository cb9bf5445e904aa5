"""What is set up once and kept, mostly under a name."""

from datetime import datetime
from enum import StrEnum

from sqlalchemy import ForeignKey, Index, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from papiermappe.core.order.codes import CodeFormat
from papiermappe.core.order.dividers import CodeUse
from papiermappe.store.models.base import Base, Json, codes


class DestinationKind(StrEnum):
    """What kind of place documents go to."""

    FOLDER = "folder"
    OBJECT_STORE = "object_store"
    MAIL = "mail"
    DOWNLOAD = "download"


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
    kind: Mapped[DestinationKind] = mapped_column(codes(DestinationKind, "kind"))
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


class CodePattern(Base):
    """Codes printed on pages that count as dividers or give names, by a pattern of their texts."""

    __tablename__ = "code_pattern"
    __table_args__ = (UniqueConstraint("format", "pattern", "use", postgresql_nulls_not_distinct=True),)
    id: Mapped[int] = mapped_column(primary_key=True)
    format: Mapped[CodeFormat | None] = mapped_column(codes(CodeFormat, "format"))
    """None: any."""
    pattern: Mapped[str]
    use: Mapped[CodeUse] = mapped_column(codes(CodeUse, "use"))
