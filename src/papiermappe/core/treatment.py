"""What is done to a capture to make its page, and doing it.

`render` is the only way a page picture comes about. Its stages follow one order (turn, straighten, crop) and are
composed into one resampling; whole-pixel crops and quarter turns do not resample at all.
"""

import hashlib
import math
from enum import StrEnum
from typing import Annotated, Literal, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.geometry import Quad, mm_to_px, px_to_mm, rotation_deg
from papiermappe.core.paper import nearest_size
from papiermappe.core.picture import CapturedPicture, Pixels, Reduction

PAPER_WHITE = 255
SURE = 0.5
MOST_PAGE_MM = 2000.0


class Origin(StrEnum):
    """Where a value comes from."""

    FOUND = "found"
    BY_HAND = "by hand"


class _Value(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Straightening(_Value):
    """Take out the skew of the content."""

    skew_deg: Annotated[float, Field(ge=-45, le=45)]
    confidence: Annotated[float, Field(ge=0, le=1)] = 1.0
    origin: Origin = Origin.FOUND
    on: bool = True


class Cropping(_Value):
    """Cut to the sheet."""

    corners: Quad
    confidence: Annotated[float, Field(ge=0, le=1)] = 1.0
    origin: Origin = Origin.FOUND
    on: bool = True


class Treatment(_Value):
    """What is done to a capture to make its page. A step that is None has not been looked at yet."""

    version: Literal[1] = 1
    quarter_turns: Annotated[int, Field(ge=0, le=3)] = 0
    """Counter-clockwise."""
    straighten: Straightening | None = None
    crop: Cropping | None = None

    @property
    def skew_deg(self) -> float:
        """The skew that is taken out, 0 where straightening is off."""
        return self.straighten.skew_deg if self.straighten and self.straighten.on else 0.0

    @property
    def corners(self) -> Quad | None:
        """The corners that are cropped to, None where cropping is off."""
        return self.crop.corners if self.crop and self.crop.on else None

    def picture_key(self, capture_sha256: str) -> str:
        """Return the name of the picture that `render` makes of a capture: equal exactly where the pixels are."""
        what = f"{capture_sha256} v1 {self.quarter_turns} {self.skew_deg!r} {self.corners!r}"
        return hashlib.sha256(what.encode()).hexdigest()[:32]


class PageBox(NamedTuple):
    """The part of a capture that becomes the page: a rectangle, turned counter-clockwise by `skew_deg`."""

    centre_x_mm: float
    centre_y_mm: float
    width_mm: float
    height_mm: float
    skew_deg: float


def page_box(width_mm: float, height_mm: float, treatment: Treatment) -> PageBox:
    """Return where the page lies on a capture of the given size, before quarter turns.

    The box holds every corner that is cropped to; one that is a paper size within 1.5 mm gets that size exactly.
    """
    corners = treatment.corners or ((0.0, 0.0), (width_mm, 0.0), (width_mm, height_mm), (0.0, height_mm))
    upright = np.array(corners) @ rotation_deg(-treatment.skew_deg).T
    low, high = upright.min(axis=0), upright.max(axis=0)
    centre = rotation_deg(treatment.skew_deg) @ ((low + high) / 2)
    box_width_mm, box_height_mm = (float(side) for side in np.clip(high - low, 1.0, MOST_PAGE_MM))
    paper = nearest_size(box_width_mm, box_height_mm) if treatment.corners else None
    if paper is not None:
        box_width_mm, box_height_mm = paper.width_mm, paper.height_mm
    return PageBox(float(centre[0]), float(centre[1]), box_width_mm, box_height_mm, treatment.skew_deg)


def page_size_mm(width_px: int, height_px: int, dpi: float, treatment: Treatment) -> tuple[float, float]:
    """Return width and height in mm of the page that a capture of `width_px` x `height_px` becomes."""
    box = page_box(px_to_mm(width_px, dpi), px_to_mm(height_px, dpi), treatment)
    return (box.height_mm, box.width_mm) if treatment.quarter_turns % 2 else (box.width_mm, box.height_mm)


def render(capture: CapturedPicture, treatment: Treatment, width_px: int | None = None) -> Pixels:
    """Make the page picture of a capture.

    Args:
        capture: the untouched picture.
        treatment: what is done to it.
        width_px: the width wanted; the picture is then decoded reduced. None: full resolution.

    Returns:
        Grey (h, w) or RGB (h, w, 3). At full resolution its size is the page's size in mm times dpi, rounded. The
        treatment that does nothing gives the decoded capture unchanged. The same arguments give the same pixels.

    Raises:
        PictureRefused: the capture cannot be decoded.
    """
    head = capture.head()
    width_mm, height_mm = px_to_mm(head.width_px, capture.dpi), px_to_mm(head.height_px, capture.dpi)
    box = page_box(width_mm, height_mm, treatment)
    scale = _scale_for(box, treatment.quarter_turns, capture.dpi, width_px)
    reduction = _reduction_for(scale)
    pixels = capture.pixels(reduction)
    size_px = tuple(max(1, round(mm_to_px(side_mm, capture.dpi) * scale)) for side_mm in (box.height_mm, box.width_mm))
    page = _cut(pixels, box, (size_px[0], size_px[1]), capture.dpi / reduction, scale * reduction)
    return np.ascontiguousarray(np.rot90(page, treatment.quarter_turns))


def _scale_for(box: PageBox, quarter_turns: int, dpi: float, width_px: int | None) -> float:
    full_width_px = max(1.0, mm_to_px(box.height_mm if quarter_turns % 2 else box.width_mm, dpi))
    return 1.0 if width_px is None else min(1.0, width_px / full_width_px)


def _reduction_for(scale: float) -> Reduction:
    """Return the strongest reduction that leaves at least as many pixels as are wanted."""
    options: tuple[Reduction, ...] = (8, 4, 2)
    return next((reduction for reduction in options if scale * reduction <= 1.0), 1)


def _cut(pixels: Pixels, box: PageBox, size_px: tuple[int, int], dpi: float, scale: float) -> Pixels:
    """Cut a box out of decoded pixels.

    Args:
        pixels: at `dpi`.
        box: in mm.
        size_px: height and width of the result.
        dpi: of `pixels`.
        scale: from `pixels` to the result, at most 1.
    """
    height_px, width_px = size_px
    left_px = mm_to_px(box.centre_x_mm, dpi) - width_px / scale / 2
    top_px = mm_to_px(box.centre_y_mm, dpi) - height_px / scale / 2
    if box.skew_deg == 0 and math.isclose(scale, 1.0):
        return _sliced(pixels, round(top_px), round(left_px), height_px, width_px)
    matrix = np.empty((2, 3))
    matrix[:, :2] = rotation_deg(box.skew_deg) / scale
    centre = np.array([mm_to_px(box.centre_x_mm, dpi) - 0.5, mm_to_px(box.centre_y_mm, dpi) - 0.5])
    matrix[:, 2] = centre - matrix[:, :2] @ np.array([(width_px - 1) / 2, (height_px - 1) / 2])
    return _resampled(pixels, matrix, width_px, height_px, scale)


def _sliced(pixels: Pixels, top: int, left: int, height: int, width: int) -> Pixels:
    """Return rows `top`..., columns `left`..., paper white where that lies outside."""
    page = np.full((height, width, *pixels.shape[2:]), PAPER_WHITE, np.uint8)
    rows = slice(max(top, 0), min(top + height, pixels.shape[0]))
    cols = slice(max(left, 0), min(left + width, pixels.shape[1]))
    if rows.start < rows.stop and cols.start < cols.stop:
        page[rows.start - top : rows.stop - top, cols.start - left : cols.stop - left] = pixels[rows, cols]
    return page


def _resampled(pixels: Pixels, matrix: NDArray[np.float64], width: int, height: int, scale: float) -> Pixels:
    """Resample; `matrix`, (2, 3), carries `(x, y)` of the result to `pixels`."""
    blurred = pixels if scale > 0.75 else cv2.GaussianBlur(pixels, (0, 0), 0.35 / scale)
    return np.asarray(
        cv2.warpAffine(
            blurred,
            matrix,
            (width, height),
            flags=(cv2.INTER_CUBIC if scale > 0.75 else cv2.INTER_LINEAR) | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=(PAPER_WHITE,) * 3,
        ),
        np.uint8,
    )
