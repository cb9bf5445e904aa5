"""Operations that change where pages lie: the station Order."""

from collections.abc import Callable, Collection, Iterable, Sequence
from decimal import Decimal
from itertools import groupby
from typing import Annotated, Any, ClassVar, Literal

from natsort import natsort_keygen, ns
from pydantic import Field

from papiermappe.core.operations.model import BaseOperation, Changes, PageIds, PageState
from papiermappe.core.order.numbers import infer_order
from papiermappe.core.order.places import Place, arranged, grouped, move, nudge, permuted, ranks_between, sheets

_natural = natsort_keygen(alg=ns.IGNORECASE)


class SetAside(BaseOperation):
    """Take pages out of the document; they are kept."""

    kind: Literal["set_aside"] = "set_aside"
    places_only: ClassVar[bool] = True

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the pages that become set aside."""
        return {page.id: {"set_aside": True} for page in self.named(pages) if not page.set_aside}


class BringBack(BaseOperation):
    """Put pages that were set aside back where they lay."""

    kind: Literal["bring_back"] = "bring_back"
    places_only: ClassVar[bool] = True

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the pages that are brought back."""
        return {page.id: {"set_aside": False} for page in self.named(pages) if page.set_aside}


class Move(BaseOperation):
    """Move pages before another sheet, or to the end.

    The sheet is named by a page of it, not by its number, so that what others move meanwhile does not matter.
    """

    kind: Literal["move"] = "move"
    places_only: ClassVar[bool] = True
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
    places_only: ClassVar[bool] = True
    whole_mappe: ClassVar[bool] = True
    by: Literal[-1, 1]
    """-1 is towards the front, 1 towards the end."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new ranks."""
        return _ranks(nudge([page.place for page in pages], self.pages, self.by))


class Reverse(BaseOperation):
    """Lay sheets, or single pages, the other way round: the last in the place of the first."""

    kind: Literal["reverse"] = "reverse"
    places_only: ClassVar[bool] = True
    whole_mappe: ClassVar[bool] = True
    pages: PageIds | tuple[()] = ()
    """None: all. Where they are one of each sheet, such as backs, the other sides stay."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new places."""
        groups = grouped([page.place for page in pages], self.pages)
        return _places(pages, permuted(groups, range(len(groups))[::-1]))


class SortByArrival(BaseOperation):
    """Put sheets in the order in which they came."""

    kind: Literal["sort_by_arrival"] = "sort_by_arrival"
    whole_mappe: ClassVar[bool] = True
    pages: PageIds | tuple[()] = ()
    """None: all."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new places."""
        arrival = {page.id: page.capture_id for page in pages}
        return _sorted(pages, self.pages, lambda group: min(arrival[place.page_id] for place in group))


class SortByFiles(BaseOperation):
    """Put sheets in the order of the names of their files; those that come from none follow as they lie."""

    kind: Literal["sort_by_files"] = "sort_by_files"
    whole_mappe: ClassVar[bool] = True
    by_captures: ClassVar[bool] = True
    pages: PageIds | tuple[()] = ()
    """None: all."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new places."""
        files = {page.id: page.file for page in pages}

        def first(group: Sequence[Place]) -> tuple[bool, list[Any]]:
            known = [(_natural(file[0]), file[1]) for place in group if (file := files[place.page_id])]
            return not known, sorted(known)[:1]

        return _sorted(pages, self.pages, first)


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


class _IntoMappe(BaseOperation):
    """What lays pages into another Mappe: before a sheet of it, or at its end."""

    whole_mappe: ClassVar[bool] = True
    mappe: Annotated[int, Field(ge=1, lt=2**31)]
    before: Annotated[int, Field(ge=1, lt=2**31)] | None = None
    """A page of the sheet there before which they go; None: to the end."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new Mappe and ranks; pages of one sheet stay together, what is set aside of it included."""
        there = [page for page in pages if page.mappe_id == self.mappe]
        ordered = sorted((page for page in pages if page.mappe_id != self.mappe), key=_sheet_of)
        wanted = frozenset(self.pages)
        groups = [_moving(list(group), wanted) for _, group in groupby(ordered, key=_sheet_of)]
        groups = [group for group in groups if group]
        high = next((page.rank for page in there if page.id == self.before), None)
        low = max((page.rank for page in there if high is None or page.rank < high), default=None)
        return {
            page.id: {"mappe_id": self.mappe, "rank": str(rank), **({} if page.begins is None else {"begins": None})}
            for rank, group in zip(ranks_between(low, high, len(groups)), groups, strict=True)
            for page in group
        }


class MoveToMappe(_IntoMappe):
    """Move pages to another Mappe."""

    kind: Literal["move_to_mappe"] = "move_to_mappe"


class JoinMappe(_IntoMappe):
    """Put all pages of a Mappe into another one. Windows cannot send it: a service clears the first one away."""

    kind: Literal["join_mappe"] = "join_mappe"


class CopyToMappe(_IntoMappe):
    """Put copies of pages, which lie nowhere yet, into a Mappe. Windows cannot send it: a service makes the copies."""

    kind: Literal["copy_to_mappe"] = "copy_to_mappe"

    @property
    def new_pages(self) -> Sequence[int]:
        """The copies."""
        return self.pages


def _sorted(pages: Sequence[PageState], chosen: Sequence[int], key: Callable[[Sequence[Place]], Any]) -> Changes:
    """Return the places of chosen sheets, or single pages, once they lie in the order of a key."""
    groups = grouped([page.place for page in pages], chosen)
    return _places(pages, permuted(groups, sorted(range(len(groups)), key=lambda at: key(groups[at]))))


def _places(pages: Sequence[PageState], places: Iterable[Place]) -> Changes:
    """Return what differs of places that pages take."""
    before = {page.id: page for page in pages}
    changes: dict[int, dict[str, str]] = {}
    for place in places:
        if place.rank != before[place.page_id].rank:
            changes.setdefault(place.page_id, {})["rank"] = str(place.rank)
        if place.side is not before[place.page_id].side:
            changes.setdefault(place.page_id, {})["side"] = place.side.value
    return changes


def _moving(sheet: list[PageState], wanted: Collection[int]) -> list[PageState]:
    """Return what moves of a sheet: all of it where every page that is not set aside is wanted."""
    lying = [page for page in sheet if not page.set_aside]
    if lying and all(page.id in wanted for page in lying):
        return sheet
    return [page for page in sheet if page.id in wanted]


def _sheet_of(page: PageState) -> tuple[int, Decimal]:
    return page.mappe_id or 0, page.rank


def _ranks(places: Iterable[Place]) -> Changes:
    return {place.page_id: {"rank": str(place.rank)} for place in places}
