"""Operations that change where pages lie: the station Order."""

from collections.abc import Iterable, Sequence
from itertools import groupby
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from papiermappe.core.operations.model import BaseOperation, Changes, PageIds, PageState
from papiermappe.core.order.numbers import infer_order
from papiermappe.core.order.places import Place, arranged, move, nudge, ranks_between, sheets


class SetAside(BaseOperation):
    """Take pages out of the document; they are kept."""

    kind: Literal["set_aside"] = "set_aside"

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the pages that become set aside."""
        return {page.id: {"set_aside": True} for page in self.named(pages) if not page.set_aside}


class BringBack(BaseOperation):
    """Put pages that were set aside back where they lay."""

    kind: Literal["bring_back"] = "bring_back"

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the pages that are brought back."""
        return {page.id: {"set_aside": False} for page in self.named(pages) if page.set_aside}


class Move(BaseOperation):
    """Move pages before another sheet, or to the end.

    The sheet is named by a page of it, not by its number, so that what others move meanwhile does not matter.
    """

    kind: Literal["move"] = "move"
    whole_mappe: ClassVar[bool] = True
    before: Annotated[int, Field(ge=1, lt=2**31)] | None
    """A page of the sheet before which they go; None: to the end."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new ranks; empty if the pages are there already or the sheet is gone."""
        places = [page.place for page in pages]
        lanes = sheets(places)
        if self.before is None:
            return _ranks(move(places, self.pages, len(lanes)))
        gap = next((at for at, sheet in enumerate(lanes) if any(place.page_id == self.before for place in sheet)), None)
        return {} if gap is None else _ranks(move(places, self.pages, gap))


class Nudge(BaseOperation):
    """Move pages by one sheet."""

    kind: Literal["nudge"] = "nudge"
    whole_mappe: ClassVar[bool] = True
    by: Literal[-1, 1]
    """-1 is towards the front, 1 towards the end."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new ranks."""
        return _ranks(nudge([page.place for page in pages], self.pages, self.by))


class SortByNumbers(BaseOperation):
    """Put all sheets in the order of the page numbers printed on them."""

    kind: Literal["sort_by_numbers"] = "sort_by_numbers"
    whole_mappe: ClassVar[bool] = True
    by_numbers: ClassVar[bool] = True
    pages: PageIds | tuple[()] = ()
    """Always all."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new ranks; empty if no numbers are known or the sheets are already in order."""
        by_id = {page.id: page for page in pages}
        places = [page.place for page in pages]
        lanes = [[by_id[place.page_id] for place in sheet] for sheet in sheets(places)]
        inferred = infer_order([[page.number for page in sheet if not page.blank] for sheet in lanes])
        return _ranks(arranged(places, inferred.order)) if inferred else {}


class MoveToMappe(BaseOperation):
    """Move pages to the end of another Mappe."""

    kind: Literal["move_to_mappe"] = "move_to_mappe"
    whole_mappe: ClassVar[bool] = True
    mappe: Annotated[int, Field(ge=1, lt=2**31)]

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new Mappe and ranks; pages of one sheet stay together."""
        moving = [page for page in self.named(pages) if page.mappe_id != self.mappe]
        last = max((page.rank for page in pages if page.mappe_id == self.mappe), default=None)
        groups = [list(group) for _, group in groupby(moving, key=lambda page: (page.mappe_id, page.rank))]
        ranks = ranks_between(last, None, len(groups))
        return {
            page.id: {"mappe_id": self.mappe, "rank": str(rank)}
            for rank, group in zip(ranks, groups, strict=True)
            for page in group
        }


def _ranks(places: Iterable[Place]) -> Changes:
    return {place.page_id: {"rank": str(place.rank)} for place in places}
