"""What a page shows of itself and of the side behind it, small enough to be kept and compared with many others."""

import io
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import paper_cells
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.order.missing_paper import missing_paper
from papiermappe.core.picture import Pixels, checked, shrunk, to_grey
from papiermappe.errors import PictureRefused

INK_DPI = 75.0
COARSER = 3
SHADE_DPI = INK_DPI / COARSER
GRAIN_LEVELS = 10  # what is darker than paper by less is grain, or the other side
PRINT_LEVELS = 30  # what is darker by more is the page's own
BESIDE_PRINT_MM = 1.0
TINTED_MM, TINTED_LEVELS = 1.5, 12.0  # fields of a tint are the page's own, however pale
FIELD_LEVELS, AROUND_CELLS = 3.5, 12.0
SMOOTH_CELLS = 3.0
LEAST_DEVIATION = 0.7  # levels: a scan without grain is not to be looked at more closely than it is stored
RIM_MM = 6.0
CLIPPED_AT = 4.0  # standard deviations: specks must not count for more than faint print
HIGH_PASS_MM = 4.0
SOFT_MM = 0.7  # how far paper spreads what shines through it
SEEN_SHARE = 0.25  # of the paper under a pixel of the shade must be free of print
LEAST_PX = 200
STEPS_A_DEVIATION = 25.0
STEPS_A_LEVEL = 0.5


NOTHING_MISSING = np.zeros((0, 2), np.float32)


class Imprint(NamedTuple):
    """A page, straightened and cut to its sheet but not turned, as it is compared with others."""

    printed: NDArray[np.int8]
    """Its own print as it would shine through paper, (h, w), at 25 dpi, in 1/2 grey level darker than around it."""
    shade: NDArray[np.int8]
    """What may shine through from the other side, (h, w), at 25 dpi: darker is positive, in 1/25 of its standard
    deviation; 0 where the page's own print hides it, all 0 where nothing can be seen."""
    ink_png: bytes
    """Its print at 75 dpi, to be looked at closely."""
    tint: tuple[float, float, float]
    """RGB of the paper."""
    missing_mm: NDArray[np.float32] = NOTHING_MISSING
    """Where the sheet has holes, and which of its corners are missing, (places, 2): x, y from the top left."""

    @property
    def ink(self) -> Pixels:
        """How much darker than the paper the page is, (h, w), at 75 dpi, in grey levels; 0 where there is no print."""
        return np.asarray(cv2.imdecode(np.frombuffer(self.ink_png, np.uint8), cv2.IMREAD_GRAYSCALE), np.uint8)

    def to_bytes(self) -> bytes:
        """Return it as a file, to be kept."""
        out = io.BytesIO()
        ink = np.frombuffer(self.ink_png, np.uint8)
        tint = np.array(self.tint, np.float32)
        np.savez(out, printed=self.printed, shade=self.shade, ink=ink, tint=tint, missing=self.missing_mm)
        return out.getvalue()

    @classmethod
    def from_bytes(cls, data: bytes) -> "Imprint":
        """Return what was kept. Raises PictureRefused: it is none, or a part of one."""
        try:
            with np.load(io.BytesIO(data), allow_pickle=False) as kept:
                red, green, blue = (float(level) for level in kept["tint"])
                printed, shade = (np.asarray(kept[name], np.int8) for name in ("printed", "shade"))
                missing_mm = np.asarray(kept["missing"], np.float32).reshape(-1, 2)
                return cls(printed, shade, kept["ink"].tobytes(), (red, green, blue), missing_mm)
        except Exception as exc:  # what numpy and zipfile say of broken data depends on how they are broken
            raise PictureRefused("picture_damaged") from exc


def imprint_of(page: Pixels, dpi: float) -> Imprint:
    """Return the imprint of a page.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8, straightened and cut to its sheet; bilevel pages show no shade.
        dpi: its resolution, 75 or more.

    Raises:
        PictureRefused: not such a picture.

    >>> imprint_of(np.full((300, 200), 250, np.uint8), 100.0).shade.shape
    (75, 50)
    """
    small = _at_ink_dpi(checked(page, dpi), dpi)
    cells = paper_cells(small, INK_DPI)
    # in floats: steps of whole levels would be lines beside what shines through
    paper = np.asarray(cv2.GaussianBlur(cells.grey.colour.astype(np.float32), (0, 0), SMOOTH_CELLS), np.float32)
    darker = np.asarray(
        cv2.resize(paper, small.shape[1::-1], interpolation=cv2.INTER_LINEAR) - to_grey(small), np.float32
    )
    ink = np.where(darker > GRAIN_LEVELS, darker, 0).clip(0, 255)
    levels = ink.astype(np.uint8)
    _, png = cv2.imencode(".png", levels, [cv2.IMWRITE_PNG_COMPRESSION, 1])
    tint = np.median(cells.colour.reshape(-1, 1 if cells.colour.ndim == 2 else 3), axis=0) * np.ones(3)
    shade = _shade(darker, _fields(paper))
    red, green, blue = (float(level) for level in tint)
    return Imprint(_printed(ink), shade, png.tobytes(), (red, green, blue), missing_paper(levels, INK_DPI))


def _fields(paper: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return 1 where a page, in cells of paper, has a wide field of a tint: it was taken for paper; else 0."""
    around = cv2.GaussianBlur(paper, (0, 0), AROUND_CELLS)
    return np.asarray(np.abs(paper - around) > FIELD_LEVELS, np.float32)


def _printed(ink: NDArray[np.float32]) -> NDArray[np.int8]:
    soft = cv2.GaussianBlur(_coarser(ink), (0, 0), mm_to_px(SOFT_MM, SHADE_DPI))
    away = soft - cv2.GaussianBlur(soft, (0, 0), mm_to_px(HIGH_PASS_MM, SHADE_DPI))
    return np.asarray((away * STEPS_A_LEVEL).clip(-127, 127).round(), np.int8)


def _at_ink_dpi(page: Pixels, dpi: float) -> Pixels:
    height, width = (max(2, round(side * INK_DPI / dpi)) for side in page.shape[:2])
    near = shrunk(page, int(dpi // INK_DPI))
    return np.asarray(cv2.resize(near, (width, height), interpolation=cv2.INTER_AREA), np.uint8)


def _shade(darker: NDArray[np.float32], fields: NDArray[np.float32]) -> NDArray[np.int8]:
    """Return what is left where the page has no print of its own, its grain and slow changes taken out."""
    reach = 2 * round(mm_to_px(BESIDE_PRINT_MM, INK_DPI)) + 1
    own = (np.abs(darker) > PRINT_LEVELS).astype(np.uint8)
    free = 1 - cv2.dilate(own, np.ones((reach, reach), np.uint8)).astype(np.float32)
    share = _coarser(free)
    levels = _coarser(darker * free) / np.maximum(share, 1e-3)
    tinted = np.abs(cv2.GaussianBlur(_coarser(darker), (0, 0), mm_to_px(TINTED_MM, SHADE_DPI))) > TINTED_LEVELS
    tinted |= cv2.resize(fields, share.shape[1::-1], interpolation=cv2.INTER_LINEAR) > 0
    seen = (share > SEEN_SHARE) & ~tinted
    rim = round(mm_to_px(RIM_MM, SHADE_DPI))
    seen[:rim] = seen[-rim:] = False
    seen[:, :rim] = seen[:, -rim:] = False
    if seen.sum() < LEAST_PX:
        return np.zeros(seen.shape, np.int8)
    away = levels - np.median(levels[seen])
    deviation = 1.4826 * float(np.median(np.abs(away[seen])))
    if deviation == 0:  # one level only: a bilevel scan, or a drawn page
        return np.zeros(seen.shape, np.int8)
    clipped = (away / max(deviation, LEAST_DEVIATION)).clip(-CLIPPED_AT, CLIPPED_AT).astype(np.float32)
    shade = _without_slow_changes(clipped, seen.astype(np.float32))
    return np.asarray((shade * STEPS_A_DEVIATION).clip(-127, 127).round(), np.int8)


def _without_slow_changes(levels: NDArray[np.float32], weights: NDArray[np.float32]) -> NDArray[np.float32]:
    sigma_px = mm_to_px(HIGH_PASS_MM, SHADE_DPI)
    around = cv2.GaussianBlur(levels * weights, (0, 0), sigma_px) / np.maximum(
        cv2.GaussianBlur(weights, (0, 0), sigma_px), 1e-2
    )
    return np.asarray((levels - around) * weights, np.float32)


def _coarser(levels: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return means of squares; rows and columns that do not fill one are left out."""
    height, width = (max(1, length // COARSER) for length in levels.shape)
    whole = levels[: height * COARSER, : width * COARSER]
    return np.asarray(cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA), np.float32)
