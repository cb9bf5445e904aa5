"""Pairing: which pages of two runs are fronts and backs of the same sheets, proposed, and done by itself where sure."""

import hashlib
from collections.abc import Sequence
from typing import NamedTuple

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.operations import Interleave, SheetSides
from papiermappe.core.order.alignment import Step
from papiermappe.core.order.evidence import EvidenceKind, SideFacts, TextEnds
from papiermappe.core.order.landing import Backs, BacksOrder
from papiermappe.core.order.pairing import PairedSheet, Proposal, propose
from papiermappe.core.order.show_through import Turn
from papiermappe.core.pages import as_compared
from papiermappe.core.treatment import Treatment, page_size_mm
from papiermappe.message import Message
from papiermappe.services.caller import MACHINE, Caller, locked_mappe, visible_mappe
from papiermappe.services.changes import run_changed
from papiermappe.services.entries import PLACE_FIELDS
from papiermappe.services.errors import NotPossible
from papiermappe.services.imprints import imprint_of_page
from papiermappe.services.journal import arrange_for, machine_entry
from papiermappe.services.landing import chain_of, landing_of
from papiermappe.services.pages import analysis_of, in_turn, is_blank, printed_on_page
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, EntryKind, JournalChange, JournalEntry, Page, Run
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
    """How the pages of two runs belong together."""

    fronts_run: int
    """Its number in the Mappe."""
    backs_run: int
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


class RunPairing(BaseModel):
    """What has become of pairing the backs of a run with the fronts before it."""

    fronts_run: int
    sheets: int
    uncertain: int
    """How many sheets should be compared; 0 where all is sure."""
    missing: int = 0
    """How many sides are missing."""
    sure: bool
    by_habit: bool

    def message(self, run: int) -> Message:
        """Return what is told of it, given the number of the run that brought the backs."""
        if self.by_habit:
            return Message(code="pairs_by_habit", params={"run": run})
        if not self.sure:
            return Message(code="pairs_uncertain", params={"count": self.uncertain, "run": run})
        if self.missing:
            return Message(code="pairs_sure_but_missing", params={"count": self.missing, "run": run})
        return Message(code="pairs_sure", params={"count": self.sheets, "run": run})


class _Sides(NamedTuple):
    """The pages of both runs."""

    fronts: list[Page]
    backs: list[Page]

    @property
    def name(self) -> str:
        """What a proposal depends on."""
        parts = [
            [f"{page.id}:{page.capture_id}:{page.printed}:{page.analysis is None}" for page in side] for side in self
        ]
        return hashlib.sha256(repr(parts).encode()).hexdigest()[:32]


def proposed(
    caller: Caller, store: Store, mappe_id: int, fronts_run: int, backs_run: int, order: BacksOrder | None = None
) -> PairingProposed | None:
    """Return how the pages of two runs belong together; None until that has been worked out.

    Args:
        caller: who asks.
        store: of the Mappe.
        mappe_id: of the Mappe.
        fronts_run: the number of the run that brought the fronts in.
        backs_run: that of the run that brought the backs in.
        order: in which the backs lie, where a person knows it.

    Raises:
        NotFound: the Mappe is not there.
        NotPossible: there are no such runs, or one of them has no page here.
    """
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        sides = _sides(session, mappe_id, fronts_run, backs_run)
    kept = store.blobs.cached(_key(sides, order))
    return PairingProposed.model_validate_json(kept) if kept else None


@transaction
def request_pairing(
    caller: Caller,
    session: Session,
    mappe_id: int,
    fronts_run: int,
    backs_run: int,
    order: BacksOrder | None = None,
) -> None:
    """Have it worked out how the pages of two runs belong together. Raises NotFound, NotPossible."""
    visible_mappe(caller, session, mappe_id)
    _sides(session, mappe_id, fronts_run, backs_run)
    known = None if order is None else order.value
    enqueue(session, JobKind.PAIR, mappe_id=mappe_id, fronts_run=fronts_run, backs_run=backs_run, order=known)


def pair(
    store: Store,
    mappe_id: int,
    fronts_run: int,
    backs_run: int,
    order: BacksOrder | None,
    compute: Compute,
    max_px: int,
) -> None:
    """Work out how the pages of two runs belong together, unless that has been done."""
    try:
        with store.begin() as session:
            sides = _sides(session, mappe_id, fronts_run, backs_run)
    except NotPossible:
        return  # pages have left meanwhile
    _worked_out(store, sides, (fronts_run, backs_run), order, compute, max_px)


def pair_by_itself(store: Store, run_id: int, compute: Compute, max_px: int) -> None:
    """Pair the backs that a run has brought in with the fronts they were scanned for; do it where that is sure."""
    with store.begin() as session:
        run = session.get(Run, run_id)
        fronts = _fronts_run_of(session, run) if run else None
        if run is None or fronts is None:
            return
        numbers = fronts.number, run.number
        try:
            sides = _sides(session, run.mappe_id, *numbers)
        except NotPossible:
            return
    found = _worked_out(store, sides, numbers, None, compute, max_px)
    _record(MACHINE, store, run_id, found)


def pair_again(session: Session, mappe_id: int) -> None:
    """Have backs paired anew that were not sure, now that more is known of their pages."""
    unsure = select(Run.id).where(Run.mappe_id == mappe_id, Run.pairing["sure"].as_boolean().is_(False))
    for run_id in session.scalars(unsure):
        enqueue(session, JobKind.COMPARE_RUN, run_id=run_id)


@transaction
def _record(caller: Caller, session: Session, run_id: int, found: PairingProposed) -> None:
    run = session.get_one(Run, run_id)
    mappe = locked_mappe(caller, session, run.mappe_id)
    session.refresh(run)
    told = RunPairing(
        fronts_run=found.fronts_run,
        sheets=len(found.sheets),
        uncertain=sum(not sheet.sure for sheet in found.sheets),
        missing=sum(sheet.step in {"front_alone", "back_alone"} for sheet in found.sheets),
        sure=found.sure,
        by_habit=found.by_habit,
    )
    if run.pairing == told.model_dump(mode="json"):
        return
    run.pairing = told.model_dump(mode="json")
    operation = found.operation()
    by_hand = _placed_by_hand(session, operation.pages)
    done = None
    if found.sure and not by_hand:
        done = arrange_for(session, mappe, operation, run.author)
    if done is None:
        machine_entry(session, mappe, message=told.message(found.backs_run))
    run_changed(session, mappe, run)


def _fronts_run_of(session: Session, run: Run) -> Run | None:
    """Return the run that brought the fronts in for which a run has brought the backs."""
    landing = landing_of(run)
    if not isinstance(landing, Backs):
        return None
    brought = select(Run).join(Capture, Capture.run_id == Run.id).join(Page, Page.capture_id == Capture.id)
    return session.scalar(brought.where(Page.id == landing.fronts[-1]).limit(1))


def _placed_by_hand(session: Session, pages: Sequence[int]) -> bool:
    """Return whether a person has moved one of the pages."""
    changes = select(JournalChange.after).join(JournalEntry, JournalEntry.seq == JournalChange.seq)
    changes = changes.where(JournalChange.page_id.in_(pages), JournalEntry.kind != EntryKind.MACHINE)
    return any(PLACE_FIELDS & after.keys() for after in session.scalars(changes))


def _sides(session: Session, mappe_id: int, fronts_run: int, backs_run: int) -> _Sides:
    if fronts_run == backs_run:
        raise NotPossible("pairing_same_run", run=fronts_run)
    fronts, backs = (_pages_of_run(session, mappe_id, number) for number in (fronts_run, backs_run))
    if max(len(fronts), len(backs)) > MOST_SHEETS:
        raise NotPossible("pairing_too_long", limit=MOST_SHEETS)
    return _Sides(fronts, backs)


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


def _key(sides: _Sides, order: BacksOrder | None) -> str:
    return Blobs.estimate_key(sides.name, f"pairing-{order.value if order else 'any'}.json")


def _worked_out(
    store: Store,
    sides: _Sides,
    numbers: tuple[int, int],
    order: BacksOrder | None,
    compute: Compute,
    max_px: int,
) -> PairingProposed:
    key = _key(sides, order)
    kept = store.blobs.cached(key)
    if kept is not None:
        return PairingProposed.model_validate_json(kept)
    facts = [[_facts(store, page, compute, max_px) for page in pages] for pages in sides]
    found = _in_pages(compute(propose, *facts, order), sides, facts, numbers)
    store.blobs.cache(key, found.model_dump_json().encode())
    return found


def _facts(store: Store, page: Page, compute: Compute, max_px: int) -> SideFacts:
    analysis, printed, capture = analysis_of(page), printed_on_page(page), page.capture
    treatment = as_compared(analysis.treatment) if analysis else None
    width_mm, height_mm = page_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment or Treatment())
    text = None
    if printed and printed.begins_within is not None and printed.ends_within is not None:
        text = TextEnds(printed.begins_within, printed.ends_within)
    numbers = tuple(dict.fromkeys(number.number for number in printed.numbers)) if printed else ()
    return SideFacts(width_mm, height_mm, imprint_of_page(store, page, compute, max_px), numbers, text)


def _in_pages(
    proposal: Proposal, sides: _Sides, facts: Sequence[Sequence[SideFacts]], numbers: tuple[int, int]
) -> PairingProposed:
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
        fronts_run=numbers[0],
        backs_run=numbers[1],
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
