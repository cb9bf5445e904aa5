"""Pages of many kinds of print, turned by a known angle; and pages without print."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.random import Generator

from papiermappe.core.geometry import rotation_deg
from papiermappe.core.paper import A4, PaperSize
from papiermappe.core.picture import Pixels
from papiermappe.standin.paper.drawing import Drawing, draw_side

DPI = 300
WORDS = [
    "apple",
    "pear",
    "plum",
    "orchard",
    "ladder",
    "crate",
    "frost",
    "graft",
    "blossom",
    "harvest",
    "meadow",
    "ditch",
    "cooperative",
    "member",
    "receipt",
    "weight",
    "moisture",
    "delivery",
    "lease",
    "hail",
    "damage",
    "report",
    "winter",
    "pruning",
    "saw",
    "twine",
    "press",
    "cider",
    "the",
    "of",
    "and",
    "to",
    "in",
    "is",
    "it",
    "for",
    "with",
]
RECEIPT = PaperSize("Receipt", 80, 200)


@dataclass(frozen=True)
class TruePage:
    """A page and its truth."""

    kind: str
    pixels: Pixels
    """RGB (h, w, 3) at 300 dpi."""
    skew_deg: float


def draw_page(draw: Callable[[Drawing, Generator], None], hand: Generator, dpi: int, paper: PaperSize = A4) -> Pixels:
    """Draw a page and rasterise it, RGB (h, w, 3)."""
    side = draw_side.__wrapped__(paper, lambda drawing: draw(drawing, hand))  # past its cache: no page comes twice
    return side.raster(dpi)


def skewed_pages(numbers: Iterable[int], range_deg: float, seed: int) -> Iterator[TruePage]:
    """Yield pages of all kinds with print, each turned by an angle within the range."""
    kinds = list(PRINT_KINDS.items())
    for at in numbers:
        hand = np.random.default_rng([seed, at])
        kind, draw = kinds[at % len(kinds)]
        paper = RECEIPT if kind == "receipt" else A4
        angle_deg = float(hand.uniform(-range_deg, range_deg)) if at % 3 else float(hand.uniform(-1.5, 1.5))
        page = draw_page(draw, hand, DPI, paper)
        yield TruePage(kind, _scanned(page, angle_deg, hand, kind), angle_deg)


def pages_without_print(numbers: Iterable[int], seed: int) -> Iterator[TruePage]:
    """Yield blank paper, noise, gradients and plain pictures."""
    for at in numbers:
        hand = np.random.default_rng([seed, 7, at])
        kind, make = list(EMPTY_KINDS.items())[at % len(EMPTY_KINDS)]
        yield TruePage(kind, make(hand), 0.0)


def _sentence(hand: Generator, words: int) -> str:
    return " ".join(str(word) for word in hand.choice(WORDS, words)).capitalize() + "."


def prose(
    page: Drawing, hand: Generator, x_mm: float, y_mm: float, width_mm: float, until_mm: float, size_pt: float
) -> None:
    """Write paragraphs until a place on the page is passed."""
    while y_mm < until_mm:
        y_mm = page.paragraph(x_mm, y_mm, width_mm, _sentence(hand, int(hand.integers(20, 60))), size_pt)


def _letter(page: Drawing, hand: Generator) -> None:
    page.text(25, 30, _sentence(hand, 3), 14, "Helvetica-Bold")
    prose(page, hand, 25, 60, 160, float(hand.uniform(120, 250)), float(hand.uniform(9, 12.5)))
    page.pen(28, 268, 45, int(hand.integers(1000)), 9)


def _form(page: Drawing, hand: Generator) -> None:
    for at in range(int(hand.integers(5, 11))):
        page.box(20, 40 + 20 * at, 170, 14)
        page.text(22, 44 + 20 * at, _sentence(hand, 2), 7.5, "Helvetica")
        page.pen(30, 51 + 20 * at, float(hand.uniform(20, 110)), int(hand.integers(1000)), 5)


def _table(page: Drawing, hand: Generator) -> None:
    count = int(hand.integers(8, 24))
    rows = [[_sentence(hand, 1), *(str(int(n)) for n in hand.integers(1, 9999, 3))] for _ in range(count)]
    page.table(20, 40, (60, 35, 35, 35), rows, 8)


def _two_columns(page: Drawing, hand: Generator) -> None:
    """The lines of the columns are not level with each other."""
    size_pt = float(hand.uniform(8.5, 10.5))
    prose(page, hand, 18, 30, 82, 260, size_pt)
    prose(page, hand, 110, 30 + float(hand.uniform(0.8, 3.2)), 82, 260, size_pt)


def _receipt(page: Drawing, hand: Generator) -> None:
    for at in range(int(hand.integers(6, 18))):
        page.text(6, 20 + 8 * at, _sentence(hand, 2), 9, "Courier")
        page.text_right(74, 20 + 8 * at, f"{hand.uniform(1, 90):.2f}", 9, "Courier")


def _sparse(page: Drawing, hand: Generator) -> None:
    for at in range(int(hand.integers(3, 6))):
        page.text(30, 60 + 6 * at, _sentence(hand, 6), 11)


def _captioned_picture(page: Drawing, hand: Generator) -> None:
    from reportlab.lib.colors import Color

    for _ in range(120):
        x_mm, y_mm = (float(v) for v in hand.uniform((30, 40), (160, 150)))
        around = np.sort(hand.uniform(0, 2 * np.pi, 6))
        reach = float(hand.uniform(4, 22))
        points = [(x_mm + reach * float(np.cos(a)), y_mm + reach * float(np.sin(a))) for a in around]
        page.polygon(points, Color(*(float(v) for v in hand.uniform(0.1, 0.8, 3))))
    prose(page, hand, 25, 195, 160, 215, 10)


def _ruled_handwriting(page: Drawing, hand: Generator) -> None:
    for at in range(22):
        page.rule(15, 40 + 10 * at, 195, 40 + 10 * at, 0.4, "#8fa3c9")
        if at < 15:
            page.pen(20, 39 + 10 * at, float(hand.uniform(60, 160)), int(hand.integers(10000)), 5)


def _music(page: Drawing, hand: Generator) -> None:
    for stave in range(8):
        top = 30 + 30 * stave
        for line in range(5):
            page.rule(15, top + 2 * line, 195, top + 2 * line, 0.5)
        for _ in range(24):
            x_mm, y_mm = float(hand.uniform(25, 190)), top + float(hand.integers(-1, 10))
            page.canvas.setFillGray(0.1)
            page.canvas.ellipse(x_mm * 2.835, page._y(y_mm), x_mm * 2.835 + 6, page._y(y_mm) + 4.4, fill=1, stroke=0)
            page.rule(x_mm + 2, y_mm, x_mm + 2, y_mm - 7, 0.7)


def _bordered(page: Drawing, hand: Generator) -> None:
    shade = str(hand.choice(["#101010", "#707070"]))
    for x_mm, y_mm, width_mm, height_mm in ((0, 0, 210, 9), (0, 0, 8, 297), (200, 0, 10, 297), (0, 286, 210, 11)):
        page.box(x_mm, y_mm, width_mm, height_mm, fill=shade, stroke=None)
    prose(page, hand, 25, 40, 160, float(hand.uniform(90, 250)), 10.5)


def _inverted_areas(page: Drawing, hand: Generator) -> None:
    page.box(20, 25, 170, 30, fill="#1a2a44", stroke=None)
    page.text(26, 45, _sentence(hand, 3), 20, "Helvetica-Bold", "#ffffff")
    prose(page, hand, 20, 70, 170, 200, 10.5)
    page.box(20, 230, 170, 25, fill="#1a2a44", stroke=None)
    page.text(26, 245, _sentence(hand, 6), 10, "Helvetica", "#ffffff")


PRINT_KINDS: dict[str, Callable[[Drawing, Generator], None]] = {
    "letter": _letter,
    "form": _form,
    "table": _table,
    "two columns": _two_columns,
    "receipt": _receipt,
    "sparse": _sparse,
    "captioned picture": _captioned_picture,
    "ruled handwriting": _ruled_handwriting,
    "music": _music,
    "bordered": _bordered,
    "inverted areas": _inverted_areas,
}

TEXT_KINDS = {
    kind: draw for kind, draw in PRINT_KINDS.items() if kind not in {"captioned picture", "ruled handwriting", "music"}
}


def _scanned(page: Pixels, angle_deg: float, hand: Generator, kind: str) -> Pixels:
    """Turn a page about its middle, on a field of its own paper, and give it light, blur, noise and JPEG."""
    height, width = page.shape[:2]
    matrix = np.empty((2, 3))
    matrix[:, :2] = rotation_deg(angle_deg)
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    matrix[:, 2] = middle - matrix[:, :2] @ middle + hand.uniform(-0.5, 0.5, 2)
    rim = (16, 16, 16) if kind == "bordered" else (255, 255, 255)
    turned = cv2.warpAffine(page, matrix, (width, height), flags=cv2.INTER_CUBIC, borderValue=rim)
    softened = cv2.GaussianBlur(turned, (0, 0), float(hand.uniform(0.4, 1.1)))
    light = np.linspace(hand.uniform(0.86, 1.0), hand.uniform(0.9, 1.0), width)[None, :, None]
    noisy = softened * light + hand.normal(0, hand.uniform(1, 6), (height, width, 1))
    quality = int(hand.integers(60, 95))
    _, jpeg = cv2.imencode(".jpg", np.clip(noisy, 0, 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, quality])
    return np.asarray(cv2.imdecode(jpeg, cv2.IMREAD_COLOR), np.uint8)


def _blank(hand: Generator) -> Pixels:
    return np.clip(hand.normal(245, hand.uniform(0.5, 5), (3508, 2480, 1)).repeat(3, 2), 0, 255).astype(np.uint8)


def _noise(hand: Generator) -> Pixels:
    coarse = hand.integers(0, 256, (3508 // 8, 2480 // 8, 3)).astype(np.uint8)
    return np.asarray(cv2.resize(coarse, (2480, 3508), interpolation=cv2.INTER_CUBIC), np.uint8)


def _dusty(hand: Generator) -> Pixels:
    page = _blank(hand)
    for col, row in zip(hand.integers(0, 2480, 300), hand.integers(0, 3508, 300), strict=True):
        cv2.circle(page, (int(col), int(row)), int(hand.integers(1, 5)), (120, 120, 120), -1)
    return page


def _gradient(hand: Generator) -> Pixels:
    across = np.linspace(hand.uniform(0, 120), 255, 2480)[None, :, None]
    return np.clip(across + hand.normal(0, 3, (3508, 2480, 1)), 0, 255).repeat(3, 2).astype(np.uint8)


def _clouds(hand: Generator) -> Pixels:
    seeds = hand.uniform(0, 255, (24, 17, 3)).astype(np.float32)
    return np.clip(cv2.resize(seeds, (2480, 3508), interpolation=cv2.INTER_CUBIC), 0, 255).astype(np.uint8)


EMPTY_KINDS: dict[str, Callable[[Generator], Pixels]] = {
    "blank": _blank, "noise": _noise, "dust": _dusty, "gradient": _gradient, "clouds": _clouds,
}  # fmt: skip
