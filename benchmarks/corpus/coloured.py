"""Plain pages with all that looks a little like colour, and the same with one small coloured thing on them."""

from collections.abc import Callable, Iterable, Iterator

import numpy as np
from numpy.random import Generator

from benchmarks.corpus.pages import PRINT_KINDS, draw_page
from benchmarks.corpus.scanning import scanned
from papiermappe.core.picture import Pixels, to_grey
from papiermappe.standin.paper.drawing import Drawing

DPI = 150
PLAIN_KINDS = ("letter", "form", "table", "two columns", "sparse", "music", "captioned picture")
BALLPOINTS = ("#23389b", "#1f2f6e", "#2b5aa8", "#7a1f2b", "#1d5c3a")
STAMPS = ("#b3261e", "#1d6b46", "#3a3f9a", "#7b3fa0", "#c0552b")
MARKERS = ("#fff27a", "#c9f58a", "#ffb3d1", "#9fe3f5")
LOGOS = ("#b8323a", "#2d6fb5", "#2f8f4e", "#d9902b", "#7fa8c9")


def coloured_pages(numbers: Iterable[int], seed: int, mark: bool) -> Iterator[tuple[str, Pixels]]:
    """Yield kind and page at 150 dpi, RGB: plain, or with one coloured mark of at least 2 mm."""
    for at in numbers:
        hand = np.random.default_rng([seed, 23, at, mark])
        kind, add = list(MARKS.items())[at % len(MARKS)] if mark else ("plain", None)
        yield kind, _page(str(PLAIN_KINDS[at % len(PLAIN_KINDS)]), add, hand)


def _page(kind: str, add: Callable[[Drawing, Generator], None] | None, hand: Generator) -> Pixels:
    plain = to_grey(draw_page(PRINT_KINDS[kind], hand, DPI))[..., None] / 255
    marked = draw_page(add or _nothing, hand, DPI)
    tint = np.array((255, hand.uniform(247, 255), hand.uniform(226, 255))) * hand.uniform(0.93, 1.0) / 255
    page = (plain * marked * tint).clip(0, 255).astype(np.uint8)
    return scanned(page, hand, DPI, max_shade=0.08, fringe_px=float(hand.uniform(0, 0.5)))


def _nothing(_page: Drawing, _hand: Generator) -> None:
    return None


def _place(hand: Generator) -> tuple[float, float]:
    return float(hand.uniform(15, 170)), float(hand.uniform(20, 280))


def _signature(page: Drawing, hand: Generator) -> None:
    (x_mm, y_mm), width_mm, number = _place(hand), float(hand.uniform(6, 40)), int(hand.integers(10000))
    height_mm, colour, line_pt = float(hand.uniform(3, 8)), str(hand.choice(BALLPOINTS)), float(hand.uniform(0.9, 1.5))
    page.pen(x_mm, y_mm, width_mm, number, height_mm, colour, line_pt)


def _stamp(page: Drawing, hand: Generator) -> None:
    x_mm, y_mm = _place(hand)
    colour = str(hand.choice(STAMPS))
    page.text(x_mm, y_mm, "PAID", float(hand.uniform(9, 18)), "Helvetica-Bold", colour)
    page.text(x_mm, y_mm + 5, "3 JUNE", 7.5, "Helvetica", colour)


def _marker(page: Drawing, hand: Generator) -> None:
    x_mm, y_mm = _place(hand)
    page.box(x_mm, y_mm, float(hand.uniform(8, 40)), float(hand.uniform(2.5, 4.5)), str(hand.choice(MARKERS)), None)


def _logo(page: Drawing, hand: Generator) -> None:
    x_mm, y_mm = _place(hand)
    size_mm = float(hand.uniform(2, 9))
    page.box(x_mm, y_mm, size_mm, size_mm, str(hand.choice(LOGOS)), None)


MARKS: dict[str, Callable[[Drawing, Generator], None]] = {
    "signature": _signature, "stamp": _stamp, "marker": _marker, "logo": _logo,
}  # fmt: skip
