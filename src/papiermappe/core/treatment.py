"""What is done to a capture to make its page, and doing it.

`render` is the only way a page picture comes about. Its stages follow one order: corners (of a photo), straighten,
crop, margins, turn, zones and the other page of a spread, tone, marks. All that move pixels are composed into one
resampling; whole-pixel crops and quarter turns do not resample at all.
"""

import hashlib
import math
from enum import StrEnum
from typing import Annotated, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.clean.clearing import Areas, clear
from papiermappe.core.clean.specks import despeckle
from papiermappe.core.clean.tone import adjusted, binarise
from papiermappe.core.clean.whitening import whiten, without_show_through
from papiermappe.core.curl import Curl
from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.geometry import Quad, mm_to_px, px_to_mm, quad_px, rotation_deg, turned_by
from papiermappe.core.halves import GutterLine, beyond, half_of
from papiermappe.core.marks import Mark, draw_marks
from papiermappe.core.page_box import PageBox
from papiermappe.core.paper import nearest_size
from papiermappe.core.photo.rectified import FlatSheet, rectified_size_px
from papiermappe.core.picture import CapturedPicture, Pixels, Reduction, to_grey, turned
from papiermappe.core.resample import resampled
from papiermappe.core.zones import SheetZone, ZoneKind

PAPER_WHITE = 255
SURE = 0.5
MAX_PAGE_MM = 2000.0
MAX_SKEW_DEG = 45.0
MAX_MARGIN_MM = 200.0
MAX_ZONES = 500
REDUCTIONS: tuple[Reduction, ...] = (8, 4, 2)
DECODED_DPI = 150  # pictures that are looked at are decoded at this resolution or a little more


FOUND_ON_SHEET = frozenset({"curl", "straighten", "crop"})
"""The fields that are found on a sheet once it is made flat, and begin anew with other corners."""

MarginMm = Annotated[float, Field(ge=-MAX_MARGIN_MM, le=MAX_MARGIN_MM)]


Adjustment = Annotated[int, Field(ge=-100, le=100)]


class Origin(StrEnum):
    """Where a value comes from."""

    FOUND = "found"
    BY_HAND = "by_hand"


class _Value(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Straightening(_Value):
    """Take out the skew of the content."""

    skew_deg: Annotated[float, Field(ge=-MAX_SKEW_DEG, le=MAX_SKEW_DEG)]
    confidence: Annotated[float, Field(ge=0, le=1)] = 1.0
    origin: Origin = Origin.FOUND
    on: bool = True


class Cropping(_Value):
    """Cut to the sheet."""

    corners: Quad
    confidence: Annotated[float, Field(ge=0, le=1)] = 1.0
    origin: Origin = Origin.FOUND
    on: bool = True


class Part(_Value):
    """One page of a spread: what lies on one side of its gutter."""

    gutter: GutterLine
    right: bool
    """The right page, not the left."""


class Tone(StrEnum):
    """How ink and paper are shown."""

    AS_SCANNED = "as_scanned"
    WHITE = "white"
    GREY = "grey"
    BILEVEL = "bilevel"

    @property
    def without_colour(self) -> bool:
        """Whether a page shown this way needs no colour."""
        return self in {Tone.GREY, Tone.BILEVEL}


class Treatment(_Value):
    """What is done to a capture to make its page. A step that is None has not been determined yet."""

    version: Literal[1] = 1
    gutter: GutterLine | None = None
    """Of a spread, as somebody has drawn it; where the page is to be split. It changes nothing of the page itself."""
    part: Part | None = None
    corners: Quad | None = None
    """Of a sheet seen by a camera, on the capture: it is made flat."""
    curl: Curl | None = None
    """How that sheet is bent, where it does not lie flat: it is made straight. All below is on the straight sheet."""
    straighten: Straightening | None = None
    crop: Cropping | None = None
    margins: tuple[MarginMm, MarginMm] = (0.0, 0.0)
    """How far the content is moved, `(x_mm, y_mm)`, right and down positive, on the page as it is seen."""
    quarter_turns: Annotated[int, Field(ge=0, le=3)] = 0
    """Counter-clockwise."""
    turn_origin: Origin = Origin.FOUND
    zones: Annotated[tuple[SheetZone, ...], Field(max_length=MAX_ZONES)] = ()
    """What is cleared, and what is marked."""
    tone: Tone = Tone.AS_SCANNED
    without_show_through: bool = False
    """Whether what shines through from the back is taken out."""
    without_specks: bool = False
    brightness: Adjustment = 0
    contrast: Adjustment = 0
    ink_more: Adjustment = 0
    """In black and white: how much farther than by itself what is lighter counts as ink, too."""
    kept_as: MadeOf | None = None
    """What it is made of in a file, where somebody has said so; its picture elsewhere is the same."""

    @property
    def skew_deg(self) -> float:
        """The skew that is taken out, 0 where straightening is off."""
        return self.straighten.skew_deg if self.straighten and self.straighten.on else 0.0

    @property
    def unsure_steps(self) -> tuple[str, ...]:
        """What was found but is left undone since it is not sure, `crop` and `straighten`."""
        steps = {"crop": self.crop, "straighten": self.straighten}
        return tuple(
            name for name, step in steps.items() if step is not None and not step.on and step.confidence < SURE
        )

    @property
    def waits_to_be_examined(self) -> bool:
        """Whether the corners of a sheet have been placed, and nothing has been found yet on the sheet made flat."""
        return self.corners is not None and self.straighten is None

    @property
    def straightened_curl(self) -> Curl | None:
        """The curl that is taken out of a sheet on a photo, None where that is off."""
        return self.curl if self.curl is not None and self.curl.on and self.corners is not None else None

    @property
    def shape_only(self) -> "Treatment":
        """What gives the page its place and shape, without what changes how it looks: to compare the two."""
        shape = {"part", "corners", "curl", "straighten", "crop", "margins", "quarter_turns", "turn_origin"}
        return Treatment.model_validate(self.model_dump(include=shape))

    @property
    def sheet(self) -> Quad | None:
        """The corners that are cropped to, None where cropping is off."""
        return self.crop.corners if self.crop and self.crop.on else None

    @property
    def has_own_size(self) -> bool:
        """Whether the page has a size that was set by hand."""
        return self.crop is not None and self.crop.on and self.crop.origin is Origin.BY_HAND

    @property
    def has_drawn_marks(self) -> bool:
        """Whether something is drawn on the page, which needs colour."""
        return any(zone.kind.is_drawn for zone in self.zones)

    @property
    def _geometry(self) -> tuple[object, ...]:
        curl = self.straightened_curl
        more = (
            *(("own size",) if self.has_own_size else ()),
            *((curl.first, curl.last, curl.sideways) if curl else ()),
        )
        return self.part, self.corners, self.skew_deg, self.sheet, self.margins, self.quarter_turns, *more

    @property
    def _adjustments(self) -> str:
        names = ("without_show_through", "without_specks", "brightness", "contrast", "ink_more")
        return "".join(f" {name} {value}" for name in names if (value := getattr(self, name)))

    def picture_key(self, capture_sha256: str) -> str:
        """Return the name of the picture that `render` makes of a capture: equal exactly where the pixels are."""
        zones = [(zone.kind.value, zone.corners, *filter(None, [zone.text])) for zone in self.zones]
        what = f"{capture_sha256} v8 {self._geometry!r} {zones!r} {self.tone!r}{self._adjustments}"
        return hashlib.sha256(what.encode()).hexdigest()[:32]


class CaptureSize(NamedTuple):
    """How large a capture is."""

    width_px: int
    height_px: int
    dpi: float

    @property
    def mm(self) -> tuple[float, float]:
        """Its width and height in mm.

        >>> CaptureSize(300, 600, 300.0).mm
        (25.4, 50.8)
        """
        return px_to_mm(self.width_px, self.dpi), px_to_mm(self.height_px, self.dpi)


def page_box(width_mm: float, height_mm: float, treatment: Treatment) -> PageBox:
    """Return where the page lies on a capture of the given size, before quarter turns.

    The box holds every corner that is cropped to; one that is a paper size within 1.5 mm gets that size exactly, unless
    it was set by hand.
    """
    corners = treatment.sheet or _uncropped(width_mm, height_mm, treatment.part)
    across, down = zip(*(turned_by(corner, -treatment.skew_deg) for corner in corners), strict=True)
    shift_x, shift_y = turned_by(treatment.margins, -90.0 * treatment.quarter_turns)
    middle = (min(across) + max(across)) / 2 - shift_x, (min(down) + max(down)) / 2 - shift_y
    box_width_mm, box_height_mm = (min(max(max(side) - min(side), 1.0), MAX_PAGE_MM) for side in (across, down))
    has_found_size = (treatment.sheet or treatment.corners) and not treatment.has_own_size
    paper = nearest_size(box_width_mm, box_height_mm) if has_found_size else None
    if paper is not None:
        box_width_mm, box_height_mm = paper.width_mm, paper.height_mm
    return PageBox(*turned_by(middle, treatment.skew_deg), box_width_mm, box_height_mm, treatment.skew_deg)


def _uncropped(width_mm: float, height_mm: float, part: Part | None) -> Quad:
    """Return the corners of a whole capture, or of what lies of it on one side of a gutter."""
    whole = ((0.0, 0.0), (width_mm, 0.0), (width_mm, height_mm), (0.0, height_mm))
    return (half_of(whole, part.gutter, part.right) if part else None) or whole


def page_size_mm(width_px: int, height_px: int, dpi: float, treatment: Treatment) -> tuple[float, float]:
    """Return width and height in mm of the page that a capture of `width_px` x `height_px` becomes."""
    box = page_box(*flat_size_mm(width_px, height_px, dpi, treatment), treatment)
    return box.size_mm(treatment.quarter_turns)


def cleared_areas(treatment: Treatment, box: PageBox) -> Areas:
    """Return what is cleared of a page that lies in a box, as places of the page as it is seen."""
    turns = treatment.quarter_turns
    other = [box.on_page(outline, turns) for outline in _not_of_page(treatment)]

    def placed(*kinds: ZoneKind) -> list[NDArray[np.float64]]:
        return [box.on_page(zone.corners, turns) for zone in treatment.zones if zone.kind in kinds]

    return Areas(wiped=[*placed(ZoneKind.WIPE, ZoneKind.BLACKOUT), *other], kept=placed(ZoneKind.KEEP))


def _not_of_page(treatment: Treatment) -> list[NDArray[np.float64]]:
    """Return what may come into sight and is not of the page, as outlines on the capture.

    That is the other page of a spread; the table beside a sheet on a photo; and what lies beside any sheet, once the
    print is moved to its margins.
    """
    part, sheet = treatment.part, treatment.sheet
    outlines = beyond(part.gutter, part.right) if part else []
    if sheet is not None and (treatment.corners is not None or treatment.margins != (0.0, 0.0)):
        sides = zip(sheet, (*sheet[1:], sheet[0]), strict=True)
        outlines += [outline for side in sides for outline in beyond(side, right=False)]
    return outlines


def marks_on(treatment: Treatment, box: PageBox) -> list[Mark]:
    """Return what is drawn and blacked out on a page that lies in a box."""
    return [
        Mark(zone.kind, box.on_page(zone.corners, treatment.quarter_turns), zone.text)
        for zone in treatment.zones
        if zone.kind.is_drawn or zone.kind is ZoneKind.BLACKOUT
    ]


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
    box = page_box(*flat_size_mm(head.width_px, head.height_px, capture.dpi, treatment), treatment)
    scale = _scale_for(box, treatment.quarter_turns, capture.dpi, width_px)
    reduction = _reduction_for(scale)
    dpi = capture.dpi / reduction
    pixels = capture.pixels(reduction, grey=treatment.tone.without_colour)
    size_px = tuple(max(1, round(mm_to_px(side_mm, capture.dpi) * scale)) for side_mm in (box.height_mm, box.width_mm))
    flat = flat_sheet(pixels.shape, dpi, treatment)
    page = _cut(pixels, box, (size_px[0], size_px[1]), dpi, scale * reduction, flat)
    del pixels  # a full page takes 27 MB: from here on each step writes over the one that was cut out
    page = turned(page, treatment.quarter_turns)
    page = clear(page, cleared_areas(treatment, box), capture.dpi * scale, out=page)
    page = _toned(page, capture.dpi * scale, treatment)
    return draw_marks(page, marks_on(treatment, box), capture.dpi * scale, out=page)


def flat_size_mm(width_px: int, height_px: int, dpi: float, treatment: Treatment) -> tuple[float, float]:
    """Return width and height of the capture; of the sheet on it, where it is a photo that is made flat."""
    if treatment.corners is not None:
        height_px, width_px = rectified_size_px(quad_px(treatment.corners, dpi), width_px, height_px)
    return px_to_mm(width_px, dpi), px_to_mm(height_px, dpi)


def flat_sheet(shape: tuple[int, ...], dpi: float, treatment: Treatment) -> FlatSheet | None:
    """Return the sheet on a photo of a shape, (h, w) or (h, w, 3), as it is made flat; None where it is not."""
    if treatment.corners is None:
        return None
    return FlatSheet(shape, quad_px(treatment.corners, dpi), treatment.straightened_curl, dpi)


def _scale_for(box: PageBox, quarter_turns: int, dpi: float, width_px: int | None) -> float:
    full_width_px = max(1.0, mm_to_px(box.size_mm(quarter_turns)[0], dpi))
    return 1.0 if width_px is None else min(1.0, width_px / full_width_px)


def _reduction_for(scale: float) -> Reduction:
    """Return the strongest reduction that leaves at least as many pixels as are wanted."""
    return next((reduction for reduction in REDUCTIONS if scale * reduction <= 1.0), 1)


def decoded_reduction(dpi: float) -> Reduction:
    """Return by how much a picture is reduced when it is decoded to be looked at: to 150 dpi at least."""
    return next((by for by in REDUCTIONS if dpi / by >= DECODED_DPI), 1)


def _cut(
    pixels: Pixels, box: PageBox, size_px: tuple[int, int], dpi: float, scale: float, flat: FlatSheet | None
) -> Pixels:
    """Cut a box out of decoded pixels.

    Args:
        pixels: at `dpi`.
        box: in mm.
        size_px: height and width of the result.
        dpi: of `pixels`.
        scale: from `pixels` to the result, at most 1.
        flat: the sheet that is made flat first, where there is one.
    """
    height_px, width_px = size_px
    left_px = mm_to_px(box.centre_x_mm, dpi) - width_px / scale / 2
    top_px = mm_to_px(box.centre_y_mm, dpi) - height_px / scale / 2
    if box.skew_deg == 0 and math.isclose(scale, 1.0) and flat is None:
        return _sliced(pixels, round(top_px), round(left_px), height_px, width_px)
    matrix = np.empty((2, 3))
    matrix[:, :2] = rotation_deg(box.skew_deg) / scale
    centre = np.array([mm_to_px(box.centre_x_mm, dpi) - 0.5, mm_to_px(box.centre_y_mm, dpi) - 0.5])
    matrix[:, 2] = centre - matrix[:, :2] @ np.array([(width_px - 1) / 2, (height_px - 1) / 2])
    if flat is None:
        return resampled(pixels, matrix, size_px, scale, PAPER_WHITE)
    return flat.cut(pixels, np.vstack([matrix, [0.0, 0.0, 1.0]]), size_px)


def _sliced(pixels: Pixels, top: int, left: int, height: int, width: int) -> Pixels:
    """Return rows `top`..., columns `left`..., paper white where that lies outside."""
    page = np.full((height, width, *pixels.shape[2:]), PAPER_WHITE, np.uint8)
    rows = slice(max(top, 0), min(top + height, pixels.shape[0]))
    cols = slice(max(left, 0), min(left + width, pixels.shape[1]))
    if rows.start < rows.stop and cols.start < cols.stop:
        page[rows.start - top : rows.stop - top, cols.start - left : cols.stop - left] = pixels[rows, cols]
    return page


def _toned(page: Pixels, dpi: float, treatment: Treatment) -> Pixels:
    """Return a page with its tone; it is written over."""
    tone = treatment.tone
    shown = whiten(page, dpi, out=page) if tone is Tone.WHITE else to_grey(page) if tone.without_colour else page
    if treatment.without_show_through and tone is not Tone.WHITE:  # white paper is without it anyway
        shown = without_show_through(shown, dpi, out=shown)
    shown = adjusted(shown, treatment.brightness, treatment.contrast, out=shown)
    if tone is Tone.BILEVEL:
        ink = binarise(shown, dpi, treatment.ink_more)
        return np.where(despeckle(ink, dpi) if treatment.without_specks else ink, np.uint8(0), np.uint8(255))
    if not treatment.without_specks:
        return shown
    white = adjusted(np.full((1, 1), PAPER_WHITE, np.uint8), treatment.brightness, treatment.contrast)
    paper_level = int(white[0, 0]) if tone is Tone.WHITE else None
    return np.asarray(despeckle(shown, dpi, out=shown, paper_level=paper_level), np.uint8)
