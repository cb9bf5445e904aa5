"""Phones that add pictures to a Mappe: each comes by a link that is a secret, good for one Mappe and for an hour."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.operations import Operation
from papiermappe.services import camera, journal
from papiermappe.services.caller import Caller, locked_mappe, may_see, visible_mappe
from papiermappe.services.errors import LinkOver, NotFound
from papiermappe.services.importing import Announced, FileView, file_view
from papiermappe.services.page_details import PageDetail, page_detail
from papiermappe.services.page_views import PageView, page_row
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, FileState, IncomingFile, Mappe, Page, PhoneLink, Run, RunState
from papiermappe.store.secrets import SecretBox

LIFE = timedelta(hours=1)
LETTERS = "23456789abcdefghjkmnpqrstuvwxyz"
"""None that is easily taken for another, where somebody types them."""
SECRET_LENGTH = 12
"""31^12 are 59 bits: nobody guesses one of a few within an hour."""


class LinkView(BaseModel):
    """A link, as the desk shows it."""

    id: int
    secret: str
    expires_at: datetime


@dataclass(frozen=True)
class Phone:
    """A phone that has come by a link.

    Args:
        link_id: the link.
        mappe_id: the one Mappe that it may add pages to.
        caller: who opened the link; what the phone does is done for them.
        expires_at: when the link ends.
    """

    link_id: int
    mappe_id: int
    caller: Caller
    expires_at: datetime


class PhonePage(BaseModel):
    """A page that came from the phone."""

    file: int
    """The picture that it came as, the newest where it was taken again."""
    page: PageView


class PhoneView(BaseModel):
    """What a phone is shown: the Mappe's subject, the pages that came from it, and its pictures that are none yet."""

    subject: str
    cursor: int
    """The newest change of the Mappe."""
    expires_at: datetime
    waits_for_scanner: bool
    """Whether other pages are coming in just now, so that pictures of this phone have to wait."""
    pages: list[PhonePage]
    files: list[FileView]
    """Those that are on their way, wait to be read, or could not be read."""


@transaction
def open_link(caller: Caller, session: Session, mappe_id: int, box: SecretBox) -> int:
    """Open a link for phones into a Mappe, or return the one that is open. Raises NotFound."""
    visible_mappe(caller, session, mappe_id)
    now = datetime.now(UTC)
    there = session.scalar(select(PhoneLink).where(PhoneLink.mappe_id == mappe_id, PhoneLink.closed_at.is_(None)))
    if there is not None:
        if there.expires_at > now:
            return there.id
        there.closed_at = now
        session.flush()
    secret = "".join(secrets.choice(LETTERS) for _ in range(SECRET_LENGTH))
    link = PhoneLink(
        mappe_id=mappe_id, digest=_digest(secret), sealed=box.seal(secret), author=caller.author, expires_at=now + LIFE
    )
    session.add(link)
    session.flush()
    return link.id


def open_link_of(caller: Caller, store: Store, mappe_id: int, box: SecretBox) -> LinkView | None:
    """Return the link into a Mappe that is open; None if there is none. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        link = session.scalar(
            select(PhoneLink).where(
                PhoneLink.mappe_id == mappe_id,
                PhoneLink.closed_at.is_(None),
                PhoneLink.expires_at > datetime.now(UTC),
            )
        )
        return LinkView(id=link.id, secret=box.open(link.sealed), expires_at=link.expires_at) if link else None


@transaction
def close_link(caller: Caller, session: Session, link_id: int, *, open_book: bool = False) -> None:
    """Let a link open nothing any more; what came by it stays.

    Args:
        caller: who closes it.
        session: of the transaction.
        link_id: the link.
        open_book: whether the pictures that came last show two pages each, which are to be split.

    Raises:
        NotFound: there is no such link.
    """
    link = session.get(PhoneLink, link_id)
    if link is None:
        raise NotFound("phone_link_unknown")
    mappe = locked_mappe(caller, session, link.mappe_id)
    link.closed_at = link.closed_at or datetime.now(UTC)
    camera.end_within(caller, session, mappe.id, link_id, open_book=open_book)


def phone_of(store: Store, secret: str, request_id: str | None = None) -> Phone:
    """Return the phone that comes by a secret.

    Args:
        store: of the links.
        secret: of the link.
        request_id: identifies a command that the phone may send again.

    Raises:
        LinkOver: there is no such link, or it has ended.
    """
    with store.begin() as session:
        link = session.scalar(select(PhoneLink).where(PhoneLink.digest == _digest(secret)))
        if link is None:
            raise LinkOver("phone_link_unknown")
        caller = Caller(link.author, request_id and f"phone-{link.id}:{request_id}")
        closed = link.closed_at is not None or link.expires_at <= datetime.now(UTC)
        if closed or not may_see(caller, session.get_one(Mappe, link.mappe_id)):
            raise LinkOver("phone_link_over")
        return Phone(link.id, link.mappe_id, caller, link.expires_at)


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def expect_picture(phone: Phone, store: Store, picture: Announced, again: int | None) -> int:
    """Expect a picture of a phone; return the file as which it is received. Raises NotFound, NotPossible."""
    if again is not None:
        _must_be_its_own(phone, store, again)
    return camera.expect_picture(phone.caller, store, phone.mappe_id, picture, again, phone_link_id=phone.link_id)


def must_be_its_file(phone: Phone, store: Store, file_id: int) -> None:
    """Check that a picture is one of a phone. Raises NotFound."""
    own = select(IncomingFile.id).join(Run, Run.id == IncomingFile.run_id)
    with store.begin() as session:
        if session.scalar(own.where(IncomingFile.id == file_id, Run.phone_link_id == phone.link_id)) is None:
            raise NotFound("file_gone")


def _must_be_its_own(phone: Phone, store: Store, page_id: int) -> None:
    """Check that a page came from a phone, and lies in the phone's Mappe. Raises NotFound."""
    own = select(Page.id).join(Page.capture).join(Run, Run.id == Capture.run_id)
    own = own.where(Page.id == page_id, Page.mappe_id == phone.mappe_id, Run.phone_link_id == phone.link_id)
    with store.begin() as session:
        if session.scalar(own) is None:
            raise NotFound("page_gone")


def own_page(phone: Phone, store: Store, page_id: int) -> PageDetail:
    """Return everything that is known about a page that came from a phone. Raises NotFound."""
    _must_be_its_own(phone, store, page_id)
    return page_detail(phone.caller, store, page_id)


def operate(phone: Phone, store: Store, operation: Operation, seen: int) -> int | None:
    """Carry out an operation on pages that came from a phone; return the journal entry.

    Raises:
        NotFound: one of them did not, or is elsewhere by now.
        OperationRefused: it cannot be done to them.
        ChangedMeanwhile: somebody else has changed the same since `seen`.
    """
    for page_id in operation.pages:
        _must_be_its_own(phone, store, page_id)
    return journal.apply_operation(phone.caller, store, phone.mappe_id, operation, seen)


def phone_view(phone: Phone, store: Store) -> PhoneView:
    """Return what a phone is shown."""
    with store.begin() as session:
        mappe = session.get_one(Mappe, phone.mappe_id)
        other = select(Run.id).where(
            Run.mappe_id == phone.mappe_id,
            Run.state.in_([RunState.RECEIVING, RunState.WAITING]),
            Run.phone_link_id.is_distinct_from(phone.link_id),
        )
        return PhoneView(
            subject=mappe.subject,
            cursor=mappe.change,
            expires_at=phone.expires_at,
            waits_for_scanner=session.scalar(other) is not None,
            pages=_pages(session, phone),
            files=_files(session, phone),
        )


def _pages(session: Session, phone: Phone) -> list[PhonePage]:
    of_file = (IncomingFile.run_id == Capture.run_id) & (IncomingFile.name == Capture.file_name)
    own = (
        select(Page, IncomingFile.id)
        .join(Page.capture)
        .join(Run, Run.id == Capture.run_id)
        .join(IncomingFile, of_file)
        .where(Run.phone_link_id == phone.link_id, Page.mappe_id == phone.mappe_id)
        .order_by(Page.rank, Page.side.desc())
    )
    return [PhonePage(file=file_id, page=page_row(page).view) for page, file_id in session.execute(own)]


def _files(session: Session, phone: Phone) -> list[FileView]:
    shown = [FileState.COMING, FileState.WAITING, FileState.FAILED, FileState.LOCKED]
    own = select(IncomingFile).join(Run, Run.id == IncomingFile.run_id)
    own = own.where(Run.phone_link_id == phone.link_id, IncomingFile.state.in_(shown)).order_by(IncomingFile.id)
    return [file_view(file, 0, file.state) for file in session.scalars(own)]
