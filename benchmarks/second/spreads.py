"""Spreads of the second generator, and wide sheets that are none: here other code decides what a fold looks like.

A fold is a valley of light across the sheet, deep or hardly to be seen, slanting or bent, some with a bright rim.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from benchmarks.second.papers import DPI, Hand, Page, Paper, book, px, words
from benchmarks.second.scans import Scan, scan

KINDS = ("deep", "soft", "faint", "bent", "columns", "table", "wrap", "fold_out")
SPREADS = frozenset({"deep", "soft", "faint", "bent"})
DEPTHS = {"deep": (0.25, 0.6), "soft": (0.1, 0.25), "faint": (0.015, 0.05), "bent": (0.1, 0.5), "fold_out": (0.1, 0.4)}


class WideSheet(NamedTuple):
    """A capture of a wide sheet."""

    kind: str
    scan: Scan
    """Its `ink` is where the fold of a spread runs."""


def wide_sheet(number: int, seed: int) -> WideSheet:
    """Return a wide sheet; the kinds come in turn."""
    hand = np.random.default_rng([seed, number, 5])
    kind = KINDS[number % len(KINDS)]
    if kind in {"columns", "table", "wrap"}:
        paper = {"columns": _columns, "table": _table, "wrap": _wrap}[kind](hand)
        paper = paper._replace(ink=np.zeros_like(paper.ink))
    else:
        paper = _bound(hand, kind, pages=3 if kind == "fold_out" else 2)
    return WideSheet(kind, scan(paper, hand))


def _bound(hand: Hand, kind: str, pages: int) -> Paper:
    """Return pages side by side, folded between them."""
    leaves = [book(hand) for _ in range(pages)]
    picture = np.hstack([leaf.picture for leaf in leaves]).astype(np.float32)
    ink = np.zeros(picture.shape[:2], np.bool_)
    down = np.linspace(-1, 1, len(picture))
    for at in range(1, pages):
        middle = at * leaves[0].picture.shape[1]
        slant, bend = hand.uniform(-0.01, 0.01) * len(picture) / 2, px(float(hand.uniform(-2, 2))) * (kind == "bent")
        line = middle + slant * down + bend * (down**2 - 0.4)
        across = np.abs(np.arange(picture.shape[1])[None, :] - line[:, None]) / px(float(hand.uniform(1.2, 6)))
        depth = float(hand.uniform(*DEPTHS[kind]))
        picture *= (1 - depth * np.exp(-across))[..., None]
        if hand.random() < 0.3:
            picture += (6 * np.exp(-((across - 2) ** 2)))[..., None]
        ink[np.arange(len(picture)), np.rint(line).astype(int)] = True
    levels = np.clip(picture, 0, 255).astype(np.uint8)
    return Paper(kind, pages * leaves[0].width_mm, leaves[0].height_mm, levels, _thick(ink))


def _thick(line: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return a line that nearest neighbours do not miss."""
    return np.asarray(line | np.roll(line, 1, 1) | np.roll(line, -1, 1), np.bool_)


def _columns(hand: Hand) -> Paper:
    """Return a wide sheet with two or three columns of print."""
    page = Page(hand, "wide")
    count = int(hand.integers(2, 4))
    room = (page.width - 36) / count
    for at in range(count):
        page.paragraph(18 + at * room, 24, room - float(hand.uniform(6, 16)), 34, 9.5)
    return page.done("columns")


def _table(hand: Hand) -> Paper:
    """Return a wide table; a line runs down its middle at times."""
    page = Page(hand, "wide")
    columns = int(hand.integers(3, 9))
    for at in range(columns + 1):
        x = 16 + at * (page.width - 32) / columns
        page.line(x, 24, x, 190, float(hand.choice([0.2, 0.5, 1.2])))
    for row in range(15):
        page.line(16, 24 + 11 * row, page.width - 16, 24 + 11 * row, 0.2)
        for at in range(columns):
            page.text(18 + at * (page.width - 32) / columns, 27 + 11 * row, words(hand, 1)[:10], 8)
    return page.done("table")


def _wrap(hand: Hand) -> Paper:
    """Return a wide sheet with a title and coloured fields, as a poster."""
    page = Page(hand, "wide")
    split = float(hand.uniform(0.3, 0.7)) * page.width
    page.block(0, 0, split, page.height, str(hand.choice(["#31506b", "#8a4b32", "#d8cfae", "#9fb59a"])))
    page.text(split + 10, 60, words(hand, 2).title(), 24, "VeraBd.ttf")
    page.paragraph(split + 10, 90, page.width - split - 24, 9, 10)
    return page.done("wrap")


def pixels_of_fold(sheet: WideSheet) -> NDArray[np.float64]:
    """Return the places of the fold, (n, 2) `(x_mm, y_mm)` on the capture."""
    rows, cols = np.nonzero(sheet.scan.ink)
    return np.column_stack([cols + 0.5, rows + 0.5]) / DPI * 25.4
