"""The order of sheets that their printed page numbers tell."""

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

from papiermappe.core.reading.printed import NumberKind, Printed

FEWEST = 3  # fewer numbers than this prove nothing
FOLLOWING_SHARE = 0.6  # share of the numbers whose successor must be printed too (the last one has none)
NEAR = 2  # a page may be missing or have no number, so neighbours may differ by this much
OWN_SHARE = 0.8  # share of the numbers that must occur on one page only


class InferredOrder(NamedTuple):
    """What page numbers tell of sheets."""

    order: list[int]
    """The sheets, by their place now, in the order of their numbers; sheets without one stay where they are."""
    missing: list[int]
    """Numbers that are on no page, nor can be those of pages between their neighbours that have none."""
    twice: list[int]
    """Numbers that are on several."""

    @property
    def out_of_place(self) -> int:
        """How many sheets lie where another belongs."""
        return sum(sheet != place for place, sheet in enumerate(self.order))


def numbers_of(pages: Sequence[Printed | None]) -> list[int | None]:
    """Return the number of each page, in the order of the pages; None where it has none, or it cannot be told.

    What may be a page number counts only if those of other pages go before and after it: the year in a letter's head
    or the number of an invoice do not.
    """
    for kind in NumberKind:
        numbers = _of_kind(pages, kind)
        if _go_on(numbers):
            return numbers
    return [None] * len(pages)


def _of_kind(pages: Sequence[Printed | None], kind: NumberKind) -> list[int | None]:
    """Return for each page the number of a kind that fits those of other pages best."""
    choices = [[found.number for found in page.numbers if found.kind is kind] if page else [] for page in pages]
    having = Counter(number for numbers in choices for number in set(numbers))

    def fits(number: int) -> tuple[int, int]:
        return (number - 1 in having) + (number + 1 in having), -having[number]

    fitting = [max(numbers, key=fits, default=None) for numbers in choices]
    return [number if number is not None and _has_near(number, fitting) else None for number in fitting]


def _has_near(number: int, numbers: Sequence[int | None]) -> bool:
    """Return whether a page near this one is there: what stands far from all others belongs to something else."""
    return any(other is not None and 0 < abs(other - number) <= NEAR for other in numbers)


def _go_on(numbers: Sequence[int | None]) -> bool:
    having = Counter(number for number in numbers if number is not None)
    following = sum(number + 1 in having for number in having)
    return (
        len(having) >= FEWEST
        and following >= FOLLOWING_SHARE * (len(having) - 1)
        and len(having) >= OWN_SHARE * having.total()
    )


def infer_order(sheets: Sequence[Sequence[int | None]]) -> InferredOrder | None:
    """Return what the numbers of sheets tell.

    Args:
        sheets: for each, in the order in which they lie, the numbers of its pages; blank ones are left out.

    Returns:
        None where no page has a number.
    """
    firsts = {
        at: min(known)
        for at, pages in enumerate(sheets)
        if (known := [number for number in pages if number is not None])
    }
    if not firsts:
        return None
    by_number = iter(sorted(firsts, key=lambda at: (firsts[at], at)))
    having = Counter(number for pages in sheets for number in pages if number is not None)
    order = [next(by_number) if at in firsts else at for at in range(len(sheets))]
    between = set(_between([number for at in order for number in sheets[at]]))
    twice = sorted(number for number, times in having.items() if times > 1)
    return InferredOrder(order, missing=sorted(between - having.keys()), twice=twice)


def _between(numbers: Sequence[int | None]) -> Iterator[int]:
    """Yield the numbers between those of two pages, unless as many pages without one lie there that may have them.

    They may not where elsewhere such pages lie between two numbers that follow one another, as backs without number do.
    """
    known = [(at, number) for at, number in enumerate(numbers) if number is not None]
    steps = [(before, after, there - here - 1) for (here, before), (there, after) in pairwise(known)]
    counted = not any(after - before == 1 and without for before, after, without in steps)
    for before, after, without in steps:
        if after - before - 1 > (without if counted else 0):
            yield from range(before + 1, after)
