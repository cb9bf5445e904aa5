"""Spreads of booklets, whose fold is known."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from benchmarks.corpus.pages import draw_page, prose
from benchmarks.corpus.scanning import scanned
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.paper import A4, A5, PaperSize
from papiermappe.core.picture import Pixels
from papiermappe.standin.paper.drawing import Drawing

DPI = 150


@dataclass(frozen=True)
class TrueSpread:
    """A spread and where its fold is."""

    kind: str
    pixels: Pixels
    fold_px: NDArray[np.float64]
    """The column of the fold in each row."""


def spreads(numbers: Iterable[int], seed: int) -> Iterator[TrueSpread]:
    """Yield spreads at 150 dpi with a straight, slanting or curved fold shadow, or with white space only."""
    for at in numbers:
        hand = np.random.default_rng([seed, 29, at])
        kind = ("straight", "slanting", "curved", "space")[at % 4]
        yield _spread(kind, hand)


def _spread(kind: str, hand: Generator) -> TrueSpread:
    paper = A5 if hand.integers(2) else A4
    left, right = (draw_page(lambda page, own: _leaf(page, own), hand, DPI, paper) for _ in range(2))
    height, width = left.shape[:2]
    beyond = round(mm_to_px(float(hand.uniform(0, 12)), DPI))
    flat = np.hstack([left, right, np.full((height, beyond, 3), 255, np.uint8)])
    flat = np.roll(flat, beyond // 2 if kind != "space" else 0, axis=1)
    middle = width - 0.5 + (beyond // 2 if kind != "space" else 0)
    down = np.linspace(-1, 1, height)
    slant = float(hand.uniform(-0.02, 0.02)) * height / 2 if kind != "straight" and kind != "space" else 0.0
    bend = float(hand.uniform(-1, 1)) * mm_to_px(2.5, DPI) if kind == "curved" else 0.0
    fold = middle + slant * down + bend * (down**2 - 0.5)
    picture = flat.astype(np.float32)
    if kind == "space":
        picture = picture[:, : 2 * width]
    else:
        cols = np.arange(flat.shape[1], dtype=np.float32)[None, :] - (fold - middle).astype(np.float32)[:, None]
        rows = np.repeat(np.arange(height, dtype=np.float32)[:, None], flat.shape[1], axis=1)
        bent = cv2.remap(picture, cols, rows, cv2.INTER_LINEAR, borderValue=(255, 255, 255))
        picture = np.asarray(bent, np.float32)
        picture *= 1 - _valley(fold, picture.shape[1], hand)[..., None]
    tint = np.array((255, hand.uniform(247, 255), hand.uniform(228, 255))) * hand.uniform(0.93, 1) / 255
    return TrueSpread(kind, scanned((picture * tint).clip(0, 255).astype(np.uint8), hand, DPI), fold)


def _valley(fold: NDArray[np.float64], width: int, hand: Generator) -> NDArray[np.float32]:
    """Return how much of the light is lost beside the fold, (h, w)."""
    away = np.arange(width, dtype=np.float32)[None, :] - fold.astype(np.float32)[:, None]
    soft, sharp = (mm_to_px(float(hand.uniform(*reach)), DPI) for reach in ((2, 8), (0.15, 0.6)))
    deep = float(hand.uniform(0.06, 0.45))
    shade = deep * np.exp(-np.abs(away) / soft)
    shade += float(hand.uniform(0, 0.35)) * np.exp(-((away / sharp) ** 2))
    return np.asarray(shade.clip(0, 0.95), np.float32)


def _leaf(page: Drawing, hand: Generator) -> None:
    paper: PaperSize = page.paper
    inner = float(hand.uniform(13, 20))
    if hand.random() < 0.2:
        page.box(inner, inner + 6, paper.width_mm - 2 * inner, paper.height_mm / 3, "#6c7a70", None)
        prose(page, hand, inner, paper.height_mm / 2, paper.width_mm - 2 * inner, paper.height_mm - 40, 9.5)
    elif hand.random() < 0.9:
        until_mm = float(hand.uniform(0.5, 0.85)) * paper.height_mm
        prose(page, hand, inner, inner + 8, paper.width_mm - 2 * inner, until_mm, float(hand.uniform(8, 11)))
    page.text(paper.width_mm / 2, paper.height_mm - 10, str(int(hand.integers(1, 99))), 9)
