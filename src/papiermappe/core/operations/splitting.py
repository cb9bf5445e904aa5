"""Operations on spreads: where their gutter lies, and splitting them into two pages. The station Tidy."""

from collections.abc import Collection, Mapping, Sequence
from decimal import Decimal
from itertools import pairwise
from typing import Annotated, Any, ClassVar, Literal, NamedTuple

from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.geometry import quad_mm, quad_px
from papiermappe.core.halves import GutterLine, half_of
from papiermappe.core.operations.model import BaseOperation, Changes, OperationRefused, PageState
from papiermappe.core.order.places import Side, ranks_between
from papiermappe.core.treatment import FOUND_ON_SHEET, MAX_PAGE_MM, Part, Treatment, flat_sheet, page_box
from papiermappe.message import Message

SizeMm = Annotated[float, Field(gt=0, le=2 * MAX_PAGE_MM)]
PageId = Annotated[int, Field(ge=1, lt=2**31)]

AS_WIDE = 0.12
AS_HIGH = 0.06
"""A page before a spread is of the same booklet where it is this near to half of it in size."""


class SetGutter(BaseOperation):
    """Draw the line at which spreads will be split; without one, go back to what was found.

    On each page it lies as far from the middle as on the page on which it was drawn, from the top to the bottom.
    """

    kind: Literal["set_gutter"] = "set_gutter"
    by_captures: ClassVar[bool] = True
    gutter: GutterLine | None
    """On the page, as it is seen."""
    drawn_on_mm: tuple[SizeMm, SizeMm]
    """Width and height of the page on which it was drawn."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the gutters that change. Raises OperationRefused: it runs beside the page, or back up."""
        changes: dict[int, dict[str, Any]] = {}
        for page in self.named(pages):
            line = None if self.gutter is None else _laid(self.gutter, self.drawn_on_mm, page)
            if line != page.treatment.gutter:
                changes[page.id] = {"gutter": line and [list(point) for point in line]}
        return changes


class Halves(BaseModel):
    """The two pages of a spread, which lie nowhere yet, in the order in which they are read."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    spread: PageId
    first: PageId
    second: PageId


class SplitSpreads(BaseOperation):
    """Put the two pages of each spread in its place. Windows cannot send it: a service makes the pages.

    As in a bound booklet the first page is the back of a leaf and the second one the front of the next. So the first
    becomes the back of the sheet before, where that is of the same booklet and has none; else a sheet of its own.
    """

    kind: Literal["split_spreads"] = "split_spreads"
    whole_mappe: ClassVar[bool] = True
    by_captures: ClassVar[bool] = True
    halves: tuple[Halves, ...]

    @property
    def new_pages(self) -> Sequence[int]:
        """The two pages of each spread."""
        return [page for pair in self.halves for page in (pair.first, pair.second)]

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return where the new pages lie, and that the spreads lie nowhere any more."""
        by_id = {page.id: page for page in pages}
        halves = {pair.spread: (by_id[pair.first], by_id[pair.second]) for pair in self.halves}
        seconds = frozenset(pair.second for pair in self.halves)
        sheets = _by_sheet([page for page in pages if page.mappe_id is not None])
        changes: dict[int, dict[str, Any]] = {}

        def lay(page: PageState, spread: PageState, rank: Decimal, side: Side, begins: str | None = None) -> None:
            where = {"mappe_id": spread.mappe_id, "rank": str(rank), "side": side.value}
            changes[page.id] = where if begins is None else {**where, "begins": begins}
            changes[spread.id] = {"mappe_id": None, **({} if spread.begins is None else {"begins": None})}

        before: _Leaf | None = None
        for (rank, sheet), next_rank in zip(sheets.items(), [*sheets, None][1:], strict=True):
            leaf = _Leaf(rank, dict(sheet))
            front, back = leaf.pages.get(Side.FRONT), leaf.pages.get(Side.BACK)
            if front is not None and front.id in halves:
                first, second = halves[front.id]
                if before is not None and _takes_back(before, front, seconds):
                    lay(first, front, before.rank, Side.BACK)
                else:
                    own_rank = ranks_between(before and before.rank, rank, 1)[0]
                    lay(first, front, own_rank, Side.BACK, front.begins)
                lay(second, front, rank, Side.FRONT)
                leaf.pages[Side.FRONT] = second
            if back is not None and back.id in halves:
                first, second = halves[back.id]
                lay(first, back, rank, Side.BACK, back.begins)
                leaf = _Leaf(ranks_between(rank, next_rank, 1)[0], {Side.FRONT: second})
                lay(second, back, leaf.rank, Side.FRONT)
            before = leaf
        return changes

    def message(self, count: int) -> Message:
        """Return a message that tells how many spreads were split."""
        del count
        return Message(code="split_spreads", params={"count": len(self.halves)})


def has_two_sides(spread: PageState) -> bool:
    """Whether a gutter leaves something on both of its sides."""
    corners, gutter = page_box(*spread.scan_mm, spread.treatment).corners, spread.gutter
    return gutter is not None and all(half_of(corners, gutter, right) is not None for right in (False, True))


def half_treatment(spread: PageState, *, right: bool) -> Treatment:
    """Return what is done to a page of a spread, before it is known how that is straightened and cropped.

    Each page of an open book bends its own way. So on a photo it becomes a sheet with four corners of its own.

    Args:
        spread: as it is split; both sides of its gutter hold something.
        right: the right page, not the left.
    """
    treatment, gutter, size = spread.treatment, spread.gutter or (), spread.capture_size
    anew: dict[str, Any] = {**dict.fromkeys(FOUND_ON_SHEET), "margins": (0.0, 0.0), "gutter": None}
    if size is not None and (flat := flat_sheet((size.height_px, size.width_px), size.dpi, treatment)) is not None:
        half = half_of(page_box(*spread.scan_mm, treatment).corners, gutter, right)
        if half is not None:
            anew["corners"] = quad_mm(flat.on_photo(quad_px(half, size.dpi)), size.dpi)
            return treatment.model_copy(update=anew)
    return treatment.model_copy(update={**anew, "part": Part(gutter=gutter, right=right)})


class _Leaf(NamedTuple):
    """A sheet as it will lie."""

    rank: Decimal
    pages: dict[Side, PageState]


def _laid(gutter: GutterLine, drawn_on_mm: tuple[float, float], page: PageState) -> GutterLine:
    """Return a line of the page on which it was drawn as it lies on the sheet of another."""
    turns = page.treatment.quarter_turns
    box = page_box(*page.scan_mm, page.treatment)
    width_mm, height_mm = box.size_mm(turns)
    on_page = [(x_mm + (width_mm - drawn_on_mm[0]) / 2, y_mm * height_mm / drawn_on_mm[1]) for x_mm, y_mm in gutter]
    rises = any(there[1] <= here[1] for here, there in pairwise(on_page))
    if rises or not all(0 < x_mm < width_mm for x_mm, _ in on_page):
        raise OperationRefused("gutter_off_page")
    return tuple((round(float(x_mm), 2), round(float(y_mm), 2)) for x_mm, y_mm in box.on_sheet(on_page, turns))


def _by_sheet(pages: Sequence[PageState]) -> Mapping[Decimal, dict[Side, PageState]]:
    """Return the pages by rank and side, in reading order."""
    sheets: dict[Decimal, dict[Side, PageState]] = {}
    for page in sorted(pages, key=lambda page: page.rank):
        sheets.setdefault(page.rank, {})[page.side] = page
    return sheets


def _takes_back(leaf: _Leaf, spread: PageState, seconds: Collection[int]) -> bool:
    """Whether the leaf before a spread has a free back, and is of the same booklet."""
    front = leaf.pages.get(Side.FRONT)
    if front is None or Side.BACK in leaf.pages or front.set_aside or spread.begins is not None:
        return False
    if front.id in seconds:
        return True
    (width_mm, height_mm), (spread_width_mm, spread_height_mm) = front.size_mm, spread.size_mm
    as_high = abs(height_mm - spread_height_mm) <= AS_HIGH * spread_height_mm
    return as_high and abs(2 * width_mm - spread_width_mm) <= AS_WIDE * spread_width_mm
