"""What speaks for a back belonging to a front, as log likelihood ratios that can be added."""

from collections import Counter
from collections.abc import Sequence
from enum import StrEnum
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.order.alignment import Numbering
from papiermappe.core.order.imprint import NOTHING_MISSING, Imprint
from papiermappe.core.order.pair_sums import NO_NUMBER
from papiermappe.core.order.show_through import Turn
from papiermappe.core.order.twins import Sameness

NULL_SCALE = 0.8  # of scores of sides that do not belong together: a logistic distribution
FEWER = 3.0  # piles of few sheets tell little of how scores scatter; this much weight has what piles usually do
USUAL_SCATTER = 1.5
MOST, LEAST = 16.0, -5.0  # no single pair may decide everything
ROUNDS = 6
FIRST_MEAN = 8.0
FIRST_SHINING, FIRST_NOT = (
    0.4,
    0.1,
)  # prior: of one pile, the paper of nearly all sheets shows its other side, or of none
LEAST_SHARE, MOST_SHARE = 0.02, 0.995
FAR_BELOW = 0.2  # of the mean of a pile's sheets: a score so little above chance speaks...
AGAINST = -1.0  # ...against its pair
SIZE_MM, SIZE_TOLERANCE_MM = 8.0, 3.0
OTHER_SIZE = -5.0
TINT_LEVELS, TINT_WEIGHT = 4.0, 1.5
HOLE_TOLERANCE_MM, OTHER_HOLES = 3.0, -1.5
NO_PATTERN, MOST_PATTERNS = -1, 40  # so that long runs are not compared page by page
GOES_ON = {(True, True): 0.9, (True, False): -0.6, (False, True): -1.5, (False, False): 0.2}
MOST_NUMBERS = 4
LEAST_VOTES = 3
MOST_BASES = 4


class EvidenceKind(StrEnum):
    """What tells that two sides are of one sheet."""

    NUMBERS = "numbers"
    SHOW_THROUGH = "show_through"
    TEXT = "text"
    SIZE = "size"
    TINT = "tint"
    HOLES = "holes"


class TextEnds(NamedTuple):
    """How the text of a page begins and ends."""

    begins_within: bool
    """In the middle of a sentence."""
    ends_within: bool


class SideFacts(NamedTuple):
    """What is known of a page."""

    width_mm: float
    height_mm: float
    imprint: Imprint | None = None
    numbers: tuple[int, ...] = ()
    """What may be its printed number."""
    text: TextEnds | None = None
    again: Sameness | None = None
    """Whether it is the side before it, taken again; None: the imprints of both are to be compared."""


def shade_evidence(scores: NDArray[np.float64], likely: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the log likelihood ratios of pairs by what shines through.

    What all pages of a pile share must cancel: scores are centred by their rows and columns, and measured by how they
    scatter. How strongly paper shows its other side differs from pile to pile, and is learnt from the pile itself.

    Args:
        scores: for each front and back, (fronts, backs), not a number where they were not compared.
        likely: how likely each pair is by all else that is known, 0 to 1.

    Returns:
        (fronts, backs), 0 where nothing is known.
    """
    known = np.isfinite(scores)
    if not known.any():
        return np.zeros_like(scores)
    centred = centred_scores(scores)
    null = np.exp(-np.logaddexp(0, centred / NULL_SCALE) - np.logaddexp(0, -centred / NULL_SCALE)) / NULL_SCALE
    share, mean = 0.5, FIRST_MEAN
    for _ in range(ROUNDS):
        shining = _gamma(centred, mean)
        is_shining = np.where(known, likely * share * shining / (share * shining + (1 - share) * null + 1e-12), 0)
        told = float((likely * known).sum())
        share = float(
            np.clip((is_shining.sum() + FIRST_SHINING) / (told + FIRST_SHINING + FIRST_NOT), LEAST_SHARE, MOST_SHARE)
        )
        mean = float((is_shining * centred.clip(0)).sum() + FIRST_MEAN) / (float(is_shining.sum()) + 1)
        mean = max(mean, 2.0)
    ratio = np.log((share * _gamma(centred, mean) + (1 - share) * null + 1e-12) / (null + 1e-12))
    ratio = np.where(centred < FAR_BELOW * mean, np.minimum(ratio, AGAINST), ratio)
    return np.where(known, ratio.clip(LEAST, MOST), 0.0)


def centred_scores(scores: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return scores less the medians of their rows and columns, over how they scatter.

    Args:
        scores: (fronts, backs), not a number where sides were not compared.

    Returns:
        (fronts, backs), 0 where they were not compared.
    """
    known = np.isfinite(scores)
    if not known.any():
        return np.zeros_like(scores)
    away = np.where(known, scores, np.nan)
    with np.errstate(all="ignore"):
        for axis in (1, 0):
            seen = known.any(axis=axis, keepdims=True)
            middle = np.where(seen, _median(away, axis), 0.0)
            away = away - middle
    values = np.abs(away[known])
    scatter = max(1.4826 * float(np.median(values)), float(np.percentile(values, 60)) / 0.84)
    count = min(known.shape)
    scatter = float(np.sqrt((count * scatter**2 + FEWER * USUAL_SCATTER**2) / (count + FEWER)))
    return np.where(known, away / scatter, 0.0)


def _median(values: NDArray[np.float64], axis: int) -> NDArray[np.float64]:
    """Return the medians along an axis of what is known; of rows where nothing is, not a number.

    Of an even count the lower of the two in the middle: of a short row the higher may belong to a true pair.
    """
    ordered = np.sort(values, axis=axis)  # what is not a number comes last
    count = np.isfinite(values).sum(axis=axis, keepdims=True)
    return np.take_along_axis(ordered, np.maximum((count - 1) // 2, 0), axis)


def _gamma(scores: NDArray[np.float64], mean: float) -> NDArray[np.float64]:
    """Return the density of scores of sides that shine through each other: positive, widely scattered."""
    scale = mean / 2
    positive = scores.clip(0)
    return positive / scale**2 * np.exp(-positive / scale)


def size_evidence(fronts: Sequence[SideFacts], backs: Sequence[SideFacts]) -> NDArray[np.float64]:
    """Return the log likelihood ratios of pairs by their sizes, (fronts, backs)."""
    front_mm, back_mm = (np.array([(side.width_mm, side.height_mm) for side in sides]) for sides in (fronts, backs))
    apart_mm = np.abs(front_mm[:, None] - back_mm[None]).max(axis=2)
    alike = apart_mm <= SIZE_TOLERANCE_MM
    share = (alike.mean(axis=1, keepdims=True) + alike.mean(axis=0, keepdims=True)) / 2
    return np.where(alike, -np.log(share.clip(0.05, 1.0)), np.where(apart_mm > SIZE_MM, OTHER_SIZE, 0.0))


def tint_evidence(fronts: Sequence[SideFacts], backs: Sequence[SideFacts]) -> NDArray[np.float64]:
    """Return the log likelihood ratios of pairs by the tint of their paper, (fronts, backs); 0 where all are alike."""
    tints = [np.array([_tint(side) for side in sides]) for sides in (fronts, backs)]
    if any(np.isnan(tint).any() for tint in tints):
        return np.zeros((len(fronts), len(backs)))
    apart = np.abs(tints[0][:, None] - tints[1][None]).max(axis=2)
    alike = apart <= TINT_LEVELS
    share = (alike.mean(axis=1, keepdims=True) + alike.mean(axis=0, keepdims=True)) / 2
    other = np.where(apart > 2 * TINT_LEVELS, -TINT_WEIGHT, 0.0)
    return np.asarray(np.where(alike, -np.log(share.clip(0.2, 1.0)), other) * (share < 1), np.float64)


def _tint(side: SideFacts) -> tuple[float, float]:
    """Return how much redder and bluer than green the paper is: light changes these least."""
    if side.imprint is None:
        return np.nan, np.nan
    red, green, blue = side.imprint.tint
    return red - green, blue - green


def hole_evidence(fronts: Sequence[SideFacts], backs: Sequence[SideFacts], turn: Turn) -> NDArray[np.float64]:
    """Return the log likelihood ratios of pairs by where their sheets have holes or lack a corner, (fronts, backs).

    0 where no front and back lack the same places: then a printed dot may have been taken for a hole.
    """
    places = [*(_mirrored(side, turn) for side in fronts), *map(_missing_mm, backs)]
    patterns = _patterns(places)
    mine, theirs = patterns[: len(fronts), None], patterns[None, len(fronts) :]
    alike = (mine == theirs) & (mine != NO_PATTERN)
    if not alike.any():
        return np.zeros(alike.shape)
    share = (alike.mean(axis=1, keepdims=True) + alike.mean(axis=0, keepdims=True)) / 2
    other = np.where((mine != NO_PATTERN) | (theirs != NO_PATTERN), OTHER_HOLES, 0.0)
    return np.asarray(np.where(alike, -np.log(share.clip(0.05, 1.0)), other), np.float64)


def _missing_mm(side: SideFacts) -> NDArray[np.float32]:
    return NOTHING_MISSING if side.imprint is None else side.imprint.missing_mm


def _mirrored(side: SideFacts, turn: Turn) -> NDArray[np.float32]:
    """Return where paper is missing as it is seen from behind."""
    missing = _missing_mm(side)
    if turn is Turn.LONG_EDGE:
        return np.asarray(np.array([side.width_mm, 0]) + missing * (-1, 1), np.float32)
    return np.asarray(np.array([0, side.height_mm]) + missing * (1, -1), np.float32)


def _patterns(places: Sequence[NDArray[np.float32]]) -> NDArray[np.intp]:
    """Return for each side which pattern of missing places it has; NO_PATTERN where it has none, or there are many."""
    first: list[NDArray[np.float32]] = []
    found = np.full(len(places), NO_PATTERN, np.intp)
    for at, missing in enumerate(places):
        same = next((number for number, known in enumerate(first) if _same_places(known, missing)), None)
        if same is None and len(missing) > 0 and len(first) < MOST_PATTERNS:
            first.append(missing)
            same = len(first) - 1
        found[at] = NO_PATTERN if same is None else same
    return found


def _same_places(here: NDArray[np.float32], there: NDArray[np.float32]) -> bool:
    if len(here) != len(there) or len(here) == 0:
        return False
    apart_mm = np.abs(here[:, None] - there[None]).max(axis=2)
    return bool((apart_mm.min(axis=1) <= HOLE_TOLERANCE_MM).all() and (apart_mm.min(axis=0) <= HOLE_TOLERANCE_MM).all())


def text_evidence(fronts: Sequence[SideFacts], backs: Sequence[SideFacts]) -> NDArray[np.float64]:
    """Return the log likelihood ratios of pairs by whether the text of the front goes on at the back."""
    ratios = np.zeros((len(fronts), len(backs)))
    for row, front in enumerate(fronts):
        for column, back in enumerate(backs):
            if front.text is not None and back.text is not None:
                ratios[row, column] = GOES_ON[front.text.ends_within, back.text.begins_within]
    return ratios


def numbering_of(fronts: Sequence[SideFacts], backs: Sequence[SideFacts]) -> Numbering:
    """Return how the pages of a pile are numbered: both sides in turn, or fronts only, or sheets."""
    front_numbers, back_numbers = _table(fronts), _table(backs)
    by = max((2, 1), key=lambda step: _rises(fronts, step) + _rises(backs, step))
    plus = 1 if by == 2 else 0
    votes: Counter[int] = Counter()
    for sides, more in ((fronts, 0), (backs, plus)):
        for at, side in enumerate(sides):
            votes.update({number - more - by * at for number in set(side.numbers)})
    trusted = [base for base, count in votes.most_common(MOST_BASES) if count >= LEAST_VOTES]
    near = sorted({base + by * drift for base in trusted for drift in range(-3, 4)})
    return Numbering(front_numbers, back_numbers, np.array(near, np.int64), by, plus)


def _table(sides: Sequence[SideFacts]) -> NDArray[np.int64]:
    table = np.full((len(sides), MOST_NUMBERS), NO_NUMBER, np.int64)
    for row, side in zip(table, sides, strict=True):
        numbers = side.numbers[:MOST_NUMBERS]
        row[: len(numbers)] = numbers
    return table


def _rises(sides: Sequence[SideFacts], step: int) -> int:
    """Return how often numbers rise by a step from sheet to sheet."""
    numbered = [(at, set(side.numbers)) for at, side in enumerate(sides) if side.numbers]
    return sum(
        any(number + step * (later - at) in after for number in before)
        for (at, before), (later, after) in pairwise(numbered)
    )
