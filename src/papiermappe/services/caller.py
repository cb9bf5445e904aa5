"""Who makes a request, and what they may see."""

from dataclasses import dataclass
from datetime import datetime
from typing import Protocol

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.services.errors import NotFound
from papiermappe.store.models import Filing, Mappe, Page


@dataclass(frozen=True)
class Caller:
    """Who makes a request. Until there are accounts, that is whoever sits at a browser.

    Args:
        author: tells people apart; what one person does in two windows is no conflict. Empty: the machine.
        request_id: identifies a command that may be sent again; None if it is sent only once.
    """

    author: str
    request_id: str | None = None


MACHINE = Caller("")


class Clearable(Protocol):
    """The part of a Mappe that decides who may see it."""

    @property
    def cleared_at(self) -> datetime | None:
        """When it was cleared away."""
        ...


def may_see(caller: Caller, mappe: Clearable | Mappe) -> bool:
    """Whether somebody may see a Mappe. One that was cleared is shown to nobody until it is taken back."""
    return mappe.cleared_at is None or caller == MACHINE


def visible_mappe(caller: Caller, session: Session, mappe_id: int) -> Mappe:
    """Return a Mappe, not locked. Raises NotFound."""
    mappe = session.get(Mappe, mappe_id)
    if mappe is None or not may_see(caller, mappe):
        raise NotFound("mappe_gone")
    return mappe


def locked_mappe(caller: Caller, session: Session, mappe_id: int) -> Mappe:
    """Return a Mappe, locked for this transaction, as every change of it requires. Raises NotFound."""
    mappe = session.get(Mappe, mappe_id, with_for_update=True, populate_existing=True)
    if mappe is None or not may_see(caller, mappe):
        raise NotFound("mappe_gone")
    return mappe


def locked_filing(caller: Caller, session: Session, filing_id: int) -> tuple[Filing, Mappe]:
    """Return a filing and its Mappe, both kept for this transaction: the Mappe always first. Raises NotFound."""
    mappe_id = session.scalar(select(Filing.mappe_id).where(Filing.id == filing_id))
    if mappe_id is None:
        raise NotFound("filing_gone")
    mappe = locked_mappe(caller, session, mappe_id)
    return session.get_one(Filing, filing_id, populate_existing=True), mappe


def visible_page(caller: Caller, session: Session, page_id: int) -> Page:
    """Return a page. Raises NotFound."""
    page = session.get(Page, page_id)
    if page is None or page.mappe_id is None or not may_see(caller, session.get_one(Mappe, page.mappe_id)):
        raise NotFound("page_gone")
    return page
