"""Which back belongs to which front, when fronts and backs of a pile came in one after the other.

Every piece of evidence becomes a log likelihood ratio of a pair; the likeliest way to lay both runs to each other is
the proposal. Both orders of the backs and both edges of the turn are weighed. It is sure only where the evidence, not
the habit of people, leaves hardly another way.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.order.alignment import Alignment, Numbering, Step, align
from papiermappe.core.order.doubts import ShinesThrough, doubted_pairs
from papiermappe.core.order.evidence import (
    EvidenceKind,
    SideFacts,
    centred_scores,
    hole_evidence,
    numbering_of,
    shade_evidence,
    size_evidence,
    text_evidence,
    tint_evidence,
)
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.order.shades import Shades
from papiermappe.core.order.show_through import Turn
from papiermappe.core.order.twins import Sameness, compare_in_turn

DRIFT = 3  # how many sheets both runs together may have lost or doubled beyond what their counts tell
HABIT = {BacksOrder.TURNED_PILE: float(np.log(0.8)), BacksOrder.AS_LAID: float(np.log(0.2))}
TWICE = {Sameness.SAME: 9.0, Sameness.OTHER: -9.0, Sameness.UNKNOWN: -4.0}  # what cannot be told is not set aside
ALL_ALIKE = 1 / 3
ROUNDS = 2
SURE_STEP, SURE_ORDER = 0.97, 0.995
TELLING = 6.0  # the log likelihood ratio of all evidence together that must at least speak for the proposal
DOUBT = 0.5  # what is left of the confidence of a pair that its own evidence speaks against
NAMED = {EvidenceKind.SHOW_THROUGH: 2.0}  # sheets alike shine through each other a little, whichever they are
SPEAKS = 0.7  # from this on a piece of evidence is named
NUMBER_SPEAKS = 3.0


class PairedSheet(NamedTuple):
    """A sheet of the proposal, by the places of its sides in their runs, from 0."""

    front: int | None
    back: int | None
    step: Step
    confidence: float
    evidence: tuple[EvidenceKind, ...]


class Proposal(NamedTuple):
    """How backs belong to fronts."""

    sheets: tuple[PairedSheet, ...]
    """In the order of the fronts. A side that came twice is a sheet of its own, behind the first."""
    backs_order: BacksOrder
    turn: Turn
    order_confidence: float
    sure: bool
    by_habit: bool
    """Whether nothing tells more than that people turn piles over."""
    near: dict[tuple[int, int], tuple[EvidenceKind, ...]]
    """What speaks for other pairs that lie near, by front and back."""

    @property
    def unsure(self) -> list[int]:
        """The sheets that should be compared, by their places in the proposal."""
        return [at for at, sheet in enumerate(self.sheets) if sheet.confidence < SURE_STEP]


class _Weighed(NamedTuple):
    """One order of the backs."""

    order: BacksOrder
    alignment: Alignment
    parts: dict[EvidenceKind, NDArray[np.float64]]
    scores: NDArray[np.float64]
    """Of what shines through, (fronts, backs)."""
    numbering: Numbering


def propose(fronts: Sequence[SideFacts], backs: Sequence[SideFacts], order: BacksOrder | None = None) -> Proposal:
    """Propose which back belongs to which front.

    Args:
        fronts: as they came.
        backs: as they came.
        order: of the backs, where a person knows it.

    >>> proposal = propose([SideFacts(210, 297), SideFacts(210, 297)], [SideFacts(210, 297), SideFacts(210, 297)])
    >>> [(sheet.front, sheet.back) for sheet in proposal.sheets], proposal.sure
    ([(0, 1), (1, 0)], False)
    """
    reach = _reach(len(fronts), len(backs))
    shades = Shades([side.imprint for side in fronts], [side.imprint for side in backs], reach)
    twice = _twice(fronts), _twice(backs)
    weighed = [_weigh(fronts, backs, way, shades, twice) for way in BacksOrder]
    totals = np.array([one.alignment.log_likelihood + HABIT[one.order] for one in weighed])
    shares = np.exp(totals - np.logaddexp.reduce(totals))
    taken = int(totals.argmax()) if order is None else list(BacksOrder).index(order)
    best, share = weighed[taken], float(shares[taken])  # an order that a person knows may still be unlikely
    told = _told(best)
    sheets = tuple(
        sheet if sheet.evidence or told >= TELLING else sheet._replace(confidence=sheet.confidence * DOUBT)
        for sheet in _sheets(best, len(backs))
    )
    sure = share >= SURE_ORDER and told >= TELLING and all(sheet.confidence >= SURE_STEP for sheet in sheets)
    near = _near(best, len(fronts), len(backs), reach)
    shows = told >= TELLING or any(sheet.evidence for sheet in sheets)
    by_habit = told < SPEAKS or not shows
    return Proposal(sheets, best.order, shades.turn, share, sure, by_habit, near)


def _weigh(
    fronts: Sequence[SideFacts],
    backs: Sequence[SideFacts],
    order: BacksOrder,
    shades: Shades,
    twice: tuple[NDArray[np.float64], NDArray[np.float64]],
) -> _Weighed:
    """Lay the backs in one order to the fronts, given what shines through and which sides came twice."""
    scores = shades.scores(order)
    laid = list(backs) if order is BacksOrder.AS_LAID else list(backs)[::-1]
    back_twice = twice[1] if order is BacksOrder.AS_LAID else np.roll(twice[1][::-1], 1)
    reach = _reach(len(fronts), len(backs))
    parts: dict[EvidenceKind, NDArray[np.float64]] = {}
    if fronts and laid:
        parts[EvidenceKind.SIZE] = size_evidence(fronts, laid)
        parts[EvidenceKind.TINT] = tint_evidence(fronts, laid)
        parts[EvidenceKind.HOLES] = hole_evidence(fronts, laid, shades.turn)
        parts[EvidenceKind.TEXT] = text_evidence(fronts, laid)
    numbering = numbering_of(fronts, laid)
    rest = sum(parts.values(), np.zeros(scores.shape))
    likely = _near_diagonal(scores.shape)
    for _ in range(ROUNDS):
        parts[EvidenceKind.SHOW_THROUGH] = shade_evidence(scores, likely)
        alignment = align(rest + parts[EvidenceKind.SHOW_THROUGH], twice[0], back_twice, numbering, reach)
        likely = _pairs_of(alignment, scores.shape)
    return _Weighed(order, alignment, parts, centred_scores(scores), numbering)


def _reach(fronts: int, backs: int) -> tuple[int, int]:
    more = backs - fronts
    return min(0, more) - DRIFT, max(0, more) + DRIFT


def _twice(sides: Sequence[SideFacts]) -> NDArray[np.float64]:
    """Return for each side the log likelihood ratio of its being the one before, taken again."""
    compared = compare_in_turn([side.imprint if side.again is None else None for side in sides])
    again = [found if side.again is None else side.again for side, found in zip(sides, compared, strict=True)]
    if again.count(Sameness.SAME) > max(1, ALL_ALIKE * len(again)):  # printed alike, as the backs of a form
        again = [Sameness.UNKNOWN if one is Sameness.SAME else one for one in again]
    return np.array([TWICE[one] if at else 0.0 for at, one in enumerate(again)])


def _near_diagonal(shape: tuple[int, ...]) -> NDArray[np.float64]:
    """Return how likely pairs are before anything is known: where both runs are at the same share of their lengths."""
    rows, columns = (np.arange(length) / max(length, 1) for length in shape)
    return np.asarray(np.abs(rows[:, None] - columns[None]) < 1.5 / max(*shape, 1), np.float64)


def _pairs_of(alignment: Alignment, shape: tuple[int, ...]) -> NDArray[np.float64]:
    likely = np.zeros(shape)
    for front, back, step, confidence in _placed(alignment):
        if step is Step.PAIR:
            likely[front, back] = confidence
    return likely


def _placed(alignment: Alignment) -> list[tuple[int, int, Step, float]]:
    """Return each step with the places of the sides that come next in both runs."""
    placed, front, back = [], 0, 0
    for step, confidence in zip(alignment.steps, alignment.confidences, strict=True):
        placed.append((front, back, step, confidence))
        front += step in {Step.PAIR, Step.FRONT_ALONE, Step.FRONT_TWICE}
        back += step in {Step.PAIR, Step.BACK_ALONE, Step.BACK_TWICE}
    return placed


def _came(back: int, backs: int, order: BacksOrder) -> int:
    """Return how manieth a back came, given how manieth it lies."""
    return back if order is BacksOrder.AS_LAID else backs - 1 - back


def _near(
    weighed: _Weighed, fronts: int, backs: int, reach: tuple[int, int]
) -> dict[tuple[int, int], tuple[EvidenceKind, ...]]:
    """Return what speaks for pairs that lie near each other, where anything does."""
    pairs = [
        (front, back)
        for front in range(fronts)
        for back in range(front + reach[0], front + reach[1] + 1)
        if 0 <= back < backs
    ]
    speaking = {(front, back): tuple(_speaking(weighed, front, back)) for front, back in pairs}
    return {(front, _came(back, backs, weighed.order)): kinds for (front, back), kinds in speaking.items() if kinds}


def _sheets(weighed: _Weighed, backs: int) -> list[PairedSheet]:
    sheets = []
    doubted = _doubted(weighed)
    for front, back, step, confidence in _placed(weighed.alignment):
        has_front = step in {Step.PAIR, Step.FRONT_ALONE, Step.FRONT_TWICE}
        has_back = step in {Step.PAIR, Step.BACK_ALONE, Step.BACK_TWICE}
        evidence = tuple(_speaking(weighed, front, back)) if step is Step.PAIR else ()
        if step is Step.PAIR and (front, back) in doubted:
            confidence *= DOUBT
        sheets.append(
            PairedSheet(
                front if has_front else None,
                _came(back, backs, weighed.order) if has_back else None,
                step,
                confidence,
                evidence,
            )
        )
    return sheets


def _doubted(weighed: _Weighed) -> set[tuple[int, int]]:
    """Return the pairs, by front and back, that a person should compare."""
    placed = _placed(weighed.alignment)
    pairs = [(front, back) for front, back, step, _ in placed if step is Step.PAIR]
    twice = (
        [front for front, _, step, _ in placed if step is Step.FRONT_TWICE],
        [back for _, back, step, _ in placed if step is Step.BACK_TWICE],
    )
    shines = ShinesThrough(weighed.parts[EvidenceKind.SHOW_THROUGH], weighed.scores, twice)
    told = np.array([_evidence_for(weighed, *pair) for pair in pairs])
    numbered = np.array([_numbers_follow(weighed.numbering, *pair) for pair in pairs], np.bool_)
    return {
        pair for pair, is_doubted in zip(pairs, doubted_pairs(pairs, told, numbered, shines), strict=True) if is_doubted
    }


def _speaking(weighed: _Weighed, front: int, back: int) -> list[EvidenceKind]:
    """Return the evidence that speaks for a pair, the strongest first."""
    ratios = {kind: float(part[front, back]) for kind, part in weighed.parts.items()}
    if _numbers_follow(weighed.numbering, front, back):
        ratios[EvidenceKind.NUMBERS] = NUMBER_SPEAKS
    speaking = [kind for kind, ratio in ratios.items() if ratio >= NAMED.get(kind, SPEAKS)]
    return sorted(speaking, key=lambda kind: -ratios[kind])


def _numbers_follow(numbering: Numbering, front: int, back: int) -> bool:
    wanted = {int(number) + numbering.back_plus for number in numbering.fronts[front] if number >= 0}
    return len(numbering.bases) > 0 and bool(wanted & {int(number) for number in numbering.backs[back]})


def _evidence_for(weighed: _Weighed, front: int, back: int) -> float:
    """Return how much speaks for a pair by itself, less what speaks against it."""
    told = sum(float(part[front, back]) for part in weighed.parts.values())
    return told + NUMBER_SPEAKS * _numbers_follow(weighed.numbering, front, back)


def _told(weighed: _Weighed) -> float:
    """Return how much all evidence together speaks for the proposal."""
    pairs = [(front, back) for front, back, step, _ in _placed(weighed.alignment) if step is Step.PAIR]
    return sum(_evidence_for(weighed, front, back) for front, back in pairs)
