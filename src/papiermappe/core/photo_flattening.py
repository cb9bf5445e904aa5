"""The sheet on a photo, made flat to be judged."""

from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.clean.view import View
from papiermappe.core.curl import Curl
from papiermappe.core.geometry import quad_px
from papiermappe.core.photo import FlatSheet, bows_of_sides, find_curl, place_corners, rectify
from papiermappe.core.photo_sheet import KnownSheet, PhotoSheet
from papiermappe.core.picture import Pixels, to_grey
from papiermappe.core.treatment import DECODED_DPI


def placed_sheet(pixels: Pixels, dpi: float, known: KnownSheet, upright: TurnEstimate | None) -> PhotoSheet:
    """Return a sheet that is known as one that was found: how its sides bow, and where its ends are, is seen."""
    corners_px = quad_px(known.corners, dpi)
    if known.by_hand:
        found = place_corners(pixels, corners_px).on_capture(dpi)
        return found.model_copy(update={"corners": known.corners})
    is_sideways = upright is not None and upright.quarter_turns % 2 == 1
    return place_corners(pixels, corners_px, (1, 3) if is_sideways else (0, 2)).on_capture(dpi)


def made_flat(photo: Pixels, dpi: float, sheet: PhotoSheet, *, bends: bool) -> tuple[Pixels, float, Curl | None]:
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
