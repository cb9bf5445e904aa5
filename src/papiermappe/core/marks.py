"""What people draw on pages: highlights, boxes, lines and notes; and black over what must not go out."""

import importlib.resources
from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, written_to
from papiermappe.core.zones import ZoneKind

HIGHLIGHT = (255, 225, 77)
PEN = (179, 38, 30)
NOTE_PAPER = (255, 251, 214)
PEN_MM = 0.6
NOTE_TEXT_MM = 4.0  # the height of a line of a note, less where it does not fit
LEAST_TEXT_MM = 1.6
NOTE_RIM_MM = 1.0
LINE_HEIGHT = 1.25
BEYOND_MM = 0.25
"""How much farther black reaches than was drawn: pixels at its rim hold a little of what lies beside them."""
SUBPIXELS = 4


class Mark(NamedTuple):
    """A mark as it lies on a page."""

    kind: ZoneKind
    corners: NDArray[np.float64]
    """(4, 2) `(x_mm, y_mm)`: the corners of its rectangle, in turn."""
    text: str = ""
    """Of a note."""


def draw_marks(page: Pixels, marks: Sequence[Mark], dpi: float, out: Pixels | None = None) -> Pixels:
    """Return a page with marks drawn on it, and black over what is blacked out.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        marks: on it.
        dpi: its resolution.
        out: where the page is written where it keeps its shape; it may be `page` itself. None: a new picture.

    Returns:
        RGB where something is drawn in colour, else as `page`. `page` itself where there is no mark. Under black
        nothing is left: its pixels are 0.
    """
    drawn = [mark for mark in marks if mark.kind.is_drawn]
    black = [mark for mark in marks if mark.kind is ZoneKind.BLACKOUT]
    if not drawn and not black:
        return page
    gains_colour = bool(drawn) and page.ndim == 2
    marked = np.asarray(cv2.cvtColor(page, cv2.COLOR_GRAY2RGB), np.uint8) if gains_colour else written_to(page, out)
    for mark in drawn:
        _draw(marked, mark, dpi)
    for mark in black:
        cv2.fillConvexPoly(marked, _px(_grown(mark.corners, BEYOND_MM), dpi), (0, 0, 0), shift=SUBPIXELS)
    return marked


def _draw(page: Pixels, mark: Mark, dpi: float) -> None:
    pen_px = max(1, round(mm_to_px(PEN_MM, dpi)))
    outline = _px(mark.corners, dpi)
    if mark.kind is ZoneKind.HIGHLIGHT:
        left, top = np.floor(outline.min(axis=0) / 2**SUBPIXELS).clip(0).astype(int)
        right, bottom = (np.ceil(outline.max(axis=0) / 2**SUBPIXELS) + 1).clip(0).astype(int)
        part = page[top:bottom, left:right]
        mask = np.zeros(part.shape[:2], np.uint8)
        cv2.fillConvexPoly(mask, outline - (np.array([left, top]) << SUBPIXELS), (1,), shift=SUBPIXELS)
        tinted = (part.astype(np.uint16) * np.array(HIGHLIGHT, np.uint16) // 255).astype(np.uint8)
        part[:] = np.where(mask[..., None] > 0, tinted, part)
    elif mark.kind is ZoneKind.BOX:
        cv2.polylines(page, [outline], True, PEN, pen_px, cv2.LINE_AA, SUBPIXELS)
    elif mark.kind is ZoneKind.NOTE:
        _write_note(page, mark, dpi)
    else:
        ends = (0, 2) if mark.kind is ZoneKind.LINE else (3, 1)
        begin, end = (tuple(int(value) for value in outline[at]) for at in ends)
        cv2.line(page, begin, end, PEN, pen_px, cv2.LINE_AA, SUBPIXELS)


def _write_note(page: Pixels, mark: Mark, dpi: float) -> None:
    """Write a note, upright as the page is seen; in smaller letters where it is long."""
    left, top, right, bottom = (
        round(mm_to_px(float(value), dpi)) for value in (*mark.corners.min(axis=0), *mark.corners.max(axis=0))
    )
    # no larger than the page, however large a frame was sent
    rows, cols = slice(max(0, top), min(bottom + 1, page.shape[0])), slice(max(0, left), min(right + 1, page.shape[1]))
    if rows.start >= rows.stop or cols.start >= cols.stop:
        return
    rim = round(mm_to_px(NOTE_RIM_MM, dpi))
    room = right - left - 2 * rim, bottom - top - 2 * rim
    picture = Image.new("RGB", (cols.stop - cols.start, rows.stop - rows.start), NOTE_PAPER)
    draw = ImageDraw.Draw(picture)
    x_px, y_px = left - cols.start, top - rows.start
    frame = (x_px, y_px, x_px + right - left, y_px + bottom - top)
    draw.rectangle(frame, None, PEN, max(1, round(mm_to_px(PEN_MM / 2, dpi))))
    size_mm = NOTE_TEXT_MM
    lines = _lines(mark.text, room[0], _font(round(mm_to_px(size_mm, dpi))))
    while size_mm > LEAST_TEXT_MM and len(lines) * LINE_HEIGHT * mm_to_px(size_mm, dpi) > room[1]:
        size_mm *= 0.9
        lines = _lines(mark.text, room[0], _font(round(mm_to_px(size_mm, dpi))))
    for at, line in enumerate(lines):
        down_px = rim + at * LINE_HEIGHT * mm_to_px(size_mm, dpi)
        draw.text((x_px + rim, y_px + down_px), line, PEN, _font(round(mm_to_px(size_mm, dpi))))
    page[rows, cols] = np.asarray(picture)


@lru_cache(maxsize=32)
def _font(size_px: int) -> ImageFont.FreeTypeFont:
    """Return a font with Latin letters; it comes with a package that is needed anyway."""
    with importlib.resources.as_file(importlib.resources.files("reportlab") / "fonts" / "Vera.ttf") as path:
        return ImageFont.truetype(path, max(4, size_px))


def _lines(text: str, width_px: float, font: ImageFont.FreeTypeFont) -> list[str]:
    """Break a text into lines that fit a width; a word that is longer than that goes on beyond it."""
    lines = []
    for paragraph in text.splitlines():
        line = ""
        for word in paragraph.split():
            longer = f"{line} {word}".strip()
            if line and font.getlength(longer) > width_px:
                lines.append(line)
                line = word
            else:
                line = longer
        lines.append(line)
    return lines


def _grown(corners: NDArray[np.float64], by_mm: float) -> NDArray[np.float64]:
    """Return a rectangle that reaches farther on every side."""
    middle = corners.mean(axis=0)
    across, down = corners[1] - corners[0], corners[3] - corners[0]
    out = by_mm * np.array([side / max(float(np.hypot(*side)), 1e-9) for side in (across, down)])
    signs = np.sign((corners - middle) @ np.array([across, down]).T)
    return np.asarray(corners + signs @ out, np.float64)


def _px(corners: NDArray[np.float64], dpi: float) -> NDArray[np.int32]:
    limit = 2.0**24  # far outside of any page, and within what the drawing counts
    px = np.clip(mm_to_px(1.0, dpi) * corners - 0.5, -limit, limit)
    return np.asarray(np.rint(px * 2**SUBPIXELS), np.int32)
