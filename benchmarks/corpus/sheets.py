"""Sheets lying on the glass or fed, against backings of several kinds; where their edges are is known."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from benchmarks.corpus.pages import PRINT_KINDS, draw_page
from benchmarks.corpus.scanning import jpeg, light, noise
from papiermappe.core.geometry import mm_to_px, rotation_deg
from papiermappe.core.paper import A4, A5, ID_CARD, LETTER, PaperSize
from papiermappe.core.picture import Pixels

DPI = 300
GLASS_MM = (216.0, 305.0)
RECEIPT = PaperSize("Receipt", 80, 190)
BACKINGS = {"black": (8, 40), "grey": (85, 165), "white": (222, 252)}
LAYS = ("whole", "whole", "cut corners", "holes", "larger than the glass", "card", "receipt", "feeder")


@dataclass(frozen=True)
class LaidSheet:
    """A capture and the outlines of the sheets on it."""

    kind: str
    pixels: Pixels
    outlines: tuple[NDArray[np.float64], ...]
    """Corners `(x, y)` in px, pixel centres at whole numbers, (4, 2) each; they may lie outside of the capture."""


def laid_sheets(numbers: Iterable[int], seed: int) -> Iterator[LaidSheet]:
    """Yield captures at 300 dpi with one sheet each."""
    for at in numbers:
        hand = np.random.default_rng([seed, 17, at])
        lay, backing = LAYS[at % len(LAYS)], list(BACKINGS)[at % len(BACKINGS)]
        yield _laid(f"{lay}, {backing}", lay, backing, hand)


def several_sheets(numbers: Iterable[int], seed: int) -> Iterator[LaidSheet]:
    """Yield captures at 300 dpi with two to four receipts and cards on the glass."""
    for at in numbers:
        hand = np.random.default_rng([seed, 19, at])
        backing = list(BACKINGS)[at % len(BACKINGS)]
        bed = _bed(backing, hand)
        outlines = []
        for number in range(int(hand.integers(2, 5))):
            paper = ID_CARD if number % 2 else PaperSize("Receipt", 78, float(hand.uniform(70, 120)))
            x_mm, y_mm = 54 + 108 * (number % 2), 76 + 150 * (number // 2)
            centre_mm = (x_mm + float(hand.uniform(-4, 4)), y_mm + float(hand.uniform(-6, 6)))
            angle_deg = float(hand.uniform(-6, 6))
            outlines.append(_put(bed, _sheet(paper, "whole", hand), centre_mm, angle_deg, hand))
        yield LaidSheet(f"several, {backing}", _seen(bed, hand), tuple(outlines))


def glasses(numbers: Iterable[int], seed: int) -> Iterator[LaidSheet]:
    """Yield captures at 300 dpi with one to six originals on the glass, in two columns and three rows."""
    papers = (ID_CARD, PaperSize("Ticket", 66, 92), PaperSize("Receipt", 78, 88))
    for at in numbers:
        hand = np.random.default_rng([seed, 23, at])
        backing = list(BACKINGS)[at % len(BACKINGS)]
        bed = _bed(backing, hand)
        outlines = []
        cells = hand.permutation(6)[: int(hand.integers(1, 7))]
        for cell in sorted(int(one) for one in cells):
            paper = papers[int(hand.integers(len(papers)))]
            x_mm, y_mm = 54 + 108 * (cell % 2), 52 + 101 * (cell // 2)
            centre_mm = (x_mm + float(hand.uniform(-2, 2)), y_mm + float(hand.uniform(-2, 2)))
            tall = paper.height_mm > 90
            angle_deg = float(hand.uniform(-1.5, 1.5) if tall else hand.uniform(-5, 5))
            outlines.append(_put(bed, _sheet(paper, "whole", hand), centre_mm, angle_deg, hand))
        yield LaidSheet(f"{len(cells)} originals, {backing}", _seen(bed, hand), tuple(outlines))


def _laid(kind: str, lay: str, backing: str, hand: Generator) -> LaidSheet:
    paper = {"card": ID_CARD, "receipt": RECEIPT, "larger than the glass": PaperSize("Big", 225, 312)}.get(lay)
    paper = paper or (A4, A4, A5, LETTER)[int(hand.integers(4))]
    bed = _bed(backing, hand)
    max_deg = {"feeder": 1.5, "larger than the glass": 0.8}.get(lay, 8.0)
    angle_deg = float(hand.uniform(-max_deg, max_deg))
    cos, sin = np.abs(rotation_deg(angle_deg)[0])
    reach = np.array([paper.width_mm * cos + paper.height_mm * sin, paper.width_mm * sin + paper.height_mm * cos]) / 2
    room = np.maximum(np.array(GLASS_MM) - 2 * reach, 0)
    corner = hand.uniform(0.0, np.minimum(room, 25.0))
    if lay == "larger than the glass":
        corner = np.array([hand.uniform(1, 4), hand.uniform(1, 4)])
    outline = _put(
        bed,
        _sheet(paper, lay, hand),
        (float((corner + reach)[0]), float((corner + reach)[1])),
        angle_deg,
        hand,
    )
    return LaidSheet(kind, _seen(bed, hand), (outline,))


def _bed(backing: str, hand: Generator) -> NDArray[np.float32]:
    width, height = (round(mm_to_px(side, DPI)) for side in GLASS_MM)
    grey = float(hand.uniform(*BACKINGS[backing]))
    tint = np.float32(np.clip(grey + hand.uniform(-4, 4, 3), 0, 255))
    return np.full((height, width, 3), tint, np.float32)


def _sheet(paper: PaperSize, lay: str, hand: Generator) -> NDArray[np.float32]:
    """Return a printed sheet, (h, w, 4), its last channel how opaque it is."""
    kinds = [kind for kind in PRINT_KINDS if kind not in {"receipt", "bordered"}]
    drawn = draw_page(PRINT_KINDS["receipt" if paper.width_mm < 90 else str(hand.choice(kinds))], hand, DPI, paper)
    tint = np.array((255, hand.uniform(249, 255), hand.uniform(232, 253))) * hand.uniform(0.95, 1.0) / 255
    sheet = np.dstack([drawn * tint, np.full(drawn.shape[:2], 255.0)]).astype(np.float32)
    height, width = drawn.shape[:2]
    alpha = np.ascontiguousarray(sheet[..., 3])
    if lay == "cut corners":
        for corner in range(int(hand.integers(1, 4))):
            cut = mm_to_px(float(hand.uniform(4, 18)), DPI)
            x, y = (0, width)[corner % 2], (0, height)[corner // 2]
            to_x, to_y = cut if x == 0 else width - cut, cut if y == 0 else height - cut
            cv2.fillPoly(alpha, [np.array([(x, y), (to_x, y), (x, to_y)], np.int32)], 0)
    if lay == "holes":
        for y_mm in (paper.height_mm / 2 - 40, paper.height_mm / 2 + 40):
            centre = round(mm_to_px(12, DPI)), round(mm_to_px(y_mm, DPI))
            cv2.circle(alpha, centre, round(mm_to_px(3, DPI)), 0, -1, cv2.LINE_AA)
    sheet[..., 3] = alpha
    return sheet


def _put(
    bed: NDArray[np.float32],
    sheet: NDArray[np.float32],
    centre_mm: tuple[float, float],
    angle_deg: float,
    hand: Generator,
) -> NDArray[np.float64]:
    """Lay a sheet on the bed, with the shadow of its edges; return its outline."""
    height, width = sheet.shape[:2]
    matrix = np.empty((2, 3))
    matrix[:, :2] = rotation_deg(angle_deg)
    centre = np.array([mm_to_px(side, DPI) for side in centre_mm]) - 0.5
    matrix[:, 2] = centre - matrix[:, :2] @ np.array([(width - 1) / 2, (height - 1) / 2])
    size = bed.shape[1::-1]
    placed = cv2.warpAffine(sheet, matrix, size, flags=cv2.INTER_LINEAR, borderValue=(235, 235, 235, 0))
    alpha = placed[..., 3:] / 255
    shift = np.array([[1, 0, hand.uniform(-2, 7)], [0, 1, hand.uniform(-2, 7)]])
    solid = cv2.warpAffine(np.ascontiguousarray(alpha[..., 0]), shift, size)
    shadow = cv2.GaussianBlur(solid, (0, 0), float(hand.uniform(2.5, 7))) * float(hand.uniform(0.08, 0.35))
    bed *= 1 - shadow[..., None] * (1 - alpha)
    bed += (placed[..., :3] - bed) * alpha
    own = np.array([(-0.5, -0.5), (width - 0.5, -0.5), (width - 0.5, height - 0.5), (-0.5, height - 0.5)])
    return np.asarray(own @ matrix[:, :2].T + matrix[:, 2], np.float64)


def _seen(bed: NDArray[np.float32], hand: Generator) -> Pixels:
    height, width = bed.shape[:2]
    soft = np.asarray(cv2.GaussianBlur(bed, (0, 0), float(hand.uniform(0.4, 1.0))), np.float32)
    soft *= light(height, width, float(hand.uniform(0, 0.05)), hand)
    soft += noise(height, width, float(hand.uniform(0.8, 4.0)), hand, bool(hand.integers(2)))
    return jpeg(soft.clip(0, 255).astype(np.uint8), int(hand.integers(65, 95)))
