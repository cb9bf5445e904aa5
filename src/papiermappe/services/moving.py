"""Pages between Mappen: moved or copied to another or a new one, a Mappe cut apart, Mappen joined."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal

from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.operations import CopyToMappe, CutIntoMappen, JoinMappe, MoveToMappe, PartInto
from papiermappe.core.operations.model import Fields
from papiermappe.core.operations.parts import parts_of
from papiermappe.services.caller import Caller, locked_mappe
from papiermappe.services.errors import NotPossible
from papiermappe.services.journal import record
from papiermappe.services.live_runs import is_receiving
from papiermappe.services.mappen import clean_subject, open_within, refuse_in_use
from papiermappe.services.pages import page_state, pages_of
from papiermappe.services.transaction import transaction
from papiermappe.store.models import Mappe, Page

Place = Literal["beginning", "end"] | Annotated[int, Field(ge=1, lt=2**31)]
"""A page before whose sheet others go, or an end."""
OPENED: Fields = {"there": True}


class Into(BaseModel):
    """Where pages go."""

    mappe: int | None = Field(default=None, ge=1, lt=2**31)
    """None: a new one."""
    subject: str = Field(default="", max_length=400)
    """Of a new one."""
    place: Place = "end"


@transaction
def send(
    caller: Caller,
    session: Session,
    mappe_id: int,
    pages: Sequence[int],
    into: Into,
    seen: int,
    *,
    as_copies: bool = False,
) -> int:
    """Move or copy pages of a Mappe to another; return that Mappe. One undo takes it back, a Mappe opened for it too.

    Raises:
        NotFound: one of the Mappen is not there.
        NotPossible: they are the same, none of the pages lies here, or the subject is too long.
        ChangedMeanwhile: somebody else has moved one of the pages since `seen`.
    """
    if into.mappe == mappe_id:
        raise NotPossible("moved_to_itself")
    if into.mappe is None:
        locked_mappe(caller, session, mappe_id)
        target = open_within(session, clean_subject(into.subject))
    else:
        target = into.mappe
    mappen = _locked(caller, session, {mappe_id, target})
    here = session.scalars(select(Page).where(Page.mappe_id == mappe_id, Page.id.in_(pages))).all()
    if not here:
        raise NotPossible("no_pages_to_move")
    named = _copies(session, here) if as_copies else tuple(page.id for page in here)
    kind = CopyToMappe if as_copies else MoveToMappe
    operation = kind(pages=named, mappe=target, before=_page_at(session, target, into.place))
    opened: Mapping[int, Fields] = {target: OPENED} if into.mappe is None else {}
    record(caller, session, mappen, operation, seen, opened)
    return target


@transaction
def cut_into_mappen(caller: Caller, session: Session, mappe_id: int, seen: int) -> list[int]:
    """Make a Mappe of each document that a Mappe holds; return all, the first of which it stays itself.

    Raises:
        NotFound: it is not there.
        NotPossible: it holds one document, or pages are still being scanned into it.
        ChangedMeanwhile: somebody else has moved one of its pages since `seen`.
    """
    mappe = locked_mappe(caller, session, mappe_id)
    if is_receiving(session, mappe_id):
        raise NotPossible("move_while_receiving")
    parts = parts_of([page_state(page) for page in pages_of(session, mappe_id)])
    if len(parts) < 2:
        raise NotPossible("nothing_to_cut")
    first, others, subject = parts[0], parts[1:], mappe.subject
    made = [open_within(session, part.name or f"{subject} {number}") for number, part in enumerate(others, 2)]
    operation = CutIntoMappen(
        pages=tuple(page.id for part in others for page in part.pages),
        parts=tuple(
            PartInto(mappe=number, pages=tuple(page.id for page in part.pages))
            for number, part in zip(made, others, strict=True)
        ),
        ends=tuple(page.id for page in first.pages if page.begins is not None),
    )
    fields: dict[int, Fields] = dict.fromkeys(made, OPENED)
    if first.name and first.name != subject:
        fields[mappe_id] = {"subject": first.name}
    record(caller, session, _locked(caller, session, {mappe_id, *made}), operation, seen, fields)
    return [mappe_id, *made]


@transaction
def join(caller: Caller, session: Session, mappe_id: int, other: int, place: Place, seen: int) -> None:
    """Put all pages of another Mappe into a Mappe, and clear the other one away; one undo takes both back.

    Raises:
        NotFound: one of them is not there.
        NotPossible: they are the same, nothing lies in the other, or it is still in use.
        ChangedMeanwhile: somebody else has moved one of the pages since `seen`.
    """
    if other == mappe_id:
        raise NotPossible("moved_to_itself")
    mappen = _locked(caller, session, {mappe_id, other})
    refuse_in_use(session, other)
    pages = tuple(page.id for page in pages_of(session, other))
    if not pages:
        raise NotPossible("no_pages_to_join")
    operation = JoinMappe(pages=pages, mappe=mappe_id, before=_page_at(session, mappe_id, place))
    record(caller, session, mappen, operation, seen, {other: {"there": False}})


def _locked(caller: Caller, session: Session, wanted: set[int]) -> dict[int, Mappe]:
    """Lock Mappen, always in the order of their numbers."""
    return {number: locked_mappe(caller, session, number) for number in sorted(wanted)}


def _page_at(session: Session, mappe_id: int, place: Place) -> int | None:
    """Return the page before whose sheet pages go; None: to the end."""
    if place != "beginning":
        return None if place == "end" else place
    return session.scalar(select(Page.id).where(Page.mappe_id == mappe_id).order_by(Page.rank).limit(1))


def _copies(session: Session, pages: Sequence[Page]) -> tuple[int, ...]:
    """Return new pages, which lie nowhere yet, with the captures and treatments of others."""
    made = [
        Page(
            capture_id=page.capture_id,
            rank=page.rank,
            side=page.side,
            set_aside=False,
            treatment=page.treatment,
            analysis=page.analysis,
            printed=page.printed,
            accepted=page.accepted,
            revision=page.revision,
            content_revision=page.revision,
        )
        for page in pages
    ]
    session.add_all(made)
    session.flush()
    return tuple(page.id for page in made)
