"""Drawing one side of a sheet as vectors, and remembering what is written where."""

import io
import threading
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import NamedTuple

import numpy as np
import pypdfium2
from numpy.typing import NDArray
from reportlab.lib.colors import Color, HexColor
from reportlab.lib.utils import simpleSplit
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfgen.canvas import Canvas

from papiermappe.core.geometry import POINTS_PER_MM
from papiermappe.core.order.code_reading import qr_squares
from papiermappe.core.paper import PaperSize

INK = "#1b1b1d"
BLUE_PEN = "#23389b"
STAMP_RED = "#b3261e"
STAMP_GREEN = "#1d6b46"

_one_at_a_time = threading.Lock()  # pdfium must not be called from two threads

Draw = Callable[["Drawing"], None]


class PrintedLine(NamedTuple):
    """A line of print: its text and where its baseline begins, in mm from the top left of the sheet."""

    text: str
    x_mm: float
    y_mm: float
    font: str
    size_pt: float

    def words(self) -> list[tuple[str, float, float]]:
        """Return each word with its left and its right, in mm."""
        found, at = [], 0
        for word in self.text.split():
            at = self.text.index(word, at)
            left_mm = self.x_mm + self._width_mm(self.text[:at])
            found.append((word, left_mm, left_mm + self._width_mm(word)))
            at += len(word)
        return found

    def _width_mm(self, text: str) -> float:
        return float(stringWidth(text, self.font, self.size_pt)) / POINTS_PER_MM


@dataclass
class Drawing:
    """One side of a sheet. Places are mm from the top left; text stands on its baseline."""

    paper: PaperSize
    canvas: Canvas
    lines: list[PrintedLine] = field(default_factory=list)

    def text(
        self,
        x_mm: float,
        y_mm: float,
        text: str,
        size_pt: float = 10.5,
        font: str = "Times-Roman",
        colour: str = INK,
    ) -> None:
        """Write one line."""
        self.lines.append(PrintedLine(text, x_mm, y_mm, font, size_pt))
        self.canvas.setFillColor(HexColor(colour))
        self.canvas.setFont(font, size_pt)
        self.canvas.drawString(x_mm * POINTS_PER_MM, self._y(y_mm), text)

    def text_right(self, x_mm: float, y_mm: float, text: str, size_pt: float = 10.5, font: str = "Times-Roman") -> None:
        """Write one line that ends at `x_mm`."""
        self.text(x_mm - stringWidth(text, font, size_pt) / POINTS_PER_MM, y_mm, text, size_pt, font)

    def paragraph(
        self,
        x_mm: float,
        y_mm: float,
        width_mm: float,
        text: str,
        size_pt: float = 10.5,
        font: str = "Times-Roman",
    ) -> float:
        """Write wrapped text; return the y in mm where the next paragraph can begin."""
        leading_mm = size_pt * 1.32 / POINTS_PER_MM
        for line in simpleSplit(text, font, size_pt, width_mm * POINTS_PER_MM):
            self.text(x_mm, y_mm, line, size_pt, font)
            y_mm += leading_mm
        return y_mm + leading_mm * 0.55

    def rule(
        self, x0_mm: float, y0_mm: float, x1_mm: float, y1_mm: float, width_pt: float = 0.6, colour: str = INK
    ) -> None:
        """Draw a straight line."""
        self.canvas.setStrokeColor(HexColor(colour))
        self.canvas.setLineWidth(width_pt)
        self.canvas.line(x0_mm * POINTS_PER_MM, self._y(y0_mm), x1_mm * POINTS_PER_MM, self._y(y1_mm))

    def box(
        self,
        x_mm: float,
        y_mm: float,
        width_mm: float,
        height_mm: float,
        fill: str | None = None,
        stroke: str | None = INK,
        width_pt: float = 0.6,
    ) -> None:
        """Draw a rectangle by its top left corner."""
        if fill:
            self.canvas.setFillColor(HexColor(fill))
        if stroke:
            self.canvas.setStrokeColor(HexColor(stroke))
        self.canvas.setLineWidth(width_pt)
        self.canvas.rect(
            x_mm * POINTS_PER_MM,
            self._y(y_mm + height_mm),
            width_mm * POINTS_PER_MM,
            height_mm * POINTS_PER_MM,
            stroke=int(stroke is not None),
            fill=int(fill is not None),
        )

    def code(self, x_mm: float, y_mm: float, size_mm: float, text: str) -> None:
        """Draw a QR code by its top left corner."""
        squares = qr_squares(text)
        side_mm = size_mm / len(squares)
        for row, column in np.argwhere(squares):
            self.box(x_mm + column * side_mm, y_mm + row * side_mm, side_mm, side_mm, fill="#000000", stroke=None)

    def polygon(self, points_mm: Sequence[tuple[float, float]], fill: Color) -> None:
        """Fill a closed outline."""
        path = self.canvas.beginPath()
        for at, (x_mm, y_mm) in enumerate(points_mm):
            (path.lineTo if at else path.moveTo)(x_mm * POINTS_PER_MM, self._y(y_mm))
        path.close()
        self.canvas.setFillColor(fill)
        self.canvas.drawPath(path, stroke=0, fill=1)

    def shade(self, x_mm: float, y_mm: float, width_mm: float, height_mm: float, darkness: float) -> None:
        """Darken a band as a shadow does, most along its middle.

        Args:
            x_mm: of its left.
            y_mm: of its top.
            width_mm: across which the shadow rises and falls.
            height_mm: of the band.
            darkness: in the middle, 0 to 1.
        """
        steps = 40
        for step in range(steps):
            share = 1 - abs(2 * (step + 0.5) / steps - 1)
            left_mm = x_mm + width_mm * step / steps
            right_mm = left_mm + width_mm / steps
            bottom_mm = y_mm + height_mm
            corners = ((left_mm, y_mm), (right_mm, y_mm), (right_mm, bottom_mm), (left_mm, bottom_mm))
            self.polygon(corners, Color(0, 0, 0, alpha=darkness * share**2))

    def table(
        self,
        x_mm: float,
        y_mm: float,
        widths_mm: Sequence[float],
        rows: Iterable[Sequence[str]],
        row_mm: float = 7.0,
    ) -> float:
        """Draw a ruled table, its first row on a tint; return the y in mm below it."""
        right_mm = x_mm + sum(widths_mm)
        for at, row in enumerate(rows):
            if at == 0:
                self.box(x_mm, y_mm, sum(widths_mm), row_mm, fill="#e3e6de", stroke=None)
            self.rule(x_mm, y_mm, right_mm, y_mm)
            cell_mm = x_mm
            for width_mm, cell in zip(widths_mm, row, strict=True):
                font = "Helvetica-Bold" if at == 0 else "Helvetica"
                self.text(cell_mm + 1.5, y_mm + row_mm * 0.68, cell, 9, font)
                cell_mm += width_mm
            y_mm += row_mm
        self.rule(x_mm, y_mm, right_mm, y_mm)
        return y_mm

    def stamp(self, x_mm: float, y_mm: float, upper: str, lower: str, colour: str = STAMP_RED) -> None:
        """Put a round stamp, its centre at the place."""
        self.canvas.setStrokeColor(HexColor(colour))
        for radius_mm, width_pt in ((15.0, 2.2), (11.5, 1.0)):
            self.canvas.setLineWidth(width_pt)
            self.canvas.circle(x_mm * POINTS_PER_MM, self._y(y_mm), radius_mm * POINTS_PER_MM, stroke=1, fill=0)
        for text, dy_mm, size_pt in ((upper, -1.0, 8.5), (lower, 4.0, 7.5)):
            width_mm = stringWidth(text, "Helvetica-Bold", size_pt) / POINTS_PER_MM
            self.text(x_mm - width_mm / 2, y_mm + dy_mm, text, size_pt, "Helvetica-Bold", colour)

    def pen(
        self,
        x_mm: float,
        y_mm: float,
        width_mm: float,
        seed: int,
        height_mm: float = 6.0,
        colour: str = BLUE_PEN,
        line_pt: float = 1.3,
    ) -> None:
        """Draw hand-like strokes from left to right, as of a signature or a note."""
        hand = np.random.default_rng(seed)
        count = max(6, int(width_mm / 2.2))
        xs = x_mm + np.sort(hand.uniform(0, width_mm, count))
        ys = y_mm - height_mm * np.abs(hand.normal(0.35, 0.3, count)).clip(-0.2, 1.0)
        path = self.canvas.beginPath()
        path.moveTo(float(xs[0]) * POINTS_PER_MM, self._y(float(ys[0])))
        for at in range(1, count):
            bend = hand.uniform(-1.8, 1.8, 4)
            path.curveTo(
                float(xs[at - 1] + bend[0]) * POINTS_PER_MM,
                self._y(float(ys[at - 1] + bend[1] * 1.6)),
                float(xs[at] + bend[2]) * POINTS_PER_MM,
                self._y(float(ys[at] + bend[3] * 1.6)),
                float(xs[at]) * POINTS_PER_MM,
                self._y(float(ys[at])),
            )
        self.canvas.setStrokeColor(HexColor(colour))
        self.canvas.setLineWidth(line_pt)
        self.canvas.drawPath(path, stroke=1, fill=0)

    def _y(self, y_mm: float) -> float:
        return (self.paper.height_mm - y_mm) * POINTS_PER_MM


@dataclass(frozen=True)
class DrawnSide:
    """One side of a sheet, ready to be rasterised at any resolution."""

    paper: PaperSize
    pdf: bytes
    lines: tuple[PrintedLine, ...]
    sideways: bool = False
    """It lies with its right edge at the top."""

    def raster(self, dpi: float) -> NDArray[np.uint8]:
        """Return the side as RGB (h, w, 3), ink on pure white."""
        with _one_at_a_time:
            document = pypdfium2.PdfDocument(self.pdf)
            try:
                page = document[0].render(scale=dpi / 72, rev_byteorder=True).to_numpy().copy()
            finally:
                document.close()
        return np.ascontiguousarray(np.rot90(page[:, :, :3]) if self.sideways else page[:, :, :3])


@lru_cache(maxsize=256)
def draw_side(paper: PaperSize, draw: Draw | None, *, sideways: bool = False) -> DrawnSide:
    """Draw one side as it lies.

    Args:
        paper: as it lies.
        draw: what is on it; None: nothing.
        sideways: it is drawn on the turned paper, which lies with its right edge at the top.
    """
    out = io.BytesIO()
    drawn_on = paper.turned() if sideways else paper
    size_pt = (drawn_on.width_mm * POINTS_PER_MM, drawn_on.height_mm * POINTS_PER_MM)
    drawing = Drawing(drawn_on, Canvas(out, pagesize=size_pt, invariant=1))
    if draw is not None:
        draw(drawing)
    drawing.canvas.showPage()
    drawing.canvas.save()
    return DrawnSide(paper, out.getvalue(), tuple(drawing.lines), sideways)
