"""Where pages lie, told to windows apart from all else: hundreds are moved at once, and are otherwise as before."""

from collections.abc import Iterable
from decimal import Decimal
from typing import Any

from pydantic import BaseModel
from sqlalchemy import Select, select

from papiermappe.core.order.places import Side
from papiermappe.store.models import Page

PLACE_FIELDS = frozenset({"mappe_id", "rank", "side", "set_aside"})
LYING_FIELDS = PLACE_FIELDS - {"mappe_id"} | {"begins"}
"""The fields that say how a page lies in its Mappe."""


class PagePlace(BaseModel):
    """Where a page lies."""

    id: int
    revision: int
    rank: str
    side: Side
    set_aside: bool
    begins: str | None
    """The name of the document that begins with its sheet; None where none begins."""

    @property
    def printed_place(self) -> dict[str, Any]:
        """The same as fields of a `PrintedPage`."""
        return {
            "rank": Decimal(self.rank),
            "side": self.side,
            "set_aside": self.set_aside,
            "begins": self.begins is not None,
        }


def places() -> Select[int, int, Decimal, Side, bool, str | None]:
    """Return the query for the places of pages, to be narrowed down."""
    return select(Page.id, Page.revision, Page.rank, Page.side, Page.set_aside, Page.begins)


def as_places(rows: Iterable[Any]) -> list[PagePlace]:
    """Return the rows of such a query as values."""
    return [
        PagePlace(
            id=row.id,
            revision=row.revision,
            rank=str(row.rank),
            side=row.side,
            set_aside=row.set_aside,
            begins=row.begins,
        )
        for row in rows
    ]
