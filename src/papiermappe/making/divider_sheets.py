"""Divider sheets and labels to print, as PDF."""

from collections.abc import Sequence
from io import BytesIO
from pathlib import Path
from typing import NamedTuple

import numpy as np
import reportlab
from anyascii import anyascii
from reportlab.lib.units import mm
from reportlab.lib.utils import simpleSplit
from reportlab.pdfbase.pdfmetrics import getFont, registerFont
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from papiermappe.core.order.code_reading import qr_squares
from papiermappe.core.order.dividers import CodeUse, divider_text

MAX_DIVIDERS = 200
PAGE_MM = 210.0, 297.0
CODE_MM = 36.0
RIM_MM = 17.0
LABEL_MM = 70.0, 37.0
LABEL_COLUMNS, LABEL_ROWS = 3, 8
LABEL_CODE_MM = 27.0
NAME_POINTS = 44.0
WORDS_POINTS = 15.0
_FONTS = Path(reportlab.__file__).parent / "fonts"


class SheetWords(NamedTuple):
    """What stands on every divider, in the language of the desk."""

    title: str
    explanation: str


def divider_sheets(names: Sequence[str], words: SheetWords) -> bytes:
    """Return a PDF of A4 sheets, one for each name, which may be empty.

    The code stands in all four corners, so that one of them is read whatever way up the sheet lies and whatever has
    been spilt on it. Backs are left blank.
    """
    stream, canvas = _begun()
    codes = _Codes(canvas, CodeUse.DIVIDER)
    for name in names:
        for left in (RIM_MM, PAGE_MM[0] - RIM_MM - CODE_MM):
            for bottom in (RIM_MM, PAGE_MM[1] - RIM_MM - CODE_MM):
                codes.draw(name, left, bottom, CODE_MM)
        canvas.setFont("bold", WORDS_POINTS * 1.4)
        canvas.drawCentredString(PAGE_MM[0] / 2 * mm, 215 * mm, words.title)
        canvas.setFont("plain", WORDS_POINTS)
        canvas.drawCentredString(PAGE_MM[0] / 2 * mm, 75 * mm, words.explanation)
        _draw_large(canvas, _drawable(name))
        canvas.showPage()
    canvas.save()
    return stream.getvalue()


def label_sheets(names: Sequence[str]) -> bytes:
    """Return a PDF of A4 sheets of 24 labels of 70 by 37 mm, one label for each name, to stick on first pages."""
    stream, canvas = _begun()
    per_sheet = LABEL_COLUMNS * LABEL_ROWS
    codes = _Codes(canvas, CodeUse.BEGINS)
    for at, name in enumerate(names):
        if at and at % per_sheet == 0:
            canvas.showPage()
        row, column = divmod(at % per_sheet, LABEL_COLUMNS)
        left, bottom = column * LABEL_MM[0] + 4, PAGE_MM[1] - (row + 1) * LABEL_MM[1] + 5
        codes.draw(name, left, bottom, LABEL_CODE_MM)
        canvas.setFont("plain", 10)
        beside = left + LABEL_CODE_MM + 3
        for line_number, line in enumerate(
            simpleSplit(_drawable(name), "plain", 10, (LABEL_MM[0] - LABEL_CODE_MM - 9) * mm)[:6]
        ):
            canvas.drawString(beside * mm, (bottom + LABEL_CODE_MM - 4 - 4.4 * line_number) * mm, line)
    canvas.showPage()
    canvas.save()
    return stream.getvalue()


def _begun() -> tuple[BytesIO, Canvas]:
    registerFont(TTFont("plain", _FONTS / "Vera.ttf"))
    registerFont(TTFont("bold", _FONTS / "VeraBd.ttf"))
    stream = BytesIO()
    return stream, Canvas(stream, pagesize=(PAGE_MM[0] * mm, PAGE_MM[1] * mm), invariant=True)


class _Codes:
    """Codes of names in a PDF, each of which is written down once, however often it is drawn.

    Args:
        canvas: to draw on.
        use: what all the codes do.
    """

    def __init__(self, canvas: Canvas, use: CodeUse) -> None:
        self._canvas = canvas
        self._use = use
        self._forms: dict[str, tuple[str, int]] = {}

    def draw(self, name: str, left_mm: float, bottom_mm: float, size_mm: float) -> None:
        """Draw the code of a name by its lower left corner."""
        form, squares = self._form_of(name)
        self._canvas.saveState()
        self._canvas.translate(left_mm * mm, bottom_mm * mm)
        self._canvas.scale(size_mm * mm / squares, size_mm * mm / squares)
        self._canvas.doForm(form)
        self._canvas.restoreState()

    def _form_of(self, name: str) -> tuple[str, int]:
        """Return the form of a code, and how many squares it has a side; in the form a square is 1 by 1."""
        if name not in self._forms:
            squares = qr_squares(divider_text(self._use, name))
            form = f"code{len(self._forms)}"
            self._canvas.beginForm(form, 0, 0, len(squares), len(squares))
            for row, ink in enumerate(squares):
                edges = np.flatnonzero(np.diff(np.concatenate([[False], ink, [False]]).astype(np.int8)))
                for start, end in edges.reshape(-1, 2).tolist():
                    self._canvas.rect(start, len(squares) - row - 1, end - start, 1, stroke=0, fill=1)
            self._canvas.endForm()
            self._forms[name] = form, len(squares)
        return self._forms[name]


def _drawable(text: str) -> str:
    """Return a text with letters that the font does not have spelled in Latin ones."""
    drawn = getFont("plain").face.charToGlyph
    return "".join(letter if ord(letter) in drawn else anyascii(letter) for letter in text)


def _draw_large(canvas: Canvas, name: str) -> None:
    """Write a name across the middle, as large as it fits."""
    points = NAME_POINTS
    lines = simpleSplit(name, "bold", points, 180 * mm)
    while len(lines) > 4 and points > 20:
        points *= 0.85
        lines = simpleSplit(name, "bold", points, 180 * mm)
    canvas.setFont("bold", points)
    top = PAGE_MM[1] / 2 * mm + points * 0.6 * (len(lines) - 1)
    for at, line in enumerate(lines):
        canvas.drawCentredString(PAGE_MM[0] / 2 * mm, top - at * points * 1.2, line)
