"""Laying backs to their fronts: what makes a two-sided document of two one-sided runs."""

from collections.abc import Sequence
from decimal import Decimal
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from papiermappe.core.operations.model import BaseOperation, Changes, PageState
from papiermappe.core.order.places import Side, ranks_between

PageId = Annotated[int, Field(ge=1, lt=2**31)]


class SheetSides(BaseModel):
    """A sheet: its front, its back, or both."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    front: PageId | None = None
    back: PageId | None = None


class Interleave(BaseOperation):
    """Make sheets of fronts and backs, in the order given, at the place of the first front.

    >>> sheets = (SheetSides(front=1, back=4), SheetSides(front=2))
    >>> Interleave(pages=(1, 4, 2), sheets=sheets).kind
    'interleave'
    """

    kind: Literal["interleave"] = "interleave"
    whole_mappe: ClassVar[bool] = True
    places_only: ClassVar[bool] = True
    sheets: Annotated[tuple[SheetSides, ...], Field(min_length=1, max_length=10_000)]
    aside: Annotated[tuple[PageId, ...], Field(max_length=10_000)] = ()
    """Pages of these sheets that are set aside, as they came twice."""

    @model_validator(mode="after")
    def _each_page_once(self) -> Self:
        placed = [page for sheet in self.sheets for page in (sheet.front, sheet.back) if page is not None]
        if sorted(placed) != sorted(self.pages) or len(set(placed)) != len(placed):
            raise ValueError("each page lies on one sheet, once")
        if not set(self.aside) <= set(placed):
            raise ValueError("only pages of the sheets can be set aside")
        return self

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return places, and what is set aside; empty if all is so, or a page has left the Mappe."""
        by_id = {page.id: page for page in pages}
        if not by_id.keys() >= set(self.pages):
            return {}
        changes: dict[int, dict[str, Any]] = {}
        for sheet, rank in zip(self.sheets, self._ranks(pages, by_id), strict=True):
            for page_id, side in ((sheet.front, Side.FRONT), (sheet.back, Side.BACK)):
                if page_id is not None:
                    fields = self._fields(by_id[page_id], rank, side)
                    if fields:
                        changes[page_id] = fields
        return changes

    def _ranks(self, pages: Sequence[PageState], by_id: dict[int, PageState]) -> list[Decimal]:
        """Return the sheets' ranks: those that their fronts have, where they rise; else new ones at one place."""
        own = set(self.pages)
        taken = {page.rank for page in pages if page.id not in own}
        kept = [by_id[sheet.front].rank if sheet.front is not None else None for sheet in self.sheets]
        fronts = [rank for rank in kept if rank is not None]
        if fronts and fronts == sorted(set(fronts)) and not taken & set(fronts):
            return _filled(kept, sorted({*taken, *fronts}))
        first = min(fronts or [by_id[page].rank for page in self.pages])
        low = max((rank for rank in taken if rank < first), default=None)
        high = min((rank for rank in taken if low is None or rank > low), default=None)
        return ranks_between(low, high, len(self.sheets))

    def _fields(self, page: PageState, rank: Decimal, side: Side) -> dict[str, Any]:
        fields: dict[str, Any] = {}
        if page.rank != rank:
            fields["rank"] = str(rank)
        if page.side is not side:
            fields["side"] = side.value
        if page.id in self.aside and not page.set_aside:
            fields["set_aside"] = True
        return fields


def _filled(kept: Sequence[Decimal | None], taken: Sequence[Decimal]) -> list[Decimal]:
    """Return ranks with those of sheets without a front put behind the sheet before them."""
    ranks: list[Decimal] = []
    at = 0
    while at < len(kept):
        rank = kept[at]
        if rank is not None:
            ranks.append(rank)
            at += 1
            continue
        until = next((later for later in range(at, len(kept)) if kept[later] is not None), len(kept))
        following = kept[until] if until < len(kept) else None
        low = (
            ranks[-1]
            if ranks
            else max((other for other in taken if following is None or other < following), default=None)
        )
        high = min((other for other in taken if low is None or other > low), default=None)
        ranks += ranks_between(low, high, until - at)
        at = until
    return ranks
