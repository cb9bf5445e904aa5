"""What stands out among the pages of a Mappe: turned, doubled, of another size or language, a number missing."""

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import accumulate
from typing import Any, NamedTuple

from papiermappe.core.order.cut_evidence import PageFacts
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.cuts import propose_cuts
from papiermappe.core.order.numbers import InferredOrder

FEWEST_PAGES = 5  # fewer tell nothing of what is usual
USUAL_SHARE = 0.8
SIZE_STEP_MM = 6.0


class NoteKind(StrEnum):
    """What is said of a page."""

    TURNED = "turned"
    """The machine is sure that it does not stand upright."""
    GAP_BEFORE = "gap_before"
    TWICE = "twice"
    SIZE = "size"
    LANGUAGE = "language"
    DOCUMENT = "document"
    """Another document seems to begin here."""


@dataclass(frozen=True)
class GlancePage:
    """What is known of a page that lies in a Mappe."""

    facts: PageFacts
    number: int | None = None
    """Printed on it."""
    to_upright: int = 0
    """Quarter turns, counter-clockwise, after which it would stand upright; 0 where it does, or nobody knows."""
    begins: bool = False
    """Whether a document begins with its sheet."""


class Note(NamedTuple):
    """What stands out on a page."""

    page: int
    """Its place among the pages, from 0."""
    kind: NoteKind
    params: dict[str, Any]


def notes_on(sheets: Sequence[Sequence[GlancePage]], inferred: InferredOrder | None) -> list[Note]:
    """Return what stands out, in reading order.

    Args:
        sheets: the pages of each sheet, front first, in the order in which they lie.
        inferred: what their printed numbers tell, if anything.
    """
    pages = [page for sheet in sheets for page in sheet]
    found = [Note(at, NoteKind.TURNED, {"turn": page.to_upright}) for at, page in enumerate(pages) if page.to_upright]
    if inferred is not None:
        found += _by_numbers(pages, inferred)
    printed = [page.facts.printed for page in pages]
    found += _unusual(NoteKind.SIZE, [_size(page.facts) for page in pages])
    found += _unusual(NoteKind.LANGUAGE, [found_on.language if found_on else None for found_on in printed])
    found += _documents(sheets)
    return sorted(found, key=lambda note: note.page)


def _by_numbers(pages: Sequence[GlancePage], inferred: InferredOrder) -> Iterable[Note]:
    missing, twice = set(inferred.missing), set(inferred.twice)
    for at, page in enumerate(pages):
        if page.number is None:
            continue
        gap = []
        before = page.number - 1
        while before in missing:
            gap.append(before)
            before -= 1
        if gap:
            yield Note(at, NoteKind.GAP_BEFORE, {"numbers": gap[::-1]})
        if page.number in twice:
            yield Note(at, NoteKind.TWICE, {"number": page.number})


def _size(facts: PageFacts) -> tuple[int, int] | None:
    """Return the size of a page in steps, however it lies; None of a blank one, whose edges mean little."""
    if facts.blank:
        return None
    short, long = sorted((facts.width_mm, facts.height_mm))
    return round(short / SIZE_STEP_MM), round(long / SIZE_STEP_MM)


def _unusual(kind: NoteKind, values: Sequence[Any]) -> Iterable[Note]:
    """Note pages whose value differs from that of most; sizes that are one step apart are the same."""
    known = Counter(value for value in values if value is not None)
    if known.total() < FEWEST_PAGES:
        return
    usual = max(known, key=lambda value: known[value])
    alike = {value for value in known if _near(value, usual)}
    if sum(known[value] for value in alike) < USUAL_SHARE * known.total():
        return
    for at, value in enumerate(values):
        if value is not None and value not in alike:
            yield Note(at, kind, {})


def _near(one: Any, other: Any) -> bool:
    if isinstance(one, tuple):
        return all(abs(a - b) <= 1 for a, b in zip(one, other, strict=True))
    return bool(one == other)


def _documents(sheets: Sequence[Sequence[GlancePage]]) -> Iterable[Note]:
    """Note sheets with which another document surely begins, though nobody has cut there."""
    found = propose_cuts([[page.facts for page in sheet] for sheet in sheets], CutRule.PAGES_SHOW)
    firsts = list(accumulate((len(sheet) for sheet in sheets), initial=0))
    for cut in found.cuts[1:]:
        if cut.sure and not any(page.begins for page in sheets[cut.sheet]):
            yield Note(firsts[cut.sheet], NoteKind.DOCUMENT, {})
