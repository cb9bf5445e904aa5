"""Where documents begin in a pile of sheets, proposed with the reason: by counting, by dividers, by what pages show."""

import math
from collections.abc import Collection, Sequence
from itertools import pairwise
from typing import NamedTuple

from papiermappe.core.order.cut_evidence import CutReason, Evidence, PageFacts, evidence_between, meant_by, use_of
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.dividers import CodeUse

SURE = 0.96
PROPOSED = 0.5


class CutHere(NamedTuple):
    """A document that begins with a sheet."""

    sheet: int
    """Its place in the pile, from 0."""
    reasons: tuple[CutReason, ...]
    """The strongest first."""
    name: str
    """From a divider, a label or the page itself; empty where neither gives one."""
    confidence: float
    """0 to 1."""

    @property
    def sure(self) -> bool:
        """Whether nobody has to look."""
        return self.confidence >= SURE


class ProposedCuts(NamedTuple):
    """How a pile falls into documents."""

    cuts: list[CutHere]
    """The first is of the first sheet that stays, whatever the rule; its name may be empty."""
    aside: list[int]
    """Sheets that only divide."""


def propose_cuts(sheets: Sequence[Sequence[PageFacts]], rule: CutRule, every: int = 1) -> ProposedCuts:
    """Return where documents begin.

    Args:
        sheets: the pages of each sheet, front first, in the order in which they lie.
        rule: by what it is cut.
        every: sheets or pages a document, for the rules that count.

    Raises:
        ValueError: `every` is below 1.
    """
    if every < 1:
        raise ValueError(f"documents of {every} cannot be made")
    aside = {at for at, sheet in enumerate(sheets) if _divides(sheet, rule)}
    lying = [at for at in range(len(sheets)) if at not in aside]
    if not lying:
        return ProposedCuts([], sorted(aside))
    cuts = [CutHere(lying[0], (), _name(sheets, lying[0], aside), 1.0)]
    begins = _counted(sheets, lying, rule, every) if rule in {CutRule.SHEETS, CutRule.PAGES} else None
    for before, after in pairwise(lying):
        found: list[Evidence] = []
        if begins is None:
            found = evidence_between(sheets, before, after, rule)
        elif after in begins:
            found = [(CutReason.COUNTED, math.inf)]
        confidence = _confidence(found)
        if confidence > PROPOSED:
            speaking = sorted((item for item in found if item[1] > 0), key=lambda item: -item[1])
            reasons = tuple(reason for reason, _ in speaking if reason is not None)
            cuts.append(CutHere(after, reasons, _name(sheets, after, aside), confidence))
    return ProposedCuts(cuts, sorted(aside))


def _divides(sheet: Sequence[PageFacts], rule: CutRule) -> bool:
    """Return whether a sheet holds no page of any document."""
    if rule in {CutRule.PAGES_SHOW, CutRule.DIVIDERS} and use_of(sheet) is CodeUse.DIVIDER:
        return True
    return rule is CutRule.BLANK and all(page.blank for page in sheet)


def _counted(sheets: Sequence[Sequence[PageFacts]], lying: Sequence[int], rule: CutRule, every: int) -> set[int]:
    """Return the sheets with which a document begins where so many sheets or pages make one."""
    begins, so_far = set(), 0
    for at in lying:
        size = 1 if rule is CutRule.SHEETS else len(sheets[at])
        if so_far and so_far + size > every:
            begins.add(at)
            so_far = 0
        so_far += size
    return begins


def _confidence(found: Sequence[Evidence]) -> float:
    total = sum(weight for _, weight in found)
    return 1 / (1 + math.exp(-max(-50.0, min(50.0, total))))


def _name(sheets: Sequence[Sequence[PageFacts]], at: int, aside: Collection[int]) -> str:
    """Return the name of the document that begins with a sheet: its divider's, its code's, or its title."""
    dividers = []
    before = at - 1
    while before in aside:
        dividers.append(sheets[before])
        before -= 1
    named = [meaning.name for sheet in [*dividers, sheets[at]] if (meaning := meant_by(sheet)) and meaning.name]
    titles = [page.printed.title for page in sheets[at] if page.printed and page.printed.title]
    return next(iter([*named, *titles]), "")
