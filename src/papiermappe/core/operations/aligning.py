"""Operations that move what is printed on pages to the same place: the station Tidy."""

from collections.abc import Mapping, Sequence
from statistics import median
from typing import Annotated, Any, ClassVar, Literal, NamedTuple

from pydantic import Field

from papiermappe.core.clean.margins import TextBlock
from papiermappe.core.operations.model import BaseOperation, Changes, PageState
from papiermappe.core.order.places import Side
from papiermappe.core.treatment import MAX_MARGIN_MM, page_box

MarginMm = Annotated[float, Field(ge=0, le=MAX_MARGIN_MM)]
StepMm = Annotated[float, Field(ge=-MAX_MARGIN_MM, le=MAX_MARGIN_MM)]

SAME_HEIGHT_MM = 9.0
"""A page whose print begins farther than this from where most do begins lower on purpose."""


class _Lies(NamedTuple):
    """A page and its print, as the page lies before its print is moved."""

    page: PageState
    block: TextBlock
    width_mm: float
    height_mm: float


class AlignMargins(BaseOperation):
    """Move what is printed on pages so that it begins at the same place on all; pages without print stay.

    A page whose print begins much lower than on most, as on the first page of a chapter, is moved so that its last line
    stands where most pages have theirs. If that is elsewhere too, as on a cover, the page stays as it is.
    """

    kind: Literal["align_margins"] = "align_margins"
    by_captures: ClassVar[bool] = True
    across: Literal["left", "inner", "centred"] = "left"
    """Which margin is the same: the left one; the one at the fold, left on fronts and right on backs; or both."""
    across_mm: MarginMm | None = None
    """That margin; None: what most of the pages have. Of no use where the print is centred."""
    top_mm: MarginMm | None = None
    """None: what most of the pages have."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return how far the pages are moved, of those that change."""
        lying = [lies for page in self.named(pages) if (lies := _lies(page)) is not None]
        if not lying:
            return {}
        down_mm = _moves_down(lying, self.top_mm)
        lefts_mm = self._lefts_mm(lying)
        changes: dict[int, dict[str, Any]] = {}
        for one, left_mm in zip(lying, lefts_mm, strict=True):
            if one.page.id not in down_mm:
                continue
            wanted = (_within(left_mm - one.block.left_mm), _within(down_mm[one.page.id]))
            if wanted != one.page.treatment.margins:
                changes[one.page.id] = {"margins": list(wanted)}
        return changes

    def _lefts_mm(self, lying: Sequence[_Lies]) -> list[float]:
        """Return where the print of each page begins then, from the left."""
        wide_mm = median(one.block.right_mm - one.block.left_mm for one in lying)
        if self.across == "centred":
            return [(one.width_mm - (one.block.right_mm - one.block.left_mm)) / 2 for one in lying]
        if self.across == "left":
            same_mm = median(one.block.left_mm for one in lying) if self.across_mm is None else self.across_mm
            return [same_mm] * len(lying)
        at_fold = [
            one.width_mm - wide_mm - one.block.left_mm if one.page.side is Side.BACK else one.block.left_mm
            for one in lying
        ]
        inner_mm = median(at_fold) if self.across_mm is None else self.across_mm
        return [one.width_mm - wide_mm - inner_mm if one.page.side is Side.BACK else inner_mm for one in lying]


class MoveText(BaseOperation):
    """Move what is printed on pages, in mm, right and down positive, as the page is seen."""

    kind: Literal["move_text"] = "move_text"
    x_mm: StepMm = 0.0
    y_mm: StepMm = 0.0

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return how far the pages that change are moved then."""
        changes: dict[int, dict[str, Any]] = {}
        for page in self.named(pages):
            x_mm, y_mm = page.treatment.margins
            wanted = (_within(x_mm + self.x_mm), _within(y_mm + self.y_mm))
            if wanted != page.treatment.margins:
                changes[page.id] = {"margins": list(wanted)}
        return changes


def _lies(page: PageState) -> _Lies | None:
    if page.printed_area is None:
        return None
    turns = page.treatment.quarter_turns
    box = page_box(*page.scan_mm, page.treatment.model_copy(update={"margins": (0.0, 0.0)}))
    corners = box.on_page(page.printed_area, turns)
    block = TextBlock(*map(float, (*corners.min(axis=0), *corners.max(axis=0))))
    return _Lies(page, block, *box.size_mm(turns))


def _moves_down(lying: Sequence[_Lies], top_mm: float | None) -> Mapping[int, float]:
    """Return by the page how far it is moved down, of those whose print begins or ends where it does on most."""
    usual_top_mm = median(one.block.top_mm for one in lying)
    usual_foot_mm = median(one.height_mm - one.block.bottom_mm for one in lying)
    beyond_mm = 0.0 if top_mm is None else top_mm - usual_top_mm
    moves = {}
    for one in lying:
        off_mm, foot_off_mm = usual_top_mm - one.block.top_mm, one.height_mm - one.block.bottom_mm - usual_foot_mm
        near = next((off for off in (off_mm, foot_off_mm) if abs(off) <= SAME_HEIGHT_MM), None)
        if near is not None:
            moves[one.page.id] = near + beyond_mm
    return moves


def _within(move_mm: float) -> float:
    return round(min(max(move_mm, -MAX_MARGIN_MM), MAX_MARGIN_MM), 2)
