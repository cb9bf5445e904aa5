"""Piles whose pages share holes, staples, dust and shadows, and letterheads that are to stay: drawn to tune by."""

from collections.abc import Callable
from typing import NamedTuple

import cv2
import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from benchmarks.corpus.pages import PRINT_KINDS, draw_page
from benchmarks.corpus.scanning import scanned
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.picture import CapturedPicture, Pixels

DPI = 150
KINDS = ("letter", "form", "table", "two columns", "sparse", "ruled handwriting")


class Thing(NamedTuple):
    """Something that the pages of a pile share, and that is not theirs."""

    kind: str
    x_mm: float
    y_mm: float
    """Its middle on the sheet; of a line of dust, on the scan."""
    width_mm: float
    height_mm: float
    turned_deg: float = 0.0
    shade: int = 0


class TruePile(NamedTuple):
    """Scans of one side, and what they share."""

    captures: list[CapturedPicture]
    things: list[Thing]
    print_mm: list[NDArray[np.bool_]]
    """Where each sheet is printed, a cell a mm, rows from the top."""
    dark_lid: bool
    """Whether what is left of the lid along an edge is a shadow, too."""


def pile(number: int, seed: int) -> TruePile:
    """Draw a pile."""
    hand = np.random.default_rng([seed, number])
    kind = KINDS[number % len(KINDS)]
    count = int(hand.integers(5, 12))
    things = _things(hand)
    head = _head(hand) if hand.random() < 0.5 else None
    lid = (40, 42, 44) if hand.random() < 0.5 else (244, 244, 242)
    captures, prints = [], []
    for _ in range(count):
        page = draw_page(PRINT_KINDS[kind], hand, DPI).copy()
        if head is not None:
            head(page)
        prints.append(_print_of(page))
        for thing in things:
            if hand.random() < 0.93 and thing.kind != "dust_line":
                _draw(page, thing, hand)
        captures.append(CapturedPicture(encode_jpeg(_scan(page, things, lid, hand), 85), float(DPI)))
    return TruePile(captures, things, prints, lid[0] < 100)


def _px(mm: float) -> float:
    return mm / 25.4 * DPI


def _print_of(page: Pixels) -> NDArray[np.bool_]:
    ink = (page.min(axis=2) < 160).astype(np.uint8)
    return np.asarray(cv2.resize(ink * np.uint8(255), (210, 297), interpolation=cv2.INTER_AREA) > 8, np.bool_)


def _head(hand: Generator) -> Callable[[Pixels], None]:
    """Return what draws a letterhead with a round logo and short rules, as they lie near holes and staples."""
    x, y, radius = float(hand.uniform(12, 190)), float(hand.uniform(10, 22)), float(hand.uniform(2.5, 6))
    title = "".join(chr(65 + int(hand.integers(26))) for _ in range(9))

    def draw(page: Pixels) -> None:
        cv2.circle(
            page, (round(_px(x)), round(_px(y))), round(_px(radius)), (70, 40, 90), max(2, round(_px(0.5))), cv2.LINE_AA
        )
        cv2.putText(
            page, title, (round(_px(30)), round(_px(18))), cv2.FONT_HERSHEY_SIMPLEX, 1.2, (40, 40, 40), 2, cv2.LINE_AA
        )
        cv2.line(page, (round(_px(15)), round(_px(24))), (round(_px(27)), round(_px(24))), (60, 60, 60), 3)

    return draw


def _things(hand: Generator) -> list[Thing]:
    things: list[Thing] = []
    if hand.random() < 0.6:
        x = float(hand.uniform(9.5, 13)) if hand.random() < 0.6 else 210 - float(hand.uniform(9.5, 13))
        shade = int(hand.choice([22, 110, 215, 238, 252]))
        wide = float(hand.uniform(5.2, 7.0))
        along = (108.5, 188.5) if hand.random() < 0.7 else (28.5, 108.5, 188.5, 268.5)
        things += [Thing("hole", x, y, wide, wide, shade=shade) for y in along]
    if hand.random() < 0.4:
        x, y = hand.uniform(8, 18, 2)
        x = x if hand.random() < 0.6 else 210 - x
        turned = float(hand.choice([0, 90, 45, -45, 30, -60])) + float(hand.normal(0, 4))
        long = float(hand.uniform(9, 13))
        things.append(Thing("staple", float(x), float(y), long, 0.6, turned, int(hand.choice([90, 150]))))
    if hand.random() < 0.4:
        x, wide = float(hand.uniform(15, 195)), float(hand.uniform(0.12, 0.4))
        things.append(Thing("dust_line", x, 148, wide, 297, shade=int(hand.uniform(14, 60))))
    if hand.random() < 0.3:
        edge, deep = int(hand.integers(4)), float(hand.uniform(1.0, 4.0))
        things.append(Thing("edge_shadow", edge, 0, 0, deep, shade=int(hand.uniform(60, 170))))
    return things


def _draw(page: Pixels, thing: Thing, hand: Generator) -> None:
    x, y = thing.x_mm + float(hand.normal(0, 0.35)), thing.y_mm + float(hand.normal(0, 0.35))
    if thing.kind == "hole":
        centre, radius = (round(16 * _px(x)), round(16 * _px(y))), round(16 * _px(thing.width_mm / 2))
        rim = max(0, thing.shade - int(hand.uniform(12, 40)))
        cv2.circle(page, centre, radius, (rim,) * 3, -1, cv2.LINE_AA, 4)
        cv2.circle(page, (centre[0] + 10, centre[1] + 14), radius - 14, (thing.shade,) * 3, -1, cv2.LINE_AA, 4)
    if thing.kind == "staple":
        angle = np.radians(thing.turned_deg + float(hand.normal(0, 2)))
        reach = np.array([np.cos(angle), -np.sin(angle)]) * thing.width_mm / 2
        ends = [
            tuple(np.rint(16 * np.array([_px(x + way * reach[0]), _px(y + way * reach[1])])).astype(int).tolist())
            for way in (1, -1)
        ]
        cv2.line(page, ends[0], ends[1], (thing.shade,) * 3, max(2, round(_px(0.75))), cv2.LINE_AA, 4)
        if thing.shade > 100:
            cv2.line(page, ends[0], ends[1], (235,) * 3, 1, cv2.LINE_AA, 4)
    if thing.kind == "edge_shadow":
        edge = np.rot90(page, int(thing.x_mm))
        wide = round(_px(thing.height_mm * float(hand.uniform(0.8, 1.15))))
        fall = np.linspace(1, 0.3, max(1, wide))[:, None, None] * thing.shade
        edge[:wide] = np.clip(edge[:wide] - fall, 0, 255).astype(np.uint8)


def _scan(page: Pixels, things: list[Thing], lid: tuple[int, int, int], hand: Generator) -> Pixels:
    """Lay the sheet on a black or white lid a little askew, and draw the dust of the scanner."""
    height, width = page.shape[:2]
    rim = round(_px(3))
    turn = cv2.getRotationMatrix2D((width / 2, height / 2), float(hand.normal(0, 0.5)), 1.0)
    turn[:, 2] += np.array([rim + _px(float(hand.normal(0, 0.5))) for _ in range(2)])
    size = width + 2 * rim, height + 2 * rim
    laid = cv2.warpAffine(page, turn, size, flags=cv2.INTER_CUBIC, borderValue=lid)
    sheet = cv2.warpAffine(np.full(page.shape[:2], 255, np.uint8), turn, size)
    shadow = cv2.GaussianBlur(np.roll(sheet, (5, 4), (0, 1)), (0, 0), 4).astype(np.float32) / 255 * (sheet == 0)
    seen = laid * (1 - 0.3 * shadow[..., None])
    for thing in things:
        if thing.kind == "dust_line" and hand.random() < 0.95:
            wander = float(hand.normal(0, 0.12))
            left, right = (_px(thing.x_mm + 3 + wander + way * thing.width_mm / 2) for way in (-1, 1))
            columns = np.arange(size[0])
            cover = np.clip(np.minimum(columns + 1, right) - np.maximum(columns, left), 0, 1)
            seen = seen - (cover * thing.shade)[None, :, None]
    return scanned(np.clip(seen, 0, 255).astype(np.uint8), hand, DPI, 0.06)
