"""How alike pictures look, and what recognisers read in them."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.picture import Pixels, to_grey
from papiermappe.core.reading.page_text import PageText
from papiermappe.standin.paper.drawing import PrintedLine

WINDOW_SIGMA = 1.5
C1, C2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2
NEAR_MM = 1.0


def similarity(one: Pixels, other: Pixels, where: NDArray[np.bool_]) -> float:
    """Return the mean structural similarity of grey pictures in a place (Z. Wang et al., IEEE TIP 13, 2004)."""
    x, y = one.astype(np.float32), other.astype(np.float32)

    def mean(picture: NDArray[np.float32]) -> NDArray[np.float32]:
        return np.asarray(cv2.GaussianBlur(picture, (11, 11), WINDOW_SIGMA), np.float32)

    mx, my = mean(x), mean(y)
    vx, vy, cov = mean(x * x) - mx * mx, mean(y * y) - my * my, mean(x * y) - mx * my
    index = (2 * mx * my + C1) * (2 * cov + C2) / ((mx * mx + my * my + C1) * (vx + vy + C2))
    return float(index[where].mean())


def print_area(drawn: Pixels) -> NDArray[np.bool_]:
    """Return where print is, and two pixels around."""
    return np.asarray(cv2.dilate((to_grey(drawn) < 128).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0, np.bool_)


def lab(colour: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return a mean sRGB colour as CIE L*a*b*."""
    return np.asarray(cv2.cvtColor(np.float32(colour / 255).reshape(1, 1, 3), cv2.COLOR_RGB2LAB)[0, 0], np.float64)


def ciede2000(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Return how far two L*a*b* colours are apart (G. Sharma et al., Color Res. Appl. 30, 2005)."""
    c = (np.hypot(*one[1:]) + np.hypot(*other[1:])) / 2
    g = 0.5 * (1 - np.sqrt(c**7 / (c**7 + 25.0**7)))
    (l1, a1, b1), (l2, a2, b2) = one, other
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    dh = (h2 - h1 + 180) % 360 - 180 if c1 * c2 else 0.0
    dl, dc, d_hue = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    lm, cm = (l1 + l2) / 2, (c1 + c2) / 2
    hm = (h1 + dh / 2) % 360 if c1 * c2 else h1 + h2
    t = 1 - 0.17 * np.cos(np.radians(hm - 30)) + 0.24 * np.cos(np.radians(2 * hm))
    t += 0.32 * np.cos(np.radians(3 * hm + 6)) - 0.20 * np.cos(np.radians(4 * hm - 63))
    sl = 1 + 0.015 * (lm - 50) ** 2 / np.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    rt = -2 * np.sqrt(cm**7 / (cm**7 + 25.0**7)) * np.sin(np.radians(60 * np.exp(-(((hm - 275) / 25) ** 2))))
    return float(np.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (d_hue / sh) ** 2 + rt * dc / sc * d_hue / sh))


def errors(lines: Sequence[PrintedLine], read: PageText) -> tuple[int, int]:
    """Return how many characters are wrong, and how many there are: each word against what was read in its place."""
    found = [word for line in read.lines() for word in line.words]
    places = np.array([((w.box.left + w.box.right) / 2, (w.box.top + w.box.bottom) / 2) for w in found]).reshape(-1, 2)
    wrong = total = 0
    for line in lines:
        height_mm = line.size_pt * 0.3528
        level = (places[:, 1] > line.y_mm - height_mm) & (places[:, 1] < line.y_mm + height_mm / 2)
        for text, left_mm, right_mm in line.words():
            here = np.flatnonzero(level & (places[:, 0] > left_mm - NEAR_MM) & (places[:, 0] < right_mm + NEAR_MM))
            seen = "".join(found[at].text for at in sorted(here, key=lambda at: places[at, 0]))
            wrong += distance(text, seen)
            total += len(text)
    return wrong, total


def distance(one: str, other: str) -> int:
    """Return how many characters have to be changed, put in or left out (V. Levenshtein, 1966)."""
    row = list(range(len(other) + 1))
    for at, character in enumerate(one, 1):
        before, row[0] = row[0], at
        for to, second in enumerate(other, 1):
            before, row[to] = row[to], min(row[to] + 1, row[to - 1] + 1, before + (character != second))
    return row[-1]
