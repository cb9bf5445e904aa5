"""Pairing: which pages are fronts and backs of the same sheets, proposed with what speaks for it."""

import hashlib
from collections.abc import Sequence
from typing import Annotated, NamedTuple

from procrastinate.types import JSONValue
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from papiermappe.compute import Compute
from papiermappe.core.operations import Interleave, SheetSides
from papiermappe.core.operations.model import PageIds
from papiermappe.core.order.alignment import Step
from papiermappe.core.order.evidence import EvidenceKind, SideFacts, TextEnds
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.order.pairing import PairedSheet, Proposal, propose
from papiermappe.core.order.show_through import Turn
from papiermappe.core.pages import as_compared
from papiermappe.core.treatment import Treatment, page_size_mm
from papiermappe.message import Message
from papiermappe.services.caller import Caller, visible_mappe
from papiermappe.services.errors import NotPossible
from papiermappe.services.imprints import Compared, compared_in_turn
from papiermappe.services.landing import chain_of
from papiermappe.services.pages import analysis_of, in_turn, is_blank, printed_on_page
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Page, Run
from papiermappe.store.queue import JobKind, enqueue

MOST_SHEETS = 1000
"""Evidence is weighed for all pairs of a pile, so it may not be of any length."""


class SheetProposed(BaseModel):
    """A sheet of a proposal."""

    front: int | None
    """The page."""
    back: int | None
    step: str
    """`pair`, or what is missing or came twice."""
    sure: bool


class PairEvidence(BaseModel):
    """What speaks for two pages being of one sheet."""

    front: int
    back: int
    evidence: list[Message]


class PairingProposed(BaseModel):
    """How fronts and backs belong together."""

    fronts: list[int]
    """The pages of the fronts, as they came."""
    backs: list[int]
    backs_order: BacksOrder
    turn: Turn
    sure: bool
    by_habit: bool
    sheets: list[SheetProposed]
    near: list[PairEvidence]
    """What speaks for pairs, these and others that lie near."""

    def operation(self) -> Interleave:
        """Return what makes these sheets."""
        twice = {Step.FRONT_TWICE.name.lower(), Step.BACK_TWICE.name.lower()}
        sides = [(sheet.front, sheet.back) for sheet in self.sheets]
        return Interleave(
            pages=tuple(page for pair in sides for page in pair if page is not None),
            sheets=tuple(SheetSides(front=front, back=back) for front, back in sides),
            aside=tuple(
                page
                for sheet in self.sheets
                if sheet.step in twice
                for page in (sheet.front, sheet.back)
                if page is not None
            ),
        )


class RunsToPair(BaseModel):
    """Two runs, by their numbers in the Mappe, one of fronts and one of backs."""

    model_config = ConfigDict(extra="forbid")

    fronts: Annotated[int, Field(ge=1, lt=2**31)]
    backs: Annotated[int, Field(ge=1, lt=2**31)]


class PartsToPair(BaseModel):
    """Pages in the order in which they came: first some fronts, then their backs."""

    model_config = ConfigDict(extra="forbid")

    pages: Annotated[PageIds, Field(max_length=2 * MOST_SHEETS)]
    front_count: Annotated[int, Field(ge=1, le=MOST_SHEETS)]


class Sides(NamedTuple):
    """The pages to pair, as they came."""

    fronts: list[Page]
    backs: list[Page]

    def name(self, order: BacksOrder | None) -> str:
        """Return the name of a proposal for them: it depends on all that is known of them."""
        parts = [
            [f"{page.id}:{page.capture_id}:{page.printed}:{page.analysis is None}" for page in side] for side in self
        ]
        return hashlib.sha256(repr((order, parts)).encode()).hexdigest()[:32]


@transaction
def request_pairing(
    caller: Caller,
    session: Session,
    mappe_id: int,
    wanted: RunsToPair | PartsToPair,
    order: BacksOrder | None = None,
) -> str:
    """Have it worked out how fronts and backs belong together; return the name under which it will be known.

    Args:
        caller: who asks.
        session: of the transaction.
        mappe_id: of the Mappe in which the pages lie.
        wanted: which pages.
        order: in which the backs lie, where a person knows it.

    Raises:
        NotFound: the Mappe is not there.
        NotPossible: there are no such pages in it, or too many.
    """
    visible_mappe(caller, session, mappe_id)
    if isinstance(wanted, RunsToPair):
        sides = sides_of_runs(session, mappe_id, wanted.fronts, wanted.backs)
    else:
        sides = _sides_of_parts(session, mappe_id, wanted)
    name = sides.name(order)
    known = None if order is None else order.value
    pages: dict[str, JSONValue] = {side: [page.id for page in getattr(sides, side)] for side in Sides._fields}
    enqueue(session, JobKind.PAIR, mappe_id=mappe_id, name=name, order=known, **pages)
    return name


def proposed(caller: Caller, store: Store, mappe_id: int, name: str) -> PairingProposed | None:
    """Return how fronts and backs belong together; None until that has been worked out. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
    kept = store.blobs.cached(_key(mappe_id, name))
    return PairingProposed.model_validate_json(kept) if kept else None


def pair(
    store: Store,
    mappe_id: int,
    name: str,
    fronts: Sequence[int],
    backs: Sequence[int],
    order: BacksOrder | None,
    compute: Compute,
    max_px: int,
) -> None:
    """Work out how fronts and backs belong together, unless that has been done or a page has left meanwhile."""
    with store.begin() as session:
        try:
            sides = Sides(*(_pages_in_turn(session, mappe_id, pages) for pages in (fronts, backs)))
        except NotPossible:
            return
    worked_out(store, mappe_id, name, sides, order, compute, max_px)


def sides_of_runs(session: Session, mappe_id: int, fronts_run: int, backs_run: int) -> Sides:
    """Return the pages of two runs, by their numbers. Raises NotPossible."""
    if fronts_run == backs_run:
        raise NotPossible("pairing_same_run", run=fronts_run)
    fronts, backs = (_pages_of_run(session, mappe_id, number) for number in (fronts_run, backs_run))
    if max(len(fronts), len(backs)) > MOST_SHEETS:
        raise NotPossible("pairing_too_long", limit=MOST_SHEETS)
    return Sides(fronts, backs)


def _sides_of_parts(session: Session, mappe_id: int, wanted: PartsToPair) -> Sides:
    pages = _pages_in_turn(session, mappe_id, wanted.pages)
    sides = Sides(pages[: wanted.front_count], pages[wanted.front_count :])
    if not sides.backs:
        raise NotPossible("pairing_no_backs", count=len(pages))
    if len(sides.backs) > MOST_SHEETS:
        raise NotPossible("pairing_too_long", limit=MOST_SHEETS)
    return sides


def _pages_in_turn(session: Session, mappe_id: int, pages: Sequence[int]) -> list[Page]:
    """Return pages of a Mappe in the order of their numbers. Raises NotPossible: one has left it."""
    found = select(Page).where(Page.mappe_id == mappe_id, Page.id.in_(pages))
    by_id = {page.id: page for page in session.scalars(found.options(joinedload(Page.capture)))}
    if len(by_id) < len(pages):
        raise NotPossible("pairing_pages_left")
    return [by_id[page] for page in pages]


def _pages_of_run(session: Session, mappe_id: int, number: int) -> list[Page]:
    """Return the pages that a run, and those it continued, have brought in, as they came. Raises NotPossible."""
    run = session.scalar(select(Run).where(Run.mappe_id == mappe_id, Run.number == number))
    if run is None:
        raise NotPossible("pairing_no_run", run=number)
    brought = select(Page).join(Page.capture).where(Page.mappe_id == mappe_id)
    brought = brought.where(Capture.run_id.in_(chain_of(session, run)))
    # a person has set aside what does not belong here; blank backs have been by themselves, and count
    pages = [page for page in session.scalars(in_turn(brought)) if not page.set_aside or is_blank(page)]
    if not pages:
        raise NotPossible("pairing_empty", run=number)
    return pages


def _key(mappe_id: int, name: str) -> str:
    return Blobs.estimate_key(name, f"pairing-{mappe_id}.json")


def worked_out(
    store: Store,
    mappe_id: int,
    name: str,
    sides: Sides,
    order: BacksOrder | None,
    compute: Compute,
    max_px: int,
) -> PairingProposed:
    """Return how fronts and backs belong together, as it is kept under a name or else worked out and kept there."""
    key = _key(mappe_id, name)
    kept = store.blobs.cached(key)
    if kept is not None:
        return PairingProposed.model_validate_json(kept)
    compared = [compared_in_turn(store, pages, compute, max_px) for pages in sides]
    facts = [list(map(_facts, pages, found)) for pages, found in zip(sides, compared, strict=True)]
    found = _in_pages(compute(propose, *facts, order), sides, facts)
    store.blobs.cache(key, found.model_dump_json().encode())
    return found


def _facts(page: Page, compared: Compared) -> SideFacts:
    analysis, printed, capture = analysis_of(page), printed_on_page(page), page.capture
    treatment = as_compared(analysis.treatment) if analysis else None
    width_mm, height_mm = page_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment or Treatment())
    text = None
    if printed and printed.begins_within is not None and printed.ends_within is not None:
        text = TextEnds(printed.begins_within, printed.ends_within)
    numbers = tuple(dict.fromkeys(number.number for number in printed.numbers)) if printed else ()
    return SideFacts(width_mm, height_mm, compared.imprint, numbers, text, compared.again)


def _in_pages(proposal: Proposal, sides: Sides, facts: Sequence[Sequence[SideFacts]]) -> PairingProposed:
    """Return a proposal with pages instead of places in their runs, and its evidence in codes."""
    unsure = set(proposal.unsure)

    def shown(at: int, sheet: PairedSheet) -> SheetProposed:
        return SheetProposed(
            front=None if sheet.front is None else sides.fronts[sheet.front].id,
            back=None if sheet.back is None else sides.backs[sheet.back].id,
            step=sheet.step.name.lower(),
            sure=not proposal.by_habit and at not in unsure,
        )

    return PairingProposed(
        fronts=[page.id for page in sides.fronts],
        backs=[page.id for page in sides.backs],
        backs_order=proposal.backs_order,
        turn=proposal.turn,
        sure=proposal.sure,
        by_habit=proposal.by_habit,
        sheets=[shown(at, sheet) for at, sheet in enumerate(proposal.sheets)],
        near=[
            PairEvidence(
                front=sides.fronts[front].id,
                back=sides.backs[back].id,
                evidence=[_in_code(kind, facts[0][front], facts[1][back]) for kind in kinds],
            )
            for (front, back), kinds in proposal.near.items()
        ],
    )


def _in_code(kind: EvidenceKind, front: SideFacts, back: SideFacts) -> Message:
    if kind is EvidenceKind.NUMBERS:
        follows = next(number for number in front.numbers if {number, number + 1} & set(back.numbers))
        follower = follows + 1 if follows + 1 in back.numbers else follows
        return Message(code="evidence_numbers", params={"front": follows, "back": follower})
    return Message(code=f"evidence_{kind.value}")
