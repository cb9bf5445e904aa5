"""Running the steps of a routine on pages, in memory: what becomes of them, and where a step did not fit."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

from papiermappe.core.operations.aligning import AlignMargins
from papiermappe.core.operations.found import UseFound
from papiermappe.core.operations.framing import MoveSides
from papiermappe.core.operations.model import Changes, OperationRefused, PageState
from papiermappe.core.operations.splitting import Halves, SetGutter, SplitSpreads, has_two_sides
from papiermappe.core.operations.steps import Split, Step, StepOperation
from papiermappe.core.operations.treating import Crop, Straighten
from papiermappe.core.operations.zoning import PutZones
from papiermappe.core.order.places import Side
from papiermappe.message import Message

HalfMaker = Callable[[PageState, bool], PageState]
"""Makes one page of a spread, the right one where that is True; it lies nowhere yet."""


class Misfit(NamedTuple):
    """A step that could not be done to some of its pages; these are as the steps before it have left them."""

    step: int
    """Its number, from 1."""
    pages: tuple[int, ...]
    reason: Message


class Replayed(NamedTuple):
    """What becomes of pages."""

    changes: Changes
    """By page, also by those that were made for it."""
    misfits: list[Misfit]
    states: Mapping[int, PageState]
    """All pages as they are then."""
    split: SplitSpreads | None
    """How spreads were split, by all steps that split some."""


def replay(steps: Sequence[Step], pages: Sequence[PageState], wanted: Sequence[int], half: HalfMaker) -> Replayed:
    """Run steps on some pages of a Mappe.

    Args:
        steps: one after the other.
        pages: all of the Mappe, in reading order, with what is known of their captures.
        wanted: those the steps are for; what is set aside of them stays as it is.
        half: makes the pages of spreads.
    """
    run = _Run(pages, wanted, half)
    for number, step in enumerate(steps, 1):
        run.do(number, step)
    return Replayed(run.changes(), run.misfits, run.states, run.done_split)


class _Run:
    """Pages while steps are run on them."""

    def __init__(self, pages: Sequence[PageState], wanted: Sequence[int], half: HalfMaker) -> None:
        self.before = {page.id: page for page in pages}
        self.states = dict(self.before)
        self.misfits: list[Misfit] = []
        self.done_split: SplitSpreads | None = None
        self._wanted = set(wanted)
        self._half = half
        self._set: dict[int, dict[str, Any]] = {}

    def do(self, number: int, step: Step) -> None:
        """Do one step, as far as it fits."""
        lying = [page for page in self._in_order() if page.id in self._wanted and not page.set_aside]
        named = step.on.of(lying)
        if not named:
            return
        operation = step.operation([page.id for page in named])
        fitting = self._fitting(number, operation, named)
        if not fitting:
            return
        if isinstance(operation, Split):
            self._do_split(number, operation, fitting)
            return
        try:
            self._take(step.operation([page.id for page in fitting]).apply(fitting))
        except OperationRefused:
            self._one_by_one(number, step, fitting)

    def changes(self) -> Changes:
        """Return what is different from before."""
        differing = {
            page: {name: value for name, value in fields.items() if before[name] != value}
            for page, fields in self._set.items()
            if (before := self.before[page].fields(fields))
        }
        return {page: fields for page, fields in differing.items() if fields}

    def _in_order(self) -> list[PageState]:
        lying = (page for page in self.states.values() if page.mappe_id is not None)
        return sorted(lying, key=lambda page: (page.rank, page.side is Side.BACK))

    def _fitting(self, number: int, operation: StepOperation, named: Sequence[PageState]) -> list[PageState]:
        """Return the pages that the operation can be done to; note the others."""
        unfit: dict[str, list[int]] = {}
        for page in named:
            if (reason := _reason_against(operation, page)) is not None:
                unfit.setdefault(reason, []).append(page.id)
        self.misfits += [Misfit(number, tuple(ids), Message(code=reason)) for reason, ids in unfit.items()]
        left_out = {page for ids in unfit.values() for page in ids}
        return [page for page in named if page.id not in left_out]

    def _one_by_one(self, number: int, step: Step, pages: Sequence[PageState]) -> None:
        """Do what was refused for some pages to each of the others."""
        for page in pages:
            try:
                self._take(step.operation([page.id]).apply([page]))
            except OperationRefused as exc:
                self.misfits.append(Misfit(number, (page.id,), exc.message))

    def _do_split(self, number: int, operation: Split, spreads: Sequence[PageState]) -> None:
        whole = [spread for spread in spreads if has_two_sides(spread)]
        if one_sided := [spread.id for spread in spreads if spread not in whole]:
            self.misfits.append(Misfit(number, tuple(one_sided), Message(code="misfit_no_gutter")))
        if not whole:
            return
        sides = (True, False) if operation.right_to_left else (False, True)
        made = [(spread, *(self._half(spread, right) for right in sides)) for spread in whole]
        halves = tuple(Halves(spread=spread.id, first=first.id, second=second.id) for spread, first, second in made)
        split = SplitSpreads(pages=tuple(spread.id for spread in whole), halves=halves)
        new = [half for _, *pair in made for half in pair]
        for half in new:
            self.before[half.id] = self.states[half.id] = half
        self._wanted = (self._wanted - set(split.pages)) | set(split.new_pages)
        self._take(split.apply([*self._in_order(), *new]))
        earlier = self.done_split.halves if self.done_split else ()
        every = (*earlier, *halves)
        self.done_split = SplitSpreads(pages=tuple(pair.spread for pair in every), halves=every)

    def _take(self, changes: Changes) -> None:
        for page, fields in changes.items():
            self._set.setdefault(page, {}).update(fields)
            self.states[page] = self.states[page].with_fields(fields)


def _reason_against(operation: StepOperation, page: PageState) -> str | None:
    """Return the code of the reason why an operation cannot be done to a page; None where it can."""
    match operation:
        case Split():
            if page.gutter is None:
                return "misfit_no_gutter"
            return None if page.gutter_is_sure else "misfit_gutter_unsure"
        case SetGutter() if page.gutter is None:
            return "misfit_no_gutter"
        case AlignMargins() if page.printed_area is None:
            return "misfit_no_print"
        case Straighten(on=True) if page.treatment.straighten is None:
            return "misfit_skew_unknown"
        case Crop(on=True) if page.treatment.crop is None:
            return "misfit_sheet_unknown"
        case UseFound() if page.found is None:
            return "misfit_not_examined"
        case PutZones() if not operation.laid(page):
            return "misfit_beside_page"
        case MoveSides() if not operation.leaves_page(page):
            return "misfit_nothing_left"
    return None
