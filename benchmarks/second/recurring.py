"""Piles whose pages share holes, staples, folds, dust and shadows, drawn by another hand to measure by."""

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFilter

from benchmarks.corpus.recurring import Thing, TruePile
from benchmarks.second.papers import DPI, Hand, Page, Paper, words
from benchmarks.second.scans import sensed
from papiermappe.core.picture import CapturedPicture

A4_MM = (210.0, 297.0)
MARGIN_MM = 4.0


def pile(number: int, seed: int) -> TruePile:
    """Draw a pile of 6 to 20 sheets of one kind."""
    hand = np.random.default_rng([seed, number, 77])
    dark_lid = bool(hand.random() < 0.4)
    things = _things(hand)
    draw_head = _head(hand) if hand.random() < 0.6 else None
    kind = int(hand.integers(4))
    captures, prints = [], []
    for _ in range(int(hand.integers(6, 21))):
        paper = _paper(kind, draw_head, hand)
        prints.append(_print_of(paper.ink))
        captures.append(_scan(paper, things, dark_lid, hand))
    return TruePile(captures, things, prints, dark_lid)


def _paper(kind: int, draw_head: Callable[[Page], None] | None, hand: Hand) -> Paper:
    tint = int(hand.integers(244, 254))
    page = Page(hand, "A4", (tint, tint - 1, tint - int(hand.integers(2, 14))))
    if draw_head is not None:
        draw_head(page)
    if kind == 0:
        y = 60.0
        while y < 250:
            y = page.paragraph(26, y, 160, int(hand.integers(3, 8)), 10.5) + 5
    elif kind == 1:
        for row in range(int(hand.integers(8, 20))):
            page.line(24, 70 + row * 9, 190, 70 + row * 9, 0.2)
            page.text(27, 72 + row * 9, words(hand, 3), 9)
            page.text(165, 72 + row * 9, f"{hand.uniform(1, 900):.2f}", 9)
    elif kind == 2:
        for column in range(2):
            page.paragraph(25 + 84 * column, 55, 78, int(hand.integers(20, 52)), 8.5, "")
        page.line(107, 55, 107, 270, 0.25)
    else:
        for _ in range(int(hand.integers(2, 7))):
            page.scribble(float(hand.uniform(25, 60)), float(hand.uniform(60, 260)), float(hand.uniform(40, 110)))
    return page.done("pile")


def _head(hand: Hand) -> Callable[[Page], None]:
    """Return what draws the same head on each page: a ring, a title, a short rule."""
    title, x, y = words(hand, 2).upper(), float(hand.uniform(14, 170)), float(hand.uniform(9, 24))
    ring, colour = float(hand.uniform(5, 12)), str(hand.choice(["#803020", "#203060", "#2a2a2a"]))

    def draw(page: Page) -> None:
        for drawing, fill in page.inks(colour):
            scale = DPI / 25.4
            drawing.ellipse([x * scale, y * scale, (x + ring) * scale, (y + ring) * scale], outline=fill, width=4)
        page.text(30, 28, title, 17, "VeraBd.ttf")
        page.line(14, 40, 26, 40, 0.7)

    return draw


def _things(hand: Hand) -> list[Thing]:
    things: list[Thing] = []
    if hand.random() < 0.55:
        from_edge, wide = float(hand.uniform(10, 14)), float(hand.choice([5.5, 6.0, 7.0, 8.0]))
        level = int(hand.choice([30, 128, 205, 230, 246]))
        spots = {80: (108.5, 188.5), 70: (113.5, 183.5), 108: (40.5, 148.5, 256.5), 4: (28.5, 108.5, 188.5, 268.5)}
        along = spots[int(hand.choice(list(spots)))]
        things += [Thing("hole", from_edge, place, wide, wide, shade=level) for place in along]
    if hand.random() < 0.45:
        slant, long = float(hand.choice([45.0, 38.0, -50.0, 12.0, 75.0, 0.0])), float(hand.uniform(10, 12.5))
        x, y = (float(place) for place in hand.uniform(7, 16, 2))
        things.append(Thing("staple", x, y, long, 0.6, slant, int(hand.choice([70, 120, 165]))))
    for _ in range(int(hand.choice([0, 0, 0, 1, 2]))):
        x, wide = float(hand.uniform(20, 190)), float(hand.uniform(0.15, 0.35))
        things.append(Thing("dust_line", x, 148, wide, 297, shade=int(hand.uniform(18, 70))))
    if hand.random() < 0.25:
        edge, deep = int(hand.integers(4)), float(hand.uniform(1.5, 5.0))
        things.append(Thing("edge_shadow", edge, 0, 0, deep, shade=int(hand.uniform(50, 140))))
    if hand.random() < 0.25:
        things.append(Thing("fold", 105, 48.0 + float(hand.uniform(-4, 4)), 210, 5, shade=int(hand.uniform(12, 40))))
    return things


def _print_of(ink: NDArray[np.bool_]) -> NDArray[np.bool_]:
    cells = cv2.resize(ink.astype(np.uint8) * np.uint8(255), (210, 297), interpolation=cv2.INTER_AREA)
    return np.asarray(cells > 8, np.bool_)


def _scan(paper: Paper, things: list[Thing], dark_lid: bool, hand: Hand) -> CapturedPicture:
    scale = DPI / 25.4
    sheet = Image.fromarray(paper.picture).convert("RGB")
    shades = Image.new("L", sheet.size, 0)
    for thing in things:
        if hand.random() < 0.04:
            continue
        x, y = thing.x_mm + float(hand.uniform(-0.6, 0.6)), thing.y_mm + float(hand.uniform(-0.6, 0.6))
        if thing.kind == "hole":
            _punch(sheet, x * scale, y * scale, thing, scale)
        if thing.kind == "staple":
            _staple(sheet, x * scale, y * scale, thing, scale, hand)
        if thing.kind == "edge_shadow":
            turned = shades.rotate(90 * int(thing.x_mm), expand=True)  # this edge comes to lie at the top
            depth = thing.height_mm * scale * float(hand.uniform(0.8, 1.1))
            draw = ImageDraw.Draw(turned)
            for row in range(int(depth)):
                draw.line([(0, row), (turned.width, row)], fill=int(thing.shade * (1 - row / depth) ** 0.7))
            shades = turned.rotate(-90 * int(thing.x_mm), expand=True)
        if thing.kind == "fold":
            down = np.abs(np.arange(sheet.height) / scale - y)
            valley = (thing.shade * np.exp(-((down / 1.3) ** 2))).astype(np.uint8)
            shades = Image.fromarray(np.maximum(np.asarray(shades), valley[:, None]))
    body = np.asarray(sheet, np.float32) - np.asarray(shades, np.float32)[..., None]
    lean = float(hand.normal(0, 0.6))
    size = (round((A4_MM[0] + 2 * MARGIN_MM) * scale), round((A4_MM[1] + 2 * MARGIN_MM) * scale))
    turn = cv2.getRotationMatrix2D((sheet.width / 2, sheet.height / 2), lean, 1.0)
    turn[:, 2] += np.asarray((MARGIN_MM + hand.normal(0, 0.4, 2)) * scale)
    lid = (36.0, 38.0, 40.0) if dark_lid else (233.0, 235.0, 236.0)
    laid = cv2.warpAffine(body.clip(0, 255), turn, size, flags=cv2.INTER_LINEAR, borderValue=lid)
    for thing in things:
        if thing.kind == "dust_line":
            at = (thing.x_mm + 3.0 + float(hand.uniform(-0.2, 0.2))) * scale
            across = np.arange(size[0]) + 0.5
            laid -= (thing.shade * np.exp(-(((across - at) / (thing.width_mm * scale / 1.7)) ** 2)))[None, :, None]
    return CapturedPicture(sensed(np.asarray(laid, np.float32), hand, None), float(DPI))


def _punch(sheet: Image.Image, x: float, y: float, thing: Thing, scale: float) -> None:
    radius = thing.width_mm / 2 * scale
    disc = Image.new("L", sheet.size, 0)
    ImageDraw.Draw(disc).ellipse([x - radius, y - radius, x + radius, y + radius], fill=255)
    inside = Image.new("RGB", sheet.size, (thing.shade,) * 3)
    shadow = Image.new("L", sheet.size, 0)
    ImageDraw.Draw(shadow).ellipse([x - radius + 3, y - radius + 4, x + radius + 3, y + radius + 4], fill=255)
    crescent = Image.fromarray(255 - np.asarray(shadow.filter(ImageFilter.GaussianBlur(1.5)))).point(
        lambda level: int(level * 0.2)
    )
    inside.paste((0, 0, 0), (0, 0), crescent)
    sheet.paste(inside, (0, 0), disc.filter(ImageFilter.GaussianBlur(0.6)))


def _staple(sheet: Image.Image, x: float, y: float, thing: Thing, scale: float, hand: Hand) -> None:
    angle = np.radians(thing.turned_deg + float(hand.uniform(-4, 4)))
    along = np.array([np.cos(angle), -np.sin(angle)])
    across = np.array([along[1], -along[0]])
    long, wide = thing.width_mm / 2 * scale, 0.35 * scale
    draw = ImageDraw.Draw(sheet)
    for offset, level in ((0.0, thing.shade), (-0.35 * wide, min(255, thing.shade + 80))):
        half = wide if level == thing.shade else 0.3 * wide
        middle = np.array([x, y]) + across * offset
        corners = [
            middle + way * along * long + side * across * half for way, side in ((-1, -1), (1, -1), (1, 1), (-1, 1))
        ]
        draw.polygon([tuple(corner.tolist()) for corner in corners], fill=(level,) * 3)
