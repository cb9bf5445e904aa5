"""What comes in: runs, their files and captures."""

from datetime import datetime
from enum import StrEnum

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, func, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from papiermappe.core.order.places import Side
from papiermappe.store.models.base import Base, BigInt, Json, codes
from papiermappe.store.models.kept import Device, Ticket

LIVE_STATES = "state in ('receiving', 'waiting')"


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
    origin: Mapped[RunOrigin] = mapped_column(codes(RunOrigin, "origin"))
    device_id: Mapped[int | None] = mapped_column(ForeignKey("device.id"), index=True)
    ticket: Mapped[Json | None]
    ticket_id: Mapped[int | None] = mapped_column(ForeignKey("ticket.id"))
    """The ticket that was chosen, perhaps changed for this once."""
    expected_sheets: Mapped[int | None]
    """How many sheets the person counted."""
    first_sheet: Mapped[int] = mapped_column(server_default="1")
    """The number of its first sheet: a run that continues after a jam counts on."""
    state: Mapped[RunState] = mapped_column(codes(RunState, "state"))
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
    side: Mapped[Side | None] = mapped_column(codes(Side, "side"))
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
    state: Mapped[FileState] = mapped_column(codes(FileState, "state"))
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
