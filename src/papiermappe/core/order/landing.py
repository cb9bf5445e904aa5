"""Where the pages of a run land in a Mappe, other than at its end."""

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

PageId = Annotated[int, Field(ge=1, lt=2**31)]


class BacksOrder(StrEnum):
    """In which order the backs of a pile come."""

    TURNED_PILE = "turned_pile"
    """The pile was turned over as a whole: the back of the last sheet comes first."""
    AS_LAID = "as_laid"
    """The back of the first sheet comes first."""


class _Value(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Before(_Value):
    """Before the sheet of a page."""

    kind: Literal["before"] = "before"
    page: PageId


class Backs(_Value):
    """As the backs of pages that are in already."""

    kind: Literal["backs"] = "backs"
    fronts: Annotated[tuple[PageId, ...], Field(min_length=1, max_length=10_000)]
    """The first sheet's first."""
    order: BacksOrder = BacksOrder.TURNED_PILE

    def front_of(self, number: int) -> int | None:
        """Return the page whose back comes as the given one, from 0; None where more come than there are fronts.

        >>> Backs(fronts=(5, 6, 7)).front_of(0)
        7
        """
        if number >= len(self.fronts):
            return None
        return self.fronts[number if self.order is BacksOrder.AS_LAID else len(self.fronts) - 1 - number]


class Again(_Value):
    """In the place of pages that are scanned again, the first page's first; what comes besides lands behind them."""

    kind: Literal["again"] = "again"
    pages: Annotated[tuple[PageId, ...], Field(min_length=1, max_length=2)]


Landing = Annotated[Again | Backs | Before, Field(discriminator="kind")]

LANDING: TypeAdapter[Landing] = TypeAdapter(Landing)
