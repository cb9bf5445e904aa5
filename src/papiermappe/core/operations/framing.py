"""Operations that set by hand how pages are straightened and cropped: the station Tidy."""

from collections.abc import Sequence
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from papiermappe.core.operations.model import BaseOperation, Changes, PageState
from papiermappe.core.page_box import PageBox
from papiermappe.core.treatment import MAX_PAGE_MM, MAX_SKEW_DEG, Cropping, Origin, Straightening, page_box
from papiermappe.message import Message

LEAST_PAGE_MM = 5.0

SideMm = Annotated[float, Field(ge=-MAX_PAGE_MM, le=MAX_PAGE_MM)]
LengthMm = Annotated[float, Field(ge=LEAST_PAGE_MM, le=MAX_PAGE_MM)]


class SetSkew(BaseOperation):
    """Straighten pages by an angle set by hand. The crop turns with it: the page keeps its size and its middle.

    >>> SetSkew(pages=(1,), skew_deg=1.5).kind
    'set_skew'
    """

    kind: Literal["set_skew"] = "set_skew"
    by_captures: ClassVar[bool] = True
    skew_deg: Annotated[float, Field(ge=-MAX_SKEW_DEG, le=MAX_SKEW_DEG)]
    """By which the content is turned counter-clockwise against upright."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the angles, and the corners of the crops that turn with them."""
        step = Straightening(skew_deg=self.skew_deg, origin=Origin.BY_HAND)
        changes: dict[int, dict[str, Any]] = {}
        for page in self.named(pages):
            if page.treatment.straighten == step:
                continue
            changes[page.id] = {"straighten": step.model_dump(mode="json")}
            crop = page.treatment.crop
            if crop is not None and crop.on:
                turned = _box(page)._replace(skew_deg=self.skew_deg)
                changes[page.id]["crop"] = crop.model_copy(update={"corners": turned.corners}).model_dump(mode="json")
        return changes

    def message(self, count: int) -> Message:
        """Return a message that tells the angle by which pages are turned to be straight."""
        return Message(code="set_skew", params={"count": count, "degrees": -self.skew_deg})


class MoveSides(BaseOperation):
    """Move the sides of the crop, in mm, outwards positive, as the page is seen; what was not cropped is from now on.

    Pages of which less than 5 mm would be left stay as they are.
    """

    kind: Literal["move_sides"] = "move_sides"
    by_captures: ClassVar[bool] = True
    left_mm: SideMm = 0.0
    top_mm: SideMm = 0.0
    right_mm: SideMm = 0.0
    bottom_mm: SideMm = 0.0

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the crops that change."""
        if not any(self._seen):
            return {}
        return {page.id: _cropped(self._moved(page)) for page in self.named(pages) if self.leaves_page(page)}

    def leaves_page(self, page: PageState) -> bool:
        """Whether at least 5 mm of a page would be left."""
        box = self._moved(page)
        return min(box.width_mm, box.height_mm) >= LEAST_PAGE_MM

    @property
    def _seen(self) -> tuple[float, float, float, float]:
        return self.left_mm, self.top_mm, self.right_mm, self.bottom_mm

    def _moved(self, page: PageState) -> PageBox:
        return _with_sides_moved(_box(page), self._seen, page.treatment.quarter_turns)


class SetPageSize(BaseOperation):
    """Crop pages to a size, as they are seen, about the middle of what they are cropped to now."""

    kind: Literal["set_page_size"] = "set_page_size"
    by_captures: ClassVar[bool] = True
    width_mm: LengthMm
    height_mm: LengthMm

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the crops that change."""
        changes = {}
        for page in self.named(pages):
            lies = page.treatment.quarter_turns % 2 == 1
            width_mm, height_mm = (self.height_mm, self.width_mm) if lies else (self.width_mm, self.height_mm)
            box = _box(page)
            if (box.width_mm, box.height_mm) != (width_mm, height_mm):
                changes[page.id] = _cropped(box._replace(width_mm=width_mm, height_mm=height_mm))
        return changes

    def message(self, count: int) -> Message:
        """Return a message that tells the size."""
        return Message(
            code="set_page_size", params={"count": count, "width_mm": self.width_mm, "height_mm": self.height_mm}
        )


def _box(page: PageState) -> PageBox:
    """Return where a page lies on its capture, before its content is moved to its margins."""
    return page_box(*page.scan_mm, page.treatment.model_copy(update={"margins": (0.0, 0.0)}))


def _with_sides_moved(box: PageBox, seen: tuple[float, float, float, float], quarter_turns: int) -> PageBox:
    """Return a box with its sides moved outwards: left, top, right and bottom of the page after its quarter turns."""
    left, top, right, bottom = (seen[(side - quarter_turns) % 4] for side in range(4))
    return box.moved((right - left) / 2, (bottom - top) / 2)._replace(
        width_mm=min(box.width_mm + left + right, MAX_PAGE_MM), height_mm=min(box.height_mm + top + bottom, MAX_PAGE_MM)
    )


def _cropped(box: PageBox) -> dict[str, Any]:
    return {"crop": Cropping(corners=box.corners, origin=Origin.BY_HAND).model_dump(mode="json")}
