"""A routine worked out on pages of a Mappe, in memory: also the pages that will come of spreads."""

from collections.abc import Callable, Collection, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from itertools import count
from typing import NamedTuple

from pydantic import BaseModel, ConfigDict
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.analysis import Analysis
from papiermappe.core.geometry import Quad
from papiermappe.core.operations import PageState
from papiermappe.core.operations.model import PageIds
from papiermappe.core.operations.replaying import Misfit, Replayed, replay
from papiermappe.core.operations.splitting import half_treatment
from papiermappe.core.operations.steps import RoutineName, Steps
from papiermappe.core.treatment import Part, Treatment
from papiermappe.devices.model import TicketSettings
from papiermappe.message import Message
from papiermappe.services.analysing import examine_half, half_as_found, ticket_of
from papiermappe.services.errors import NotPossible
from papiermappe.services.pages import page_state, pages_of
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Run

AT_ONCE = 2
FIRST_NEW_ID = 2**31 - 1
"""Pages that are only thought of are numbered downwards from here."""


class Halving(NamedTuple):
    """A page of a spread, as it was split off."""

    spread: int
    right: bool
    part: Part | None
    corners: Quad | None


class RoutineWanted(BaseModel):
    """A routine to be run."""

    model_config = ConfigDict(frozen=True)

    name: RoutineName
    steps: Steps
    pages: PageIds
    run: int | None = None
    """The run whose ticket asks for it; None: a person does."""


class MisfitSeen(BaseModel):
    """A step that could not be done to some pages."""

    step: int
    """Its number, from 1."""
    pages: list[int]
    reason: Message


class Known(NamedTuple):
    """A Mappe as a routine finds it."""

    states: list[PageState]
    """All of its pages, in reading order."""
    captures: dict[int, Capture]
    """Of each page."""
    tickets: dict[int, TicketSettings | None]
    """That each page came by."""


class Halver:
    """Makes the pages of spreads while a routine is replayed, and remembers of which.

    Args:
        found: what is known of the pages of spreads.
        tickets: by which the spreads came.
        new_ids: gives a number to each new page.
    """

    def __init__(
        self,
        found: Mapping[Halving, Analysis],
        tickets: dict[int, TicketSettings | None],
        new_ids: Callable[[PageState, Treatment, Analysis | None], int],
    ) -> None:
        self._found = found
        self._tickets = tickets
        self._new_ids = new_ids
        self.made: dict[int, tuple[PageState, bool]] = {}
        """By the new pages, the spread as it was split, and whether it is the right page of it."""

    def __call__(self, spread: PageState, right: bool) -> PageState:
        """Return a page of a spread, as far as it is known."""
        treatment = half_treatment(spread, right=right)
        analysis = self._found.get(Halving(spread.id, right, treatment.part, treatment.corners))
        if analysis is not None:
            treatment = half_as_found(treatment, analysis, spread.side, self._tickets.get(spread.id))
        number = self._new_ids(spread, treatment, analysis)
        self.made[number] = (spread, right)
        return replace(
            spread,
            id=number,
            mappe_id=None,
            begins=None,
            number=None,
            stored_treatment=treatment,
            found_gutter=None,
            gutter_confidence=0.0,
            printed_area=analysis.printed_area if analysis else None,
            dark_rims=analysis.dark_rims if analysis else (),
            stored_found=analysis.treatment.model_dump(mode="json") if analysis else None,
        )


def known_of(session: Session, mappe_id: int, wanted: RoutineWanted) -> Known:
    """Read what a routine needs to know of a Mappe. Raises NotPossible: none of its pages lies there."""
    pages = pages_of(session, mappe_id)
    if not {page.id for page in pages}.intersection(wanted.pages):
        raise NotPossible("routine_no_pages")
    brought_by = select(Run).where(
        Run.id.in_({page.capture.run_id for page in pages})
    )  # pages come from other Mappen too
    runs = {run.id: ticket_of(run) for run in session.scalars(brought_by)}
    return Known(
        [page_state(page, with_capture=True) for page in pages],
        {page.id: page.capture for page in pages},
        {page.id: runs[page.capture.run_id] for page in pages},
    )


def replayed_in_memory(
    wanted: RoutineWanted, known: Known, found: Mapping[Halving, Analysis]
) -> tuple[Replayed, Halver]:
    """Run a routine on pages that are only thought of."""
    numbers = count(FIRST_NEW_ID, -1)
    halver = Halver(found, known.tickets, lambda *_: next(numbers))
    return replay(wanted.steps, known.states, wanted.pages, halver), halver


def examined_halves(
    store: Store,
    known: Known,
    halves: Collection[tuple[PageState, bool]],
    compute: Compute,
    max_px: int,
    tell: Callable[[int, int], None] | None = None,
) -> dict[Halving, Analysis]:
    """Examine pages of spreads.

    Args:
        store: of their captures.
        known: of the Mappe.
        halves: a spread as it will be split, and whether it is the right page of it.
        compute: runs what takes long.
        max_px: what is accepted of pictures.
        tell: called after each, with how many are done, of how many.
    """

    def examine(half: tuple[PageState, bool]) -> Analysis:
        spread, right = half
        treatment = half_treatment(spread, right=right)
        return examine_half(store, known.captures[spread.id], treatment, compute, max_px)

    found: dict[Halving, Analysis] = {}
    with ThreadPoolExecutor(AT_ONCE) as threads:
        for (spread, right), analysis in zip(halves, threads.map(examine, halves), strict=True):
            treatment = half_treatment(spread, right=right)
            found[Halving(spread.id, right, treatment.part, treatment.corners)] = analysis
            if tell:
                tell(len(found), len(halves))
    return found


def changed_count(replayed: Replayed) -> int:
    """Return how many pages are changed or made, those that are no more left out."""
    return sum(replayed.states[page].mappe_id is not None for page in replayed.changes)


def misfits_seen(misfits: Sequence[Misfit]) -> list[MisfitSeen]:
    """Return misfits as windows see them."""
    return [MisfitSeen(step=misfit.step, pages=list(misfit.pages), reason=misfit.reason) for misfit in misfits]
