"""Paper drawn with Pillow: letters, invoices, newspapers, books, forms, plates, covers, receipts, cards."""

import re
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
import reportlab
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFilter, ImageFont

DPI = 150
FONTS = Path(reportlab.__file__).parent / "fonts"
FACES = ("Vera.ttf", "VeraIt.ttf", "VeraBd.ttf", "VeraBI.ttf", "")
SYLLABLES = [
    "pom",
    "win",
    "dra",
    "sel",
    "kur",
    "ter",
    "ost",
    "gal",
    "nim",
    "ber",
    "lon",
    "vas",
    "tek",
    "mor",
    "fin",
    "ulm",
    "zar",
    "hed",
    "rip",
    "col",
    "jun",
    "qua",
    "wex",
    "ygg",
    "thu",
    "bla",
    "ske",
    "pli",
]
SIZES_MM = {"A4": (210.0, 297.0), "A5": (148.0, 210.0), "letter": (216.0, 279.0), "slip": (80.0, 190.0),
            "card": (86.0, 54.0), "tall": (95.0, 280.0), "wide": (296.0, 210.0)}  # fmt: skip

Hand = np.random.Generator


class Written(NamedTuple):
    """A line that is written on a sheet, in mm from its top left."""

    text: str
    x: float
    y: float
    width: float
    height: float


class Paper(NamedTuple):
    """One side of a sheet."""

    kind: str
    width_mm: float
    height_mm: float
    picture: NDArray[np.uint8]
    """RGB (h, w, 3) at DPI."""
    ink: NDArray[np.bool_]
    """What is printed or written, (h, w)."""
    written: tuple[Written, ...] = ()


class Page:
    """A sheet to draw on, in mm."""

    def __init__(self, hand: Hand, size: str, tint: tuple[int, int, int] = (252, 251, 247)) -> None:
        self.hand = hand
        self.width, self.height = SIZES_MM[size]
        self.picture = Image.new("RGB", (px(self.width), px(self.height)), tint)
        self.ink = Image.new("1", self.picture.size, 0)
        self.written: list[Written] = []
        self._both = (ImageDraw.Draw(self.picture), ImageDraw.Draw(self.ink))

    def inks(self, colour: str) -> tuple[tuple[ImageDraw.ImageDraw, str | int], ...]:
        """Return what draws on the picture and what notes the print, with the colour of each."""
        return (self._both[0], colour), (self._both[1], 1)

    def text(
        self, x: float, y: float, text: str, points: float, face: str = "Vera.ttf", colour: str = "#1c1c20"
    ) -> float:
        """Write a line; return its width."""
        letters = font(face, points)
        for draw, fill in self.inks(colour):
            draw.text((px(x), px(y)), text, font=letters, fill=fill)
        for part in re.finditer(r"\S+(?: \S+)*", text):  # what stands farther apart is not read as one line
            before, width = (float(letters.getlength(some)) * 25.4 / DPI for some in (text[: part.start()], part[0]))
            self.written.append(Written(part[0], x + before, y, width, points * 25.4 / 72))
        return float(letters.getlength(text)) * 25.4 / DPI

    def headline(self, x: float, y: float, width_mm: float, text: str, points: float) -> None:
        """Write a bold line, as large as fits."""
        needed_mm = float(font("VeraBd.ttf", points).getlength(text)) * 25.4 / DPI
        self.text(x, y, text, points * min(1.0, width_mm / needed_mm), "VeraBd.ttf")

    def line(self, x0: float, y0: float, x1: float, y1: float, mm: float = 0.3, colour: str = "#2a2a2a") -> None:
        """Draw a line."""
        for draw, fill in self.inks(colour):
            draw.line((px(x0), px(y0), px(x1), px(y1)), fill=fill, width=max(1, px(mm)))

    def block(self, x0: float, y0: float, x1: float, y1: float, colour: str, counts: bool = True) -> None:
        """Fill a rectangle; where it counts, it is print."""
        self._both[0].rectangle((px(x0), px(y0), px(x1), px(y1)), fill=colour)
        if counts:
            self._both[1].rectangle((px(x0), px(y0), px(x1), px(y1)), fill=1)

    def paragraph(self, x: float, y: float, width: float, lines: int, points: float, face: str = "Vera.ttf") -> float:
        """Write lines of words; return where the next one would stand."""
        step = points * 25.4 / 72 * 1.35
        for number in range(lines):
            text = words(self.hand, 2)
            limit = width * (float(self.hand.uniform(0.3, 0.8)) if number == lines - 1 else 1.0)
            while font(face, points).getlength(longer := f"{text} {words(self.hand, 1)}") * 25.4 / DPI < limit:
                text = longer
            self.text(x, y + number * step, text, points, face)
        return y + lines * step

    def scribble(self, x: float, y: float, width: float, colour: str = "#27408b") -> None:
        """Write something by hand."""
        at = np.linspace(0, 1, 60)
        wave = np.cumsum(self.hand.normal(0, 0.5, 60)) * 0.3 + 2.2 * np.sin(at * self.hand.uniform(20, 45))
        points = [(px(x + width * place), px(y + rise)) for place, rise in zip(at, wave, strict=True)]
        for draw, fill in self.inks(colour):
            draw.line(points, fill=fill, width=max(1, px(0.35)), joint="curve")

    def done(self, kind: str) -> Paper:
        """Return the side."""
        soft = self.picture.filter(ImageFilter.GaussianBlur(0.5))
        ink = np.asarray(self.ink, bool)
        return Paper(kind, self.width, self.height, np.asarray(soft, np.uint8), ink, tuple(self.written))


def px(mm: float) -> int:
    """Return mm in pixels at DPI."""
    return round(mm / 25.4 * DPI)


@lru_cache(maxsize=256)
def font(face: str, points: float) -> ImageFont.FreeTypeFont:
    """Return a font at a size in points; without a name, the one that Pillow brings."""
    size = points / 72 * DPI
    if face:
        return ImageFont.truetype(str(FONTS / face), size)
    found = ImageFont.load_default(size)
    assert isinstance(found, ImageFont.FreeTypeFont)  # noqa: S101 (it is, with FreeType)
    return found


def words(hand: Hand, count: int) -> str:
    """Return made-up words."""
    made = ["".join(hand.choice(SYLLABLES, int(hand.integers(1, 4)))) for _ in range(count)]
    return " ".join(made)


def _face(hand: Hand) -> str:
    return str(hand.choice(FACES))


def letter(hand: Hand) -> Paper:
    """Return a letter."""
    page = Page(hand, str(hand.choice(["A4", "letter"])), (250, 250, 250))
    face, margin = _face(hand), float(hand.uniform(12, 28))
    page.text(margin, 18, words(hand, 3).title(), 16, "VeraBd.ttf", "#7a1f1f")
    page.text(page.width - margin - 45, 50, f"{int(hand.integers(1, 29))} {words(hand, 1).title()} 2025", 10, face)
    y = 75.0
    for _ in range(int(hand.integers(2, 6))):
        y = (
            page.paragraph(
                margin, y, page.width - 2 * margin, int(hand.integers(3, 8)), float(hand.uniform(9, 12)), face
            )
            + 4
        )
    page.scribble(margin, min(y + 10, page.height - 30), 45)
    return page.done("letter")


def invoice(hand: Hand) -> Paper:
    """Return an invoice: a table with rules and a tinted head."""
    page = Page(hand, "A4")
    page.block(0, 0, page.width, 24, "#dfe7ef", counts=False)
    page.text(15, 8, words(hand, 2).upper(), 18, "VeraBd.ttf", "#24476b")
    top, rows = 90.0, int(hand.integers(6, 18))
    columns = [15.0, 35.0, 120.0, 150.0, 195.0]
    page.block(15, top, 195, top + 8, "#c9d6e2")
    for row in range(rows + 1):
        page.line(15, top + 8 * row, 195, top + 8 * row, 0.2)
        if row:
            page.text(17, top + 8 * row + 2, str(row), 9)
            page.text(37, top + 8 * row + 2, words(hand, 3), 9)
            page.text(155, top + 8 * row + 2, f"{hand.uniform(1, 999):.2f}", 9)
    for x in columns:
        page.line(x, top, x, top + 8 * (rows + 1), 0.25)
    page.paragraph(15, 258, 180, 3, 7)
    return page.done("invoice")


def newspaper(hand: Hand) -> Paper:
    """Return a page of columns with rules between them all the way down."""
    page = Page(hand, "A4", (238, 233, 220))
    page.headline(14, 12, 182, words(hand, 3).upper(), 30)
    page.line(10, 30, 200, 30, 0.6)
    columns = int(hand.integers(3, 5))
    width = 190 / columns
    for column in range(columns):
        x = 10 + column * width
        if column:
            page.line(x, 34, x, 287, 0.25)
        y = 36.0
        while y < 270:
            page.headline(x + 2, y, width - 4, words(hand, 2).title(), 12)
            lines = min(int(hand.integers(6, 22)), int((284 - y - 6) // 3.6))
            y = page.paragraph(x + 2, y + 6, width - 4, max(lines, 1), 7.5) + 4
    return page.done("newspaper")


def book(hand: Hand) -> Paper:
    """Return a page of a book, with a rule or a frame round its text."""
    page = Page(hand, "A5", (246, 240, 226))
    face = str(hand.choice(["VeraIt.ttf", ""]))
    if hand.random() < 0.5:
        for x in (12, 136):
            page.line(x, 12, x, 196, 0.25)
        for y in (12, 196):
            page.line(12, y, 136, y, 0.25)
    page.paragraph(18, 20, 112, 34, 9.5, face)
    page.text(70, 199, str(int(hand.integers(1, 300))), 9, face)
    return page.done("book")


def form(hand: Hand) -> Paper:
    """Return a form of boxes, some filled in."""
    page = Page(hand, "A4", (253, 253, 253))
    page.text(18, 14, words(hand, 3).title(), 15, "")
    for row in range(13):
        y = 34 + row * 18.0
        page.text(18, y, words(hand, 2), 7, "")
        for x0, x1 in ((18, 100), (108, 192)):
            for line in (
                (x0, y + 4, x1, y + 4),
                (x0, y + 13, x1, y + 13),
                (x0, y + 4, x0, y + 13),
                (x1, y + 4, x1, y + 13),
            ):
                page.line(*line, 0.2, "#507050")
            if hand.random() < 0.6:
                page.scribble(x0 + 4, y + 8, float(hand.uniform(20, 60)))
    return page.done("form")


def note(hand: Hand) -> Paper:
    """Return a sheet with little on it."""
    page = Page(hand, str(hand.choice(["A4", "A5"])), (254, 254, 252))
    for _ in range(int(hand.integers(2, 6))):
        page.scribble(
            float(hand.uniform(10, 60)),
            float(hand.uniform(20, page.height - 30)),
            float(hand.uniform(25, 75)),
            "#333340",
        )
    return page.done("note")


def plate(hand: Hand) -> Paper:
    """Return a picture with a caption, to the edge of the sheet or nearly."""
    page = Page(hand, "A4")
    rim = float(hand.choice([6.0, 12.0, 22.0]))
    down, across = np.mgrid[0 : px(220), 0 : px(210 - 2 * rim)]
    waves = [hand.uniform(0.002, 0.02, 2) for _ in range(3)]
    channels = [120 + 70 * np.sin(down * a + across * b) + 30 * np.sin(across * a * 3) for a, b in waves]
    shade = Image.fromarray(np.clip(np.dstack(channels), 0, 255).astype(np.uint8))
    page.picture.paste(shade, (px(rim), px(rim)))
    page.ink.paste(1, (px(rim), px(rim), px(210 - rim), px(rim + 220)))
    page.text(rim, rim + 226, words(hand, 2).title(), 10)
    return page.done("plate")


def receipt(hand: Hand) -> Paper:
    """Return a till receipt."""
    page = Page(hand, "slip", (249, 249, 250))
    page.text(12, 8, words(hand, 2).upper(), 11, "VeraBd.ttf")
    for row in range(int(hand.integers(8, 26))):
        page.text(6, 22 + row * 5.5, words(hand, 2)[:16], 8)
        page.text(58, 22 + row * 5.5, f"{hand.uniform(0.5, 90):.2f}", 8)
    return page.done("receipt")


def card(hand: Hand) -> Paper:
    """Return a printed card in a colour."""
    tint = tuple(int(level) for level in hand.integers(140, 250, 3))
    page = Page(hand, "card", (tint[0], tint[1], tint[2]))
    page.block(4, 4, 24, 30, "#404a5c")
    for row in range(4):
        page.text(30, 8 + row * 8, words(hand, 2).title(), 8, "")
    return page.done("card")


def boxed(hand: Hand) -> Paper:
    """Return a sheet with a large dark or tinted field and print around it, out to the margins."""
    page = Page(hand, "A4")
    page.block(24, 60, 186, 210, str(hand.choice(["#e3d9b8", "#c8d8c8", "#b9c6d9", "#8c9cae"])))
    page.paragraph(30, 70, 150, 20, 10)
    page.paragraph(12, 14, 186, 7, 9)
    page.paragraph(12, 222, 186, 9, 9)
    for row in range(18):
        page.text(8, 66 + row * 8, words(hand, 1)[:5], 8)
    return page.done("boxed")


KINDS: tuple[Callable[[Hand], Paper], ...] = (
    letter, invoice, newspaper, book, form, note, plate, receipt, card, boxed,
)  # fmt: skip


def paper(number: int, seed: int) -> Paper:
    """Return a side; the kinds come in turn."""
    return KINDS[number % len(KINDS)](np.random.default_rng([seed, number, 1]))
