"""The sheet on a capture, as it is looked at: the scan it lies on, or a photo's sheet made flat."""

from dataclasses import dataclass

from papiermappe.core.clean.sheet import find_sheet
from papiermappe.core.clean.sheet_frame import SheetFrame, whole_frame
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.clean.view import View
from papiermappe.core.curl import Curl
from papiermappe.core.geometry import Quad, px_to_mm, quad_px
from papiermappe.core.halves import half_of
from papiermappe.core.photo import FlatSheet, bows_of_sides, find_corners, find_curl, place_corners, rectify
from papiermappe.core.photo_sheet import KnownSheet, PhotoSheet
from papiermappe.core.picture import CapturedPicture, Pixels, to_grey
from papiermappe.core.treatment import DECODED_DPI, SURE, Part, decoded_reduction

FLAT_RIM_MM = 0.5  # of a sheet on a photo, where its edge is seen together with the table


@dataclass(frozen=True)
class SheetInView:
    """What is looked at of a capture, and where the sheet lies in it."""

    pixels: Pixels
    """Grey (h, w) or RGB (h, w, 3)."""
    dpi: float
    frame: SheetFrame
    """The sheet's, in mm on `pixels`."""
    found_on_photo: PhotoSheet | None = None
    """Where the sheet lies on a photo, as it was found; None: on a scan."""
    on_photo: PhotoSheet | None = None
    """Where it is taken to lie: as it was found, or as it was known before."""
    curl: Curl | None = None
    """How it was bent before it was made straight."""

    @property
    def is_made_flat(self) -> bool:
        """Whether it is the sheet of a photo, as if seen from straight above."""
        return self.on_photo is not None and self.on_photo.is_sure

    @property
    def waits_for_corners(self) -> bool:
        """Whether it is a photo as it came, on which a person places the corners first."""
        return self.on_photo is not None and not self.on_photo.is_sure

    @property
    def corners(self) -> Quad | None:
        """Those by which it was made flat, on the capture."""
        return self.on_photo.corners if self.on_photo is not None and self.is_made_flat else None


def sheet_in_view(
    capture: CapturedPicture,
    upright: TurnEstimate | None,
    part: Part | None,
    known: KnownSheet | None,
    *,
    bends: bool,
) -> SheetInView:
    """Find the sheet on a capture; arguments as those of `analyse`. Raises PictureRefused."""
    reduction = decoded_reduction(capture.dpi)
    pixels, dpi = capture.pixels(reduction), capture.dpi / reduction
    found = (capture.sheet or find_corners(pixels).on_capture(dpi)) if capture.by_camera else None
    used = _placed(pixels, dpi, known, upright) if known else found
    curl = None
    if used is None:
        frame = find_sheet(pixels, dpi)
    elif used.is_sure:
        pixels, dpi, curl = _made_flat(pixels, dpi, used, bends=bends)
        frame = SheetFrame(_within(whole_frame(pixels, dpi).corners, FLAT_RIM_MM), used.confidence)
    else:
        frame = whole_frame(pixels, dpi)._replace(confidence=used.confidence)
    if part is not None:
        frame = _half(frame, part, pixels.shape, dpi)
    return SheetInView(pixels, dpi, frame, found, used, curl)


def _placed(pixels: Pixels, dpi: float, known: KnownSheet, upright: TurnEstimate | None) -> PhotoSheet:
    """Return a sheet that is known as one that was found: how its sides bow, and where its ends are, is seen."""
    corners_px = quad_px(known.corners, dpi)
    if known.by_hand:
        found = place_corners(pixels, corners_px).on_capture(dpi)
        return found.model_copy(update={"corners": known.corners})
    is_sideways = upright is not None and upright.quarter_turns % 2 == 1
    return place_corners(pixels, corners_px, (1, 3) if is_sideways else (0, 2)).on_capture(dpi)


def _made_flat(photo: Pixels, dpi: float, sheet: PhotoSheet, *, bends: bool) -> tuple[Pixels, float, Curl | None]:
    """Return the sheet on a photo as it is judged, its resolution, and how it was bent before it was made straight."""
    scale = min(1.0, DECODED_DPI / dpi)  # what is judged needs no more
    corners_px = quad_px(sheet.corners, dpi)
    flat = rectify(photo, corners_px, scale)
    if not bends:
        return flat, dpi * scale, None
    bows = bows_of_sides(FlatSheet(photo.shape, corners_px), sheet, dpi)
    curl = find_curl(View(to_grey(flat), dpi * scale).ink, dpi * scale, bows)
    if curl is not None and curl.on:
        flat = rectify(photo, corners_px, scale, curl, dpi)
    return flat, dpi * scale, curl


def _within(rectangle: Quad, by_mm: float) -> Quad:
    """Return an upright rectangle that is smaller by so much on each side."""
    (left, top), _, (right, bottom), _ = rectangle
    left, top, right, bottom = left + by_mm, top + by_mm, right - by_mm, bottom - by_mm
    return (left, top), (right, top), (right, bottom), (left, bottom)


def _half(frame: SheetFrame, part: Part, shape: tuple[int, ...], dpi: float) -> SheetFrame:
    """Return the frame of one page of a spread, given that of all of it."""
    height_mm, width_mm = (px_to_mm(side, dpi) for side in shape[:2])
    whole = ((0.0, 0.0), (width_mm, 0.0), (width_mm, height_mm), (0.0, height_mm))
    half = half_of(frame.corners, part.gutter, part.right) if frame.confidence >= SURE else None
    if half is not None:
        return frame._replace(corners=half)
    return frame._replace(corners=half_of(whole, part.gutter, part.right) or whole, confidence=0.0)
