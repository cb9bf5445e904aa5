"""Where documents begin in a pile of sheets, proposed with the reason: by counting, by dividers, by what pages show."""

import math
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import pairwise
from typing import NamedTuple

from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.dividers import CodeUse, Meaning
from papiermappe.core.reading.printed import NumberKind, PageNumber, Printed

SURE = 0.96
PROPOSED = 0.5


class CutReason(StrEnum):
    """Why a document begins with a sheet."""

    COUNTED = "counted"
    DIVIDER = "divider"
    LABEL = "label"
    CODE = "code"
    BLANK = "blank"
    NUMBERS = "numbers"
    LAST_PAGE = "last_page"
    """The page before it is the last of its document, by its own number."""
    OPENING = "opening"
    """It begins like a letter or an invoice."""
    LETTERHEAD = "letterhead"
    SIZE = "size"
    LANGUAGE = "language"


@dataclass(frozen=True)
class SideFacts:
    """What is known of one page."""

    width_mm: float
    height_mm: float
    blank: bool = False
    printed: Printed | None = None
    """None: it has not been read yet."""
    meaning: Meaning | None = None
    """What the codes on it say."""


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


def propose_cuts(sheets: Sequence[Sequence[SideFacts]], rule: CutRule, every: int = 1) -> ProposedCuts:
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
            found = _evidence(sheets, before, after, rule)
        elif after in begins:
            found = [(CutReason.COUNTED, math.inf)]
        confidence = _confidence(found)
        if confidence > PROPOSED:
            speaking = sorted((item for item in found if item[1] > 0), key=lambda item: -item[1])
            reasons = tuple(reason for reason, _ in speaking if reason is not None)
            cuts.append(CutHere(after, reasons, _name(sheets, after, aside), confidence))
    return ProposedCuts(cuts, sorted(aside))


Evidence = tuple[CutReason | None, float]
"""What speaks for a cut, or against it, and its log likelihood ratio; None: nothing that would be told."""


def _divides(sheet: Sequence[SideFacts], rule: CutRule) -> bool:
    """Return whether a sheet holds no page of any document."""
    if rule in {CutRule.PAGES_SHOW, CutRule.DIVIDERS} and _use(sheet) is CodeUse.DIVIDER:
        return True
    return rule is CutRule.BLANK and all(page.blank for page in sheet)


def _use(sheet: Sequence[SideFacts]) -> CodeUse | None:
    return next((page.meaning.use for page in sheet if page.meaning), None)


def _meant(sheet: Sequence[SideFacts]) -> Meaning | None:
    return next((page.meaning for page in sheet if page.meaning), None)


def _counted(sheets: Sequence[Sequence[SideFacts]], lying: Sequence[int], rule: CutRule, every: int) -> set[int]:
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


def _evidence(sheets: Sequence[Sequence[SideFacts]], before: int, after: int, rule: CutRule) -> list[Evidence]:
    """Return what speaks for a document's beginning between two sheets that stay."""
    between = [sheets[at] for at in range(before + 1, after)]
    if between and rule is CutRule.BLANK:
        return [(CutReason.BLANK, math.inf)]
    by_code = _by_code(sheets[before], sheets[after], between)
    if rule is CutRule.BLANK:
        return []
    if by_code and rule in {CutRule.PAGES_SHOW, CutRule.DIVIDERS}:
        return by_code
    if rule is CutRule.DIVIDERS:
        return []
    last = next((page for page in reversed(sheets[before]) if not page.blank), None)
    first = next((page for page in sheets[after] if not page.blank), None)
    if last is None or first is None:
        return []
    weigh: dict[CutRule, tuple[Callable[[SideFacts, SideFacts], list[Evidence]], ...]] = {
        CutRule.NUMBERS: (_by_numbers,),
        CutRule.LETTERHEAD: (_by_letterhead, _by_size),
        CutRule.PAGES_SHOW: (_by_numbers, _by_letterhead, _by_size, _by_text, _by_language),
    }
    return [(None, PRIOR[rule]), *(item for way in weigh[rule] for item in way(last, first))]


PRIOR = {CutRule.NUMBERS: -0.5, CutRule.LETTERHEAD: -0.5, CutRule.PAGES_SHOW: -1.0}
"""Documents of two to three sheets are usual; who asks for one kind of evidence expects it."""


def _by_code(
    before: Sequence[SideFacts], after: Sequence[SideFacts], between: Sequence[Sequence[SideFacts]]
) -> list[Evidence]:
    if any(_use(sheet) is CodeUse.DIVIDER for sheet in between):
        return [(CutReason.DIVIDER, math.inf)]
    meant, earlier = _meant(after), _meant(before)
    if meant and meant.use is CodeUse.BEGINS:
        return [(CutReason.LABEL, math.inf)]
    if meant and meant.use is CodeUse.NAMES:
        same = earlier is not None and earlier.use is CodeUse.NAMES and earlier.name == meant.name
        return [(None, -math.inf)] if same else [(CutReason.CODE, math.inf)]
    return []


NAMED, ALONE, AT_END = 4.0, 2.0, 0.7
_WEIGHT = {NumberKind.NAMED: NAMED, NumberKind.ALONE: ALONE, NumberKind.AT_END: AT_END}


def _by_numbers(last: SideFacts, first: SideFacts) -> list[Evidence]:
    """Weigh page numbers: 1 of 3 begins a document, 2 after 1 goes on, what follows 3 of 3 is another one."""
    ending, starting = _numbers(last), _numbers(first)
    follows = [
        (before, after)
        for before in ending
        for after in starting
        if after.number == before.number + 1 and after.kind is before.kind and after.of == before.of
    ]
    if follows:
        return [(None, -max(_WEIGHT[after.kind] for _, after in follows) - 1.0)]
    found: list[Evidence] = []
    one = [_WEIGHT[number.kind] for number in starting if number.number == 1]
    if one:
        found.append((CutReason.NUMBERS, max(one)))
    elif named := [number for number in starting if number.kind is NumberKind.NAMED]:
        found.append((None, -2.0 if named[0].number > 1 else 0.0))
    if any(number.of == number.number for number in ending):
        found.append((CutReason.LAST_PAGE, NAMED))
    elif any(number.of is not None for number in ending) and not one:
        found.append((None, -1.5))
    return found


def _numbers(page: SideFacts) -> tuple[PageNumber, ...]:
    return page.printed.numbers if page.printed else ()


LETTERHEAD_WORDS = 8  # a head of so many words is a letterhead
FEW_WORDS = 3


def _by_letterhead(last: SideFacts, first: SideFacts) -> list[Evidence]:
    """Weigh heads and feet: a document has its letterhead on its first page, and the same foot on all."""
    if last.printed is None or first.printed is None:
        return []
    found: list[Evidence] = []
    head, earlier = set(first.printed.head), set(last.printed.head)
    alike = _alike(head, earlier)
    if len(head) >= LETTERHEAD_WORDS and len(earlier) >= FEW_WORDS and alike < 0.2:
        found.append((CutReason.LETTERHEAD, 1.5))
    elif len(head) >= LETTERHEAD_WORDS and len(earlier) < FEW_WORDS:
        found.append((CutReason.LETTERHEAD, 1.0))
    elif len(head) >= FEW_WORDS and alike > 0.7 and len(head) < LETTERHEAD_WORDS:
        found.append((None, -1.5))  # a running head
    elif len(head) < FEW_WORDS:
        found.append((None, -1.0))
    foot, earlier_foot = set(first.printed.foot), set(last.printed.foot)
    if len(foot) >= FEW_WORDS and len(earlier_foot) >= FEW_WORDS:
        alike = _alike(foot, earlier_foot)
        if alike > 0.6:
            found.append((None, -1.0))
        elif alike < 0.15:
            found.append((CutReason.LETTERHEAD, 1.5))
    return found


def _alike(one: set[str], other: set[str]) -> float:
    """Return the share of the words of two texts that are in both."""
    return len(one & other) / len(one | other) if one | other else 1.0


SIZE_MM = 6.0


def _by_size(last: SideFacts, first: SideFacts) -> list[Evidence]:
    sizes = [sorted((page.width_mm, page.height_mm)) for page in (last, first)]
    differs = any(abs(one - other) > SIZE_MM for one, other in zip(*sizes, strict=True))
    return [(CutReason.SIZE, 2.5)] if differs else [(None, -0.1)]


def _by_text(last: SideFacts, first: SideFacts) -> list[Evidence]:
    """Weigh how the text ends and begins: letters have a salutation and a closing, sentences go on over the page."""
    before, after = last.printed or Printed(), first.printed or Printed()
    found: list[Evidence] = []
    if after.opens:
        found.append((CutReason.OPENING, 2.0))
    if before.closes:
        found.append((CutReason.OPENING, 1.5))
    if after.begins_within and not after.opens:
        found.append((None, -3.0 if before.ends_within else -1.5))
    return found


def _by_language(last: SideFacts, first: SideFacts) -> list[Evidence]:
    languages = {page.printed.language for page in (last, first) if page.printed and page.printed.language}
    return [(CutReason.LANGUAGE, 2.5)] if len(languages) > 1 else []


def _name(sheets: Sequence[Sequence[SideFacts]], at: int, aside: Collection[int]) -> str:
    """Return the name of the document that begins with a sheet: its divider's, its code's, or its title."""
    dividers = []
    before = at - 1
    while before in aside:
        dividers.append(sheets[before])
        before -= 1
    named = [meaning.name for sheet in [*dividers, sheets[at]] if (meaning := _meant(sheet)) and meaning.name]
    titles = [page.printed.title for page in sheets[at] if page.printed and page.printed.title]
    return next(iter([*named, *titles]), "")
