"""What speaks for a document's beginning between two sheets, as log likelihood ratios: codes, numbers, heads, text.

The weights are set by reasoning, not fitted to any pile.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.dividers import CodeUse, Meaning
from papiermappe.core.reading.printed import NumberKind, PageNumber, Printed

PRIOR = {CutRule.NUMBERS: -0.5, CutRule.LETTERHEAD: -0.5, CutRule.PAGES_SHOW: -1.0}
"""Documents of two to three sheets are usual; who asks for one kind of evidence expects it."""
NAMED, ALONE, AT_END = 4.0, 2.0, 0.7
LETTERHEAD_WORDS = 8  # a head of so many words is a letterhead
FEW_WORDS = 3
SIZE_MM = 6.0
NUMBERED_WITHIN = 3  # pages on either side: where the number of a page could not be read, those beyond it still tell


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
class PageFacts:
    """What is known of one page."""

    width_mm: float
    height_mm: float
    blank: bool = False
    printed: Printed | None = None
    """None: it has not been read yet."""
    meaning: Meaning | None = None
    """What the codes on it say."""

    @property
    def known(self) -> bool:
        """Whether it has been read, or there is nothing to read."""
        return self.blank or self.printed is not None


Evidence = tuple[CutReason | None, float]
"""What speaks for a cut, or against it, and its log likelihood ratio; None: nothing that would be told."""


def evidence_between(sheets: Sequence[Sequence[PageFacts]], before: int, after: int, rule: CutRule) -> list[Evidence]:
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
    if all(page.blank for page in sheets[before]) or all(page.blank for page in sheets[after]):
        return []
    near_before = _printed_pages(sheets[max(0, before + 1 - NUMBERED_WITHIN) : before + 1])[-NUMBERED_WITHIN:]
    near_after = _printed_pages(sheets[after : after + NUMBERED_WITHIN])[:NUMBERED_WITHIN]
    last, first = near_before[-1], near_after[0]
    found: list[Evidence] = [(None, PRIOR[rule])]
    if rule in {CutRule.NUMBERS, CutRule.PAGES_SHOW}:
        found += _by_numbers(near_before, near_after)
    return [*found, *(item for way in _WAYS.get(rule, ()) for item in way(last, first))]


def _printed_pages(sheets: Sequence[Sequence[PageFacts]]) -> list[PageFacts]:
    return [page for sheet in sheets for page in sheet if not page.blank]


def use_of(sheet: Sequence[PageFacts]) -> CodeUse | None:
    """Return what the codes on a sheet do."""
    return next((page.meaning.use for page in sheet if page.meaning), None)


def meant_by(sheet: Sequence[PageFacts]) -> Meaning | None:
    """Return what the codes on a sheet say."""
    return next((page.meaning for page in sheet if page.meaning), None)


def _by_code(
    before: Sequence[PageFacts], after: Sequence[PageFacts], between: Sequence[Sequence[PageFacts]]
) -> list[Evidence]:
    if any(use_of(sheet) is CodeUse.DIVIDER for sheet in between):
        return [(CutReason.DIVIDER, math.inf)]
    meant, earlier = meant_by(after), meant_by(before)
    if meant and meant.use is CodeUse.BEGINS:
        return [(CutReason.LABEL, math.inf)]
    if meant and meant.use is CodeUse.NAMES:
        same = earlier is not None and earlier.use is CodeUse.NAMES and earlier.name == meant.name
        return [(None, -math.inf)] if same else [(CutReason.CODE, math.inf)]
    return []


_WEIGHT = {NumberKind.NAMED: NAMED, NumberKind.ALONE: ALONE, NumberKind.AT_END: AT_END}


def _by_numbers(before: Sequence[PageFacts], after: Sequence[PageFacts]) -> list[Evidence]:
    """Weigh page numbers: 1 of 3 begins a document, 2 after 1 goes on, what follows 3 of 3 is another one.

    Args:
        before: the pages that lie before, the last next to the cut.
        after: the pages behind it.
    """
    ending, starting = _numbers(before[-1]), _numbers(after[0])
    follows = [
        _WEIGHT[number.kind] + (0.0 if back or on else 1.0)
        for back, earlier in enumerate(reversed(before))
        for on, later in enumerate(after)
        for number in _following(earlier, later, back + on + 1)
    ]
    if follows:
        return [(None, -max(follows))]
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


def _following(earlier: PageFacts, later: PageFacts, by: int) -> list[PageNumber]:
    """Return the numbers of a page that are higher by so many than one of a page before it.

    A number at the end of a line may be any number: it tells only from one page to the next.
    """
    return [
        number
        for known in _numbers(earlier)
        for number in _numbers(later)
        if number.number == known.number + by
        and number.kind is known.kind
        and number.of == known.of
        and (by == 1 or number.kind is not NumberKind.AT_END)
    ]


def _numbers(page: PageFacts) -> tuple[PageNumber, ...]:
    return page.printed.numbers if page.printed else ()


def _by_letterhead(last: PageFacts, first: PageFacts) -> list[Evidence]:
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


def _by_size(last: PageFacts, first: PageFacts) -> list[Evidence]:
    sizes = [sorted((page.width_mm, page.height_mm)) for page in (last, first)]
    differs = any(abs(one - other) > SIZE_MM for one, other in zip(*sizes, strict=True))
    return [(CutReason.SIZE, 2.5)] if differs else [(None, -0.1)]


def _by_text(last: PageFacts, first: PageFacts) -> list[Evidence]:
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


def _by_language(last: PageFacts, first: PageFacts) -> list[Evidence]:
    languages = {page.printed.language for page in (last, first) if page.printed and page.printed.language}
    return [(CutReason.LANGUAGE, 2.5)] if len(languages) > 1 else []


_WAYS: dict[CutRule, tuple[Callable[[PageFacts, PageFacts], list[Evidence]], ...]] = {
    CutRule.LETTERHEAD: (_by_letterhead, _by_size),
    CutRule.PAGES_SHOW: (_by_letterhead, _by_size, _by_text, _by_language),
}
