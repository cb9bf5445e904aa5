"""Piles of two-sided sheets, scanned one side after the other: which back belongs to which front is known."""

import io
from collections.abc import Callable
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from benchmarks.second.papers import DPI, FACES, Hand, Page, Paper, boxed, form, invoice, newspaper, plate, px, words
from papiermappe.core.picture import CapturedPicture

MARGIN_MM = 4.0
BACKING = (206, 208, 206)


class SheetOfPile(NamedTuple):
    """Both sides of a sheet as a one-sided scanner delivered them."""

    front: CapturedPicture
    back: CapturedPicture
    front_number: int | None
    """Printed on it and read, perhaps wrongly."""
    back_number: int | None


class Pile(NamedTuple):
    """A pile in its right order."""

    kind: str
    sheets: list[SheetOfPile]
    again: dict[tuple[int, bool], CapturedPicture]
    """A second scan of some sides, by sheet and whether it is the back."""


def _prose(hand: Hand) -> Paper:
    page, face = Page(hand, "A4"), str(hand.choice(FACES))
    y = float(hand.uniform(18, 60))
    while y < 240:
        y = page.paragraph(24, y, 162, int(hand.integers(2, 9)), 10.5, face) + 4
    return page.done("prose")


def _few_words(hand: Hand) -> Paper:
    page = Page(hand, "A4")
    for _ in range(int(hand.integers(2, 6))):
        page.text(float(hand.uniform(15, 90)), float(hand.uniform(20, 260)), words(hand, 4), 11)
    return page.done("few words")


KINDS: dict[str, Callable[[Hand], Paper]] = {
    "prose": _prose, "invoice": invoice, "newspaper": newspaper, "form": form, "plate": plate,
    "boxed": boxed, "few words": _few_words,
}  # fmt: skip


def pile(number: int, seed: int, kind: str | None = None, shows_through: bool = True) -> Pile:
    """Return a pile of 5 to 40 sheets; the kinds come in turn.

    Args:
        number: of the pile.
        seed: of all piles.
        kind: of its pages; None: by its number.
        shows_through: whether its paper lets print through.
    """
    hand = np.random.default_rng([seed, number, 5])
    kind = kind or list(KINDS)[number % len(KINDS)]
    count = int(hand.integers(5, 41))
    through = float(hand.uniform(0.025, 0.05)) if shows_through else 0.0
    grain = float(hand.uniform(1.0, 3.0))
    numbered = shows_through and hand.random() < 0.7
    blanks = float(hand.choice([0.0, 0.0, 0.15]))
    twice = {(int(hand.integers(count)), bool(hand.integers(2))) for _ in range(3)} if shows_through else set()
    sheets, again = [], {}
    for at in range(count):
        front = KINDS[kind](hand)
        back = Page(hand, "A4").done("blank") if hand.random() < blanks else KINDS[kind](hand)
        sides = [_scanned(one, other, through, grain, hand) for one, other in ((front, back), (back, front))]
        numbers = [_read(2 * at + 1 + more, hand) if numbered else None for more in (0, 1)]
        sheets.append(SheetOfPile(sides[0], sides[1], *numbers))
        for is_back, (one, other) in enumerate(((front, back), (back, front))):
            if (at, bool(is_back)) in twice:
                again[at, bool(is_back)] = _scanned(one, other, through, grain, hand)
    return Pile(kind, sheets, again)


def _read(number: int, hand: Hand) -> int | None:
    """Return what is read of a page's number: on a third of the pages, and now and then wrong."""
    if hand.random() > 1 / 3:
        return None
    return int(hand.integers(1, 400)) if hand.random() < 0.04 else number


def _scanned(side: Paper, other: Paper, through: float, grain: float, hand: Hand) -> CapturedPicture:
    """Scan a side in colour, the other shining through it."""
    behind = 255 - other.picture[:, ::-1].astype(np.float32)
    softened = cv2.GaussianBlur(behind, (0, 0), px(float(hand.uniform(0.3, 0.7))))
    sheet = np.clip(side.picture.astype(np.float32) - through * softened, 0, 255)
    size = px(side.width_mm + 2 * MARGIN_MM), px(side.height_mm + 2 * MARGIN_MM)
    turn = cv2.getRotationMatrix2D((sheet.shape[1] / 2, sheet.shape[0] / 2), float(hand.normal(0, 0.35)), 1.0)
    turn[:, 2] += tuple(round(float(share) * px(MARGIN_MM)) for share in hand.uniform(0.6, 1.4, 2))
    laid = cv2.warpAffine(sheet, turn, size, flags=cv2.INTER_CUBIC, borderValue=BACKING)
    return CapturedPicture(_jpeg(laid * _fall(size, hand) + hand.normal(0, grain, laid.shape), hand), float(DPI))


def _fall(size: tuple[int, int], hand: Hand) -> NDArray[np.float32]:
    """Return how light falls off, (h, w, 1)."""
    across = np.linspace(1.0, float(hand.uniform(0.94, 1.0)), size[0])[None]
    down = np.linspace(float(hand.uniform(0.96, 1.0)), 1.0, size[1])[:, None]
    return np.asarray((across * down)[..., None], np.float32)


def _jpeg(levels: NDArray[np.floating[Any]], hand: Hand) -> bytes:
    out = io.BytesIO()
    picture = Image.fromarray(np.clip(levels, 0, 255).astype(np.uint8))
    picture.save(out, "JPEG", quality=int(hand.integers(78, 94)), dpi=(DPI, DPI))
    return out.getvalue()
