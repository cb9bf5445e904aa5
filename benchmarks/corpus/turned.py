"""Pages of text lying in all four ways, a little skewed."""

from collections.abc import Callable, Iterable, Iterator

import cv2
import numpy as np
from numpy.random import Generator

from benchmarks.corpus.pages import TEXT_KINDS, draw_page
from benchmarks.corpus.scanning import scanned
from papiermappe.core.picture import Pixels
from papiermappe.standin.paper.drawing import Drawing

DPI = 300


def turned_pages(numbers: Iterable[int], seed: int) -> Iterator[tuple[str, Pixels, int]]:
    """Yield kind, page at 300 dpi, and by how many quarters counter-clockwise it must be turned to stand upright."""
    for at in numbers:
        hand = np.random.default_rng([seed, 13, at])
        kind, draw = list(TEXT_KINDS.items())[at % len(TEXT_KINDS)]
        turns = int(hand.integers(4))
        yield kind, np.ascontiguousarray(np.rot90(_page(draw, hand), -turns)), turns


def _page(draw: Callable[[Drawing, Generator], None], hand: Generator) -> Pixels:
    page = draw_page(draw, hand, DPI)
    height, width = page.shape[:2]
    skew = cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), float(hand.normal(0, 1.2)), 1.0)
    skewed = cv2.warpAffine(page, skew, (width, height), borderValue=(255, 255, 255))
    return scanned(np.asarray(skewed, np.uint8), hand, DPI)
