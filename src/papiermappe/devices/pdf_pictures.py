"""Pages of PDFs that are one picture, as scanners make them: the picture is taken out as it is.

A page counts as one picture where its content paints one image over the whole page, upright, and nothing else: no
rules, no visible text, no clipping, no mask (ISO 32000-2, 8.9.5). Text that is not to be seen (rendering mode 3, 9.3.6)
may lie over it, as text recognition leaves it.
"""

from typing import NamedTuple

import pikepdf

from papiermappe.core.geometry import MM_PER_INCH, POINTS_PER_MM
from papiermappe.core.picture import MAX_DPI, MIN_DPI

COVERED = 0.01
"""An image ends at most this share of the page's side beside its edge."""
SQUARE = 0.02
"""Resolutions across and down differ by at most this share."""
MAX_OPERATORS = 50_000
HIDDEN = 3
SHOWS_TEXT = frozenset({"Tj", "TJ", "'", '"'})
HARMLESS = frozenset({
    "gs", "BT", "ET", "Tf", "Td", "TD", "Tm", "T*", "Tc", "Tw", "Tz", "TL", "Ts", "BMC", "BDC", "EMC", "MP", "DP",
    "g", "G", "rg", "RG", "k", "K", "cs", "CS", "sc", "SC", "scn", "SCN", "w", "J", "j", "M", "d", "ri", "i",
})  # fmt: skip
GREY_OR_RGB = {"/DeviceGray": 1, "/CalGray": 1, "/DeviceRGB": 3, "/CalRGB": 3}

Matrix = tuple[float, float, float, float, float, float]
IDENTITY: Matrix = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)


class PagePicture(NamedTuple):
    """The one picture of a page."""

    dpi: float
    jpeg: bytes | None
    """Its bytes as they stand in the file, if it is a JPEG in grey or RGB."""


def picture_of(page: pikepdf.Page) -> PagePicture | None:
    """Return the picture that a page is; None if it is anything else, or turned."""
    try:
        if int(page.obj.get("/Rotate", 0)) % 360:
            return None
        found = _only_image(page)
        return _as_picture(page, *found) if found else None
    except (pikepdf.PdfError, ValueError, TypeError, KeyError, AttributeError, NotImplementedError):
        return None  # damaged or unusual: it is drawn as a whole


def _only_image(page: pikepdf.Page) -> tuple[pikepdf.Stream, Matrix] | None:
    """Return the only image that is painted, with the matrix that places it; None where anything else is painted."""
    found: tuple[pikepdf.Stream, Matrix] | None = None
    matrix, mode, stack = IDENTITY, 0, []
    for count, instruction in enumerate(pikepdf.parse_content_stream(page)):
        operands, name = instruction.operands, str(instruction.operator)
        if count > MAX_OPERATORS:
            return None
        if name == "q":
            stack.append((matrix, mode))
        elif name == "Q":
            matrix, mode = stack.pop() if stack else (IDENTITY, 0)
        elif name == "cm":
            a, b, c, d, e, f = (float(number) for number in operands)
            matrix = _multiplied((a, b, c, d, e, f), matrix)
        elif name == "Tr":
            mode = int(operands[0])
        elif name == "Do":
            image = page.resources["/XObject"][str(operands[0])]
            if found is not None or not isinstance(image, pikepdf.Stream) or image.get("/Subtype") != "/Image":
                return None
            found = image, matrix
        elif name not in HARMLESS and not (name in SHOWS_TEXT and mode == HIDDEN):
            return None
    return found


def _multiplied(first: Matrix, second: Matrix) -> Matrix:
    """Return the matrix of doing one after the other (ISO 32000-2, 8.3.4)."""
    a, b, c, d, e, f = first
    g, h, i, j, k, m = second
    return a * g + b * i, a * h + b * j, c * g + d * i, c * h + d * j, e * g + f * i + k, e * h + f * j + m


def _as_picture(page: pikepdf.Page, image: pikepdf.Stream, placed: Matrix) -> PagePicture | None:
    if not _covers(page, placed) or any(name in image for name in ("/SMask", "/Mask", "/ImageMask", "/Decode")):
        return None
    across_dpi = int(image.Width) / placed[0] * MM_PER_INCH * POINTS_PER_MM
    down_dpi = int(image.Height) / placed[3] * MM_PER_INCH * POINTS_PER_MM
    if abs(across_dpi - down_dpi) > SQUARE * down_dpi or not MIN_DPI <= across_dpi <= MAX_DPI:
        return None
    return PagePicture(round(across_dpi, 2), image.read_raw_bytes() if _is_jpeg(image) else None)


def _covers(page: pikepdf.Page, placed: Matrix) -> bool:
    left, bottom, right, top = (float(number) for number in page.cropbox)
    width, height = right - left, top - bottom
    a, b, c, d, e, f = placed
    if width <= 0 or height <= 0 or a <= 0 or d <= 0 or abs(b) > COVERED * d or abs(c) > COVERED * a:
        return False
    across = abs(e - left), abs(e + a - right)
    down = abs(f - bottom), abs(f + d - top)
    return max(across) <= COVERED * width and max(down) <= COVERED * height


def _is_jpeg(image: pikepdf.Stream) -> bool:
    filters = image.get("/Filter")
    names = [str(name) for name in filters] if isinstance(filters, pikepdf.Array) else [str(filters)]
    return names == ["/DCTDecode"] and _channels(image.get("/ColorSpace")) in {1, 3}


def _channels(space: pikepdf.Object | None) -> int | None:
    """Return how many channels a colour space has, of those that a picture can keep as they are."""
    if isinstance(space, pikepdf.Array):
        if str(space[0]) == "/ICCBased":
            return int(space[1].get("/N", 0))
        return GREY_OR_RGB.get(str(space[0]))
    return GREY_OR_RGB.get(str(space))
