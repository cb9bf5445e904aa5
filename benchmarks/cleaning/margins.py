"""Margins: how far the text blocks of a booklet lie apart once they are lined up.

Leaves of different length, some of them first pages of chapters; each printed a little off its place, laid a little
slanting and scanned with noise. Where a block lies in the end is worked out from how it was drawn and laid, not found.
"""

from decimal import Decimal
from typing import NamedTuple

import numpy as np
from numpy.random import Generator

from benchmarks.corpus.pages import prose
from benchmarks.table import Row, percent, scaled
from papiermappe.core.analysis import analyse
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.geometry import Point, rotation_deg
from papiermappe.core.operations import AlignMargins, PageState
from papiermappe.core.order.places import Side
from papiermappe.core.paper import A5
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import page_box
from papiermappe.standin.paper.drawing import Drawing, draw_side
from papiermappe.standin.paper.physics import Lay, Optics, Region, scan

BOOKLETS, LEAVES = 5, 40
DPI = 200
GLASS = Region(0, 0, 165, 225)
FRONT_MM, BACK_MM, TOP_MM, WIDE_MM, FOOT_MM = 20.0, 16.0, 22.0, 112.0, 196.0
CAPITAL_MM = 2.45  # a line begins as much above its feet, at 10.5 pt
LIMIT_PX = 10_000_000


class _Leaf(NamedTuple):
    page: PageState
    begins: Point
    """The top left of its print, on the capture, as it was drawn."""
    is_chapter: bool


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    off_mm: list[float] = []
    for at in range(scaled(BOOKLETS, share)):
        off_mm += _off_mm(np.random.default_rng([seed, 71, at]))
    apart = np.array(off_mm)
    return [
        Row("text blocks within 0.3 mm of most, left and top", percent(float((apart <= 0.3).mean())), "100 %"),
        Row("mean; farthest", f"{apart.mean():.2f}; {apart.max():.2f} mm", "0.3 mm"),
    ]


def _off_mm(hand: Generator) -> list[float]:
    """Return of each page how far its print is from where it is on most pages: the left and the top."""
    leaves = [_leaf(number, hand) for number in range(1, LEAVES + 1)]
    operation = AlignMargins(pages=tuple(leaf.page.id for leaf in leaves), across="inner")
    changes = operation.apply([leaf.page for leaf in leaves])
    places = []
    for leaf in leaves:
        treatment = leaf.page.treatment
        moved = treatment.model_copy(
            update={"margins": changes.get(leaf.page.id, {}).get("margins", treatment.margins)}
        )
        places.append(page_box(*leaf.page.scan_mm, moved).on_page([leaf.begins], treatment.quarter_turns)[0])
    apart: list[float] = []
    for side in Side:
        of_side = np.array([place for leaf, place in zip(leaves, places, strict=True) if leaf.page.side is side])
        apart += np.abs(of_side[:, 0] - np.median(of_side[:, 0])).tolist()
    tops = np.array([place[1] for leaf, place in zip(leaves, places, strict=True) if not leaf.is_chapter])
    return [*apart, *np.abs(tops - np.median(tops)).tolist()]


def _leaf(number: int, hand: Generator) -> _Leaf:
    side = Side.FRONT if number % 2 else Side.BACK
    off = hand.uniform(-3, 3, 2)
    is_chapter = number % 9 == 1
    left_mm = (FRONT_MM if side is Side.FRONT else BACK_MM) + float(off[0])
    top_mm = TOP_MM + float(off[1]) + (38.0 if is_chapter else 0.0)
    until_mm = float(hand.uniform(top_mm + 25, FOOT_MM - 45))

    def draw(page: Drawing) -> None:
        prose(page, hand, left_mm, top_mm + CAPITAL_MM, WIDE_MM, until_mm, 10.5)
        page.text(left_mm + WIDE_MM / 2, FOOT_MM + float(off[1]), str(number), 10)

    drawn = draw_side(A5, draw)
    lay = Lay((GLASS.width_mm / 2, GLASS.height_mm / 2), float(hand.uniform(-1.5, 1.5)))
    picture = scan(drawn, None, lay, Optics((206, 210, 212), 2.5, shadow=0.3), GLASS, DPI, number)
    capture = CapturedPicture(encode_jpeg(picture, 90), DPI, LIMIT_PX)
    found = analyse(capture, TurnEstimate(0, 1.0))
    own = np.array([left_mm - A5.width_mm / 2, top_mm - A5.height_mm / 2])
    x_mm, y_mm = rotation_deg(lay.angle_deg) @ own + np.array(lay.centre_mm)
    page = PageState(
        number, 1, Decimal(number), side, False, found.treatment, number,
        scan_mm=(GLASS.width_mm, GLASS.height_mm), printed_area=found.printed_area,
    )  # fmt: skip
    return _Leaf(page, (float(x_mm), float(y_mm)), is_chapter)
