"""From what was done to a Mappe to the steps of a routine."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple, get_args

from papiermappe.core.operations.found import UseFound
from papiermappe.core.operations.model import PageState
from papiermappe.core.operations.rims import CleanBorders
from papiermappe.core.operations.running import RunRoutine
from papiermappe.core.operations.splitting import SplitSpreads
from papiermappe.core.operations.steps import Split, Step, StepOperation, StepScope
from papiermappe.core.operations.treating import Adjust, Turn
from papiermappe.core.operations.union import Journaled
from papiermappe.core.operations.zoning import DrawnZone, PutZones, RemoveZones

TYPICAL = 0.5
"""A step that was done to less of the pages it might mean was meant for its pages alone."""

_STEP_OPERATIONS = get_args(StepOperation)
_EACH_COUNTS = frozenset({"adjust", "move_sides", "put_zones", "turn"})
"""Kinds of which a later one does not make an earlier one needless, on the same pages."""


class DraftStep(NamedTuple):
    """A step as it may be kept."""

    step: Step
    pages: int
    """How many it was done to."""
    typical: bool
    """Whether these are what the step says; else they were single pages, and the step is better left out."""


@dataclass(frozen=True)
class _Done:
    """What was done, and to which group of pages."""

    on: StepScope
    operation: StepOperation
    typical: bool
    pages: int


def draft(done: Sequence[Journaled], pages: Sequence[PageState], gone: Mapping[int, PageState]) -> list[DraftStep]:
    """Return the steps that make of other pages what was made of a Mappe's.

    Args:
        done: the operations that stand, oldest first; those that cannot be steps are passed over.
        pages: that lie in the Mappe now and are not set aside, in reading order.
        gone: the spreads that have been split, by their ids.
    """
    lying = list(pages)
    found: list[_Done] = []
    for operation in reversed(done):
        if isinstance(operation, RunRoutine):
            lying = _before_split(operation.split, lying, gone) if operation.split else lying
            own = [
                _Done(step.on, step.operation(operation.pages), True, len(operation.pages)) for step in operation.steps
            ]
            found += own[::-1]
        elif isinstance(operation, SplitSpreads):
            lying = _before_split(operation, lying, gone)
            right_to_left = _is_right_to_left(operation, pages)
            found.append(_done(Split(pages=operation.pages, right_to_left=right_to_left), lying))
        elif isinstance(operation, PutZones):
            found += [_done(part, lying) for part in reversed(_by_pages(operation))]
        elif isinstance(operation, _STEP_OPERATIONS):
            found.append(_done(operation, lying))
    kept: list[_Done] = []
    for one in reversed(found):
        kept = _with(kept, one)
    return [
        DraftStep(
            Step(on=one.on, does=one.operation.model_dump(mode="json", exclude={"pages"})), one.pages, one.typical
        )
        for one in kept
    ]


def _by_pages(operation: PutZones) -> list[PutZones]:
    """Return an operation for each group of zones that were drawn on the same pages, without what they spared."""
    groups: dict[tuple[int, ...], list[DrawnZone]] = {(): []} if operation.on_scan else {}
    for drawn in operation.zones:
        groups.setdefault(drawn.spares, []).append(drawn.model_copy(update={"spares": ()}))
    parts = []
    for spares, zones in groups.items():
        on = tuple(page for page in operation.pages if page not in spares)
        kept = {"pages": on, "zones": tuple(zones), "on_scan": () if spares else operation.on_scan}
        if on:
            parts.append(operation.model_copy(update=kept))
    return parts


def _before_split(split: SplitSpreads, lying: Sequence[PageState], gone: Mapping[int, PageState]) -> list[PageState]:
    """Return the pages with the spreads in place of their halves."""
    spread_of = {pair.first: pair.spread for pair in split.halves}
    halves = frozenset(split.new_pages)
    before = []
    for page in lying:
        if page.id not in halves:
            before.append(page)
        elif (spread := gone.get(spread_of.get(page.id, 0))) is not None:
            before.append(spread)
    return before


def _is_right_to_left(split: SplitSpreads, pages: Sequence[PageState]) -> bool:
    firsts = {pair.first for pair in split.halves}
    return any(page.id in firsts and (part := page.treatment.part) is not None and part.right for page in pages)


def _done(operation: StepOperation, lying: Sequence[PageState]) -> _Done:
    """Return an operation with the group of pages that is most like those it was done to."""
    named = frozenset(operation.pages)

    def likeness(scope: StepScope) -> float:
        group = {page.id for page in scope.of(lying)}
        return len(group & named) / len(group | named) if group else 0.0

    best = max(StepScope, key=likeness)  # the first of several
    return _Done(best, operation, likeness(best) > TYPICAL, len(named))


def _with(before: Sequence[_Done], new: _Done) -> list[_Done]:
    """Return what was done with one thing more, without what that makes needless."""
    operation = new.operation
    same = [one for one in before if one.on is new.on and one.operation.kind == operation.kind]
    last = same[-1] if same else None
    others = [one for one in before if one is not last]
    match operation:
        case PutZones() | RemoveZones() if not new.typical:  # of single pages: the others keep theirs
            return [*before, new]
        case PutZones():
            return [*_without_zones(before, new.on, {zone.name for zone in operation.zones}), new]
        case RemoveZones():
            left = _without_zones(before, new.on, operation.names or None)
            return [*left, new] if any(_draws(one.operation, frozenset(operation.names)) for one in left) else left
        case Adjust() if last is not None:
            merged = last.operation.model_dump(exclude_none=True) | operation.model_dump(exclude_none=True)
            return [*others, replace(new, operation=Adjust.model_validate(merged))]
        case Turn() if last is not None and last is before[-1] and isinstance(last.operation, Turn):
            turns = (last.operation.quarter_turns + operation.quarter_turns) % 4
            turn = operation.model_copy(update={"quarter_turns": turns})
            return [*others, replace(new, operation=turn)] if turns else others
        case UseFound():
            same_step = (isinstance(one.operation, UseFound) and one.operation.step == operation.step for one in same)
            needless = [one for one, is_same in zip(same, same_step, strict=True) if is_same]
            return [*(one for one in before if one not in needless), new]
    return [*(before if operation.kind in _EACH_COUNTS else others), new]


def _without_zones(done: Sequence[_Done], on: StepScope, names: Collection[str] | None) -> list[_Done]:
    """Return what was done without zones of some names, of all where that is None, on a group of pages."""
    left = []
    for one in done:
        if on not in (StepScope.ALL, one.on) or not isinstance(one.operation, PutZones | CleanBorders):
            left.append(one)
        elif isinstance(one.operation, PutZones):
            zones = tuple(zone for zone in one.operation.zones if names and zone.name not in names)
            on_scan = tuple(zone for zone in one.operation.on_scan if names and zone.name not in names)
            if zones or on_scan:
                left.append(
                    replace(one, operation=one.operation.model_copy(update={"zones": zones, "on_scan": on_scan}))
                )
        elif names:
            left.append(one)
    return left


def _draws(operation: StepOperation, names: frozenset[str]) -> bool:
    """Whether an operation draws zones of some names, any where none are named."""
    if not isinstance(operation, PutZones):
        return isinstance(operation, CleanBorders) and not names
    drawn = [*(zone.name for zone in operation.zones), *(zone.name for zone in operation.on_scan)]
    return not names or not names.isdisjoint(drawn)
