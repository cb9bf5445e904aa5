"""The documents that a Mappe holds, as its cuts part it."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import groupby

from papiermappe.core.operations.model import PageState


@dataclass
class Part:
    """One document of a Mappe."""

    name: str
    """Empty where it has none yet."""
    pages: list[PageState] = field(default_factory=list)
    """In reading order, those set aside included."""


def parts_of(pages: Sequence[PageState]) -> list[Part]:
    """Return the documents of a Mappe; one where nothing is cut, none where all its pages are set aside.

    A document begins with the sheet of a page that says so. Where that sheet is set aside, as a divider is, the next
    sheet begins it; sheets set aside just before it go with it.

    Args:
        pages: of the Mappe, in reading order.
    """
    parts: list[Part] = []
    waiting: list[PageState] = []
    begins: str | None = None
    for _, sheet in groupby(pages, key=lambda page: page.rank):
        own = list(sheet)
        begins = next((page.begins for page in own if page.begins is not None), begins)
        if all(page.set_aside for page in own):
            waiting += own
            continue
        if begins is not None or not parts:
            parts.append(Part(begins or ""))
        parts[-1].pages += [*waiting, *own]
        waiting, begins = [], None
    if parts:
        parts[-1].pages += waiting
    return parts
