"""Fronts and backs of made-up piles: are the right ones put together, and is it known when that is sure?"""

import time
from collections.abc import Iterator
from itertools import count
from statistics import median
from typing import NamedTuple

import numpy as np
from numpy.random import Generator

from benchmarks.second.piles import Pile, pile
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.order.evidence import SideFacts
from papiermappe.core.order.imprint import Imprint
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.order.pairing import Proposal, propose
from papiermappe.core.pages import as_compared, examine
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import page_size_mm

PILES = 200
WITHOUT_EVIDENCE = 40
LONG, LEAST_DIFFERENT = 200, 40
FAULTS = ("missed", "twice", "two at once")


class Judged(NamedTuple):
    """How a proposal fared."""

    kind: str
    faults: int
    order_right: bool
    pairs: int
    pairs_right: int
    sure: bool
    number: int = 0
    """Of its pile."""

    @property
    def right(self) -> bool:
        """Whether all is as it should be."""
        return self.order_right and self.pairs_right == self.pairs


def pairing_rows(share: float, seed: int) -> Iterator[Row]:
    """Yield the figures of pairing, each once it is known: the whole takes more than an hour."""
    count = scaled(PILES, share)
    judged = of_all(_judge_piles, count, seed, chunk=1)
    for faults, name in ((0, "no fault"), (1, "one fault"), (2, "two faults")):
        ours = [one for one in judged if one.faults == faults]
        sure = [one for one in ours if one.sure]
        pairs = sum(one.pairs for one in ours)
        wrong = [one for one in sure if not one.right]
        yield Row(f"{len(ours)} piles, {name}: order right", percent(_mean(one.order_right for one in ours)), "100 %")
        yield Row("  pairs right", percent(sum(one.pairs_right for one in ours) / pairs), "" if faults else "99.5 %")
        yield Row("  right and sure", percent(_mean(map(_is_good, ours))), "85 %" if faults else "95 %")
        yield Row("  wrong though sure", str(len(wrong)), "0")
        yield from (Row(f"    pile {one.number}, {one.kind}", "") for one in wrong)
        kinds = dict.fromkeys(one.kind for one in ours)
        for kind in kinds:
            share_sure = _mean(_is_good(one) for one in ours if one.kind == kind)
            yield Row(f"    {kind}, right and sure", percent(share_sure))


def habit_rows(share: float, seed: int) -> Iterator[Row]:
    """Yield how many piles with nothing to go by are said to be unsure, and how long a proposal takes."""
    unsure = of_all(_judge_without_evidence, scaled(WITHOUT_EVIDENCE, share), seed, chunk=1)
    yield Row(f"{len(unsure)} piles with nothing to go by: said to be unsure", percent(_mean(unsure)), "100 %")
    yield _pace(seed)


def _pace(seed: int) -> Row:
    """Return how long a proposal for 200 sheets takes, once their pages have been examined.

    Some piles are laid on each other, over and over: of a few sheets that come again the other order fits as well.
    """
    facts: list[list[SideFacts]] = [[], []]
    for number in count():
        drawn = pile(number, seed)
        for back, sides in enumerate(facts):
            sides += [_facts(drawn, at, bool(back)) for at in range(len(drawn.sheets))]
        if len(facts[0]) >= LEAST_DIFFERENT:
            break
    kept = [[(side, side.imprint.to_bytes()) for side in sides if side.imprint] for sides in facts]
    times_s = []
    for _ in range(3):
        begun_s = time.perf_counter()
        runs = [
            [side._replace(imprint=Imprint.from_bytes(data)) for side, data in (sides * LONG)[:LONG]] for sides in kept
        ]
        propose(runs[0], runs[1][::-1])
        times_s.append(time.perf_counter() - begun_s)
    return Row(f"{LONG} sheets: kept imprints to proposal, s", f"{median(times_s):.1f}", "5")


def _is_good(one: Judged) -> bool:
    return one.right and one.sure


def _mean(values) -> float:  # type: ignore[no-untyped-def]
    listed = [float(value) for value in values]
    return sum(listed) / max(1, len(listed))


def _judge_piles(numbers: range, seed: int) -> list[Judged]:
    judged = []
    for number in numbers:
        drawn = pile(number, seed)
        facts = {(at, back): _facts(drawn, at, back) for at in range(len(drawn.sheets)) for back in (False, True)}
        again = {side: _side(capture, None) for side, capture in drawn.again.items()}
        for faults in (0, 1, 2):
            hand = np.random.default_rng([seed, number, 11 + faults])
            judged.append(_judged(drawn, facts, again, faults, hand)._replace(number=number))
    return judged


def _judge_without_evidence(numbers: range, seed: int) -> list[bool]:
    """Return for each pile of forms all alike, without numbers and show-through, whether nothing is said to be sure."""
    unsure = []
    for number in numbers:
        drawn = pile(number, seed, kind="form", shows_through=False)
        facts = [[_facts(drawn, at, back) for at in range(len(drawn.sheets))] for back in (False, True)]
        proposal = propose(facts[0], facts[1][::-1])
        unsure.append(not proposal.sure and proposal.by_habit)
    return unsure


Sides = list[tuple[int, SideFacts]]


def _judged(
    drawn: Pile,
    facts: dict[tuple[int, bool], SideFacts],
    again: dict[tuple[int, bool], SideFacts],
    faults: int,
    hand: Generator,
) -> Judged:
    count = len(drawn.sheets)
    runs: list[Sides] = [[(at, facts[at, back]) for at in range(count)] for back in (False, True)]
    for _ in range(faults):
        _go_wrong(runs, again, hand)
    is_turned = hand.random() < 0.6
    if is_turned:
        runs[1] = runs[1][::-1]
    fronts, backs = runs
    proposal = propose([side for _, side in fronts], [side for _, side in backs])
    wanted = {at for at, _ in fronts} & {at for at, _ in backs}
    right = _pairs_right(proposal, fronts, backs)
    return Judged(
        drawn.kind,
        faults,
        (proposal.backs_order is BacksOrder.TURNED_PILE) == is_turned,
        len(wanted),
        right,
        proposal.sure,
    )


def _pairs_right(proposal: Proposal, fronts: Sides, backs: Sides) -> int:
    """Return how many sheets are whole and right; a wrong pair counts against them."""
    paired = [
        (fronts[sheet.front][0], backs[sheet.back][0])
        for sheet in proposal.sheets
        if sheet.front is not None and sheet.back is not None
    ]
    wrong = sum(front != back for front, back in paired)
    return len({front for front, back in paired if front == back}) - wrong


def _go_wrong(runs: list[Sides], again: dict[tuple[int, bool], SideFacts], hand: Generator) -> None:
    """Have a sheet missed, fed twice, or hidden under another, in either run."""
    back = bool(hand.integers(2))
    run = runs[back]
    fault = str(hand.choice(FAULTS))
    twice = [at for at, (sheet, _) in enumerate(run) if (sheet, back) in again]
    if fault == "twice" and twice:
        at = int(hand.choice(twice))
        run.insert(at + 1, (run[at][0], again[run[at][0], back]))
    else:
        run.pop(int(hand.integers(len(run))))


def _facts(drawn: Pile, at: int, back: bool) -> SideFacts:
    sheet = drawn.sheets[at]
    return _side(sheet.back, sheet.back_number) if back else _side(sheet.front, sheet.front_number)


def _side(capture: CapturedPicture, number: int | None) -> SideFacts:
    """Return what is known of a page after it has arrived, as the desk has it."""
    found = examine(capture, [200], THUMBNAIL_QUALITY)
    head = capture.head()
    size_mm = page_size_mm(head.width_px, head.height_px, capture.dpi, as_compared(found.analysis.treatment))
    numbers = () if number is None else (number,)
    return SideFacts(*size_mm, Imprint.from_bytes(found.imprint), numbers)
