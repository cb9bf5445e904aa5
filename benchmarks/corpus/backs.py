"""Backs of sheets: blank ones with all that is on blank backs, and the same with one mark on them."""

from collections.abc import Callable, Iterable, Iterator
from functools import cache

import cv2
import numpy as np
from numpy.random import Generator

from benchmarks.corpus.pages import PRINT_KINDS, draw_page
from benchmarks.corpus.scanning import scanned
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels
from papiermappe.standin.paper.drawing import BLUE_PEN, STAMP_RED, Drawing

DPI = 150
FRONTS = 24


def backs(numbers: Iterable[int], seed: int, mark: bool) -> Iterator[tuple[str, Pixels]]:
    """Yield backs at 150 dpi, RGB, with what is on them: nothing but chance, or one mark."""
    for at in numbers:
        hand = np.random.default_rng([seed, 11, at, mark])
        kind, draw = list(MARKS.items())[at % len(MARKS)] if mark else ("blank", _nothing)
        yield kind, _back(hand, draw)


@cache
def _front(number: int) -> Pixels:
    kinds = [kind for kind in PRINT_KINDS if kind != "receipt"]
    hand = np.random.default_rng([5, number])
    return np.ascontiguousarray(draw_page(PRINT_KINDS[kinds[number % len(kinds)]], hand, DPI)[:, ::-1])


def _back(hand: Generator, draw: Callable[[Drawing, Generator], None]) -> Pixels:
    tint = np.array((255, hand.uniform(246, 255), hand.uniform(225, 255))) * hand.uniform(0.9, 1.0)
    page = draw_page(draw, hand, DPI) * (tint / 255)
    through = cv2.GaussianBlur(
        _front(int(hand.integers(FRONTS))), (0, 0), mm_to_px(float(hand.uniform(0.18, 0.5)), DPI)
    )
    shift = np.array([[1, 0, hand.uniform(-9, 9)], [0, 1, hand.uniform(-9, 9)]], np.float32)
    through = cv2.warpAffine(through, shift, (page.shape[1], page.shape[0]), borderValue=(255, 255, 255))
    page -= (255.0 - through) * float(hand.uniform(0.0, 0.14))
    picture = page.clip(0, 255).astype(np.uint8)
    for addition in (_dust, _holes, _dust_line, _fold, _edge_shadow):
        if hand.random() < 0.4:
            picture = addition(picture, hand)
    return scanned(picture, hand, DPI)


def _dust(page: Pixels, hand: Generator) -> Pixels:
    for _ in range(int(hand.integers(1, 60))):
        centre = int(hand.integers(0, page.shape[1])), int(hand.integers(0, page.shape[0]))
        radius = max(4, round(16 * mm_to_px(float(hand.uniform(0.03, 0.4)), DPI)))
        cv2.circle(
            page, (centre[0] * 16, centre[1] * 16), radius, (float(hand.uniform(60, 200)),) * 3, -1, cv2.LINE_AA, 4
        )
    return page


def _holes(page: Pixels, hand: Generator) -> Pixels:
    left = float(hand.uniform(9, 14)) if hand.integers(2) else 210 - float(hand.uniform(9, 14))
    backing = int(hand.choice([20, 90, 200, 235]))
    for y_mm in (108.5, 188.5) if hand.integers(2) else (28.5, 108.5, 188.5, 268.5):
        centre = tuple(round(16 * mm_to_px(at + float(hand.uniform(-0.4, 0.4)), DPI)) for at in (left, y_mm))
        radius = round(16 * mm_to_px(float(hand.uniform(2.5, 3.2)), DPI))
        cv2.circle(page, centre, radius, (backing - 15,) * 3, -1, cv2.LINE_AA, 4)
        cv2.circle(page, (centre[0] + 12, centre[1] + 16), radius - 16, (backing,) * 3, -1, cv2.LINE_AA, 4)
    return page


def _dust_line(page: Pixels, hand: Generator) -> Pixels:
    col = int(hand.integers(20, page.shape[1] - 20))
    wide = int(hand.integers(1, 3))
    strip = page[:, col : col + wide].astype(np.float32)
    page[:, col : col + wide] = (strip - float(hand.uniform(15, 70))).clip(0, 255).astype(np.uint8)
    return page


def _fold(page: Pixels, hand: Generator) -> Pixels:
    row = page.shape[0] * (int(hand.integers(1, 3)) / 3 + float(hand.uniform(-0.02, 0.02)))
    away = np.arange(page.shape[0])[:, None, None] - row
    shade = float(hand.uniform(5, 22)) * np.exp(-((away / mm_to_px(float(hand.uniform(0.8, 2.0)), DPI)) ** 2))
    return np.asarray((page - shade).clip(0, 255), np.uint8)


def _edge_shadow(page: Pixels, hand: Generator) -> Pixels:
    wide = round(mm_to_px(float(hand.uniform(0.3, 2.0)), DPI))
    side = int(hand.integers(4))
    edge = np.rot90(page, side)
    edge[:wide] = (edge[:wide] * float(hand.uniform(0.2, 0.8))).astype(np.uint8)
    return page


def _nothing(_page: Drawing, _hand: Generator) -> None:
    return None


def _place(hand: Generator) -> tuple[float, float]:
    return float(hand.uniform(15, 150)), float(hand.uniform(20, 280))


def _pencil(page: Drawing, hand: Generator) -> None:
    """A short note in pencil, which is grey and thin."""
    grey = f"{int(hand.integers(110, 172)):02x}"
    x_mm, y_mm = _place(hand)
    strokes = float(hand.uniform(10, 50)), int(hand.integers(10000)), float(hand.uniform(3, 6))
    page.pen(x_mm, y_mm, *strokes, "#" + 3 * grey, float(hand.uniform(0.8, 1.3)))


def _pen(page: Drawing, hand: Generator) -> None:
    x_mm, y_mm = _place(hand)
    page.pen(x_mm, y_mm, float(hand.uniform(6, 45)), int(hand.integers(10000)), 5, colour=BLUE_PEN)


def _stamp(page: Drawing, hand: Generator) -> None:
    x_mm, y_mm = _place(hand)
    page.text(x_mm, y_mm, "RECEIVED", float(hand.uniform(9, 18)), "Helvetica-Bold", STAMP_RED)
    page.text(x_mm, y_mm + 5, "12 MAY", 8, "Helvetica", STAMP_RED)


def _line_of_print(page: Drawing, hand: Generator) -> None:
    x_mm, y_mm = _place(hand)
    page.text(min(x_mm, 90), y_mm, "Please turn over.", float(hand.uniform(7, 12)))


def _page_number(page: Drawing, hand: Generator) -> None:
    number = str(int(hand.integers(2, 200)))
    where = (float(hand.choice([20, 103, 185])), float(hand.choice([14, 286])))
    page.text(*where, number, float(hand.uniform(8, 12)), str(hand.choice(["Times-Roman", "Helvetica"])))


MARKS: dict[str, Callable[[Drawing, Generator], None]] = {
    "pencil": _pencil, "pen": _pen, "stamp": _stamp, "line of print": _line_of_print, "page number": _page_number,
}  # fmt: skip
