"""Camera pictures of a sheet on a table: tables of many kinds, other papers, shadows, fingers, curl, a lens."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
import numpy.typing as npt
from numpy.random import Generator
from numpy.typing import NDArray

from benchmarks.corpus.pages import PRINT_KINDS, draw_page
from benchmarks.corpus.scanning import jpeg, light, noise
from papiermappe.core.paper import A4, A5, LETTER, PaperSize
from papiermappe.core.picture import Pixels

SIZE_PX = (1536, 2048)  # height, width
PAGE_DPI = 150
PLAIN = {
    "dark wood": (70, 48, 34),
    "light wood": (176, 140, 100),
    "slate": (62, 66, 72),
    "grey cloth": (140, 140, 138),
    "green mat": (60, 110, 84),
}
TABLES = (*PLAIN, "weave", "tiles", "checks", "pale", "papers", "pens")
RECEIPT, CARD, SQUARE = PaperSize("Receipt", 80, 190), PaperSize("Card", 105, 74), PaperSize("Square", 160, 150)
PAPERS = (A4, LETTER, A5, A4, RECEIPT, A4, CARD, LETTER, SQUARE, A4)
TROUBLES = ("none", "none", "corner outside", "fingers", "shadow", "curl", "lens", "tinted")

Scene = NDArray[np.float32]


def _f32(values: npt.ArrayLike) -> NDArray[np.float32]:
    return np.asarray(values, np.float32)


@dataclass(frozen=True)
class TruePhoto:
    """A photo, and where the corners of the sheet are on it."""

    kind: str
    trouble: str
    pixels: Pixels
    corners_px: NDArray[np.float64]
    """`(x, y)`, (4, 2): top left, top right, bottom right, bottom left of the sheet as it is seen."""
    paper: PaperSize


class Camera(NamedTuple):
    """A pinhole with a lens."""

    homography: NDArray[np.float64]
    """(3, 3): from px of a sheet to the picture, before the lens."""
    bend: float
    """By how much the lens bends: at the picture's half diagonal, as a share."""

    def through_lens(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where places of the straight picture are seen."""
        middle, reach = _middle()
        seen = places - middle
        for _ in range(12):
            seen = (places - middle) / (1 + self.bend * (np.linalg.norm(seen / reach, axis=-1) ** 2)[..., None])
        return np.asarray(seen + middle)

    def before_lens(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where places of the picture would be seen without the lens."""
        middle, reach = _middle()
        away = places - middle
        return np.asarray(middle + away * (1 + self.bend * (np.linalg.norm(away / reach, axis=-1) ** 2)[..., None]))


def photos(numbers: Iterable[int], seed: int) -> Iterator[TruePhoto]:
    """Yield photos by a camera that looks at a table from a slanting place."""
    for at in numbers:
        hand = np.random.default_rng([seed, 31, at])
        table, trouble = TABLES[at % len(TABLES)], str(hand.choice(TROUBLES))
        yield _photo(table, trouble, PAPERS[at % len(PAPERS)], hand)


def _photo(table: str, trouble: str, paper: PaperSize, hand: Generator) -> TruePhoto:
    height, width = SIZE_PX
    sheet = _sheet(paper, hand, tinted=trouble == "tinted")
    camera, corners = _seen_from(sheet.shape[1], sheet.shape[0], hand, trouble)
    scene = _table(table, sheet, hand)
    for beneath in range(int(hand.integers(1, 4)) if table == "papers" else 0):
        other, _ = _seen_from(sheet.shape[1], sheet.shape[0], hand, "beneath")
        lower = sheet if beneath == 0 else _sheet(paper, hand, tinted=bool(hand.integers(2)))
        _lay(scene, lower, other._replace(bend=camera.bend), hand, 0.0)
    bow = float(hand.uniform(0.008, 0.03)) if trouble == "curl" else 0.0
    _lay(scene, sheet, camera, hand, bow)
    if table == "pens":
        _drop_pens(scene, corners, hand)
    if trouble == "fingers":
        _hold(scene, corners, hand)
    scene *= light(height, width, float(hand.uniform(0.1, 0.5)), hand)
    if trouble == "shadow":
        _shade(scene, hand)
    scene = _f32(cv2.GaussianBlur(scene, (0, 0), float(hand.uniform(0.5, 1.3))))
    scene += noise(height, width, float(hand.uniform(1, 5)), hand)
    seen = jpeg(scene.clip(0, 255).astype(np.uint8), int(hand.integers(70, 95)))
    return TruePhoto(table, trouble, seen, corners, paper)


def _sheet(paper: PaperSize, hand: Generator, tinted: bool) -> Scene:
    kinds = [kind for kind in PRINT_KINDS if kind not in {"receipt", "bordered"}]  # no black borders
    kind = "receipt" if paper.width_mm < 90 else str(hand.choice(kinds))
    sheet = draw_page(PRINT_KINDS[kind], hand, PAGE_DPI if paper.height_mm > 200 else 2 * PAGE_DPI, paper)
    sheet = sheet if sheet.ndim == 3 else np.dstack([sheet] * 3)
    if hand.random() < 0.35:
        _print_field(sheet := sheet.copy(), hand)
    if hand.random() < 0.2:
        _print_band(sheet := sheet.copy(), hand)
    tint = (255, hand.uniform(246, 255), hand.uniform(228, 252))
    if tinted:
        tint = tuple(hand.uniform(170, 255, 3))
    return np.asarray(sheet * _f32(np.array(tint) / 255), np.float32)


def _print_field(sheet: Pixels, hand: Generator) -> None:
    """Print a large picture, or a field of one colour, on a sheet."""
    height, width = sheet.shape[:2]
    top, left = int(height * hand.uniform(0.04, 0.4)), int(width * hand.uniform(0.05, 0.3))
    bottom, right = int(height * hand.uniform(0.6, 0.95)), int(width * hand.uniform(0.7, 0.95))
    if hand.integers(2):
        spots = hand.integers(0, 256, (int(hand.integers(4, 30)), int(hand.integers(4, 20)), 3)).astype(np.uint8)
        sheet[top:bottom, left:right] = cv2.resize(spots, (right - left, bottom - top), interpolation=cv2.INTER_CUBIC)
    else:
        field = np.minimum(sheet[top:bottom, left:right], hand.integers(60, 235, 3).astype(np.uint8))
        sheet[top:bottom, left:right] = field


def _print_band(sheet: Pixels, hand: Generator) -> None:
    """Print a band of one colour along a side of a sheet, from rim to rim."""
    turned = np.rot90(sheet, int(hand.integers(4)))
    deep = int(len(turned) * hand.uniform(0.03, 0.16))
    turned[:deep] = np.minimum(turned[:deep], hand.integers(60, 245, 3).astype(np.uint8))


def _middle() -> tuple[NDArray[np.float64], float]:
    height, width = SIZE_PX
    return np.array([(width - 1) / 2, (height - 1) / 2]), float(np.hypot(width, height) / 2)


def _seen_from(width: int, height: int, hand: Generator, trouble: str) -> tuple[Camera, NDArray[np.float64]]:
    """Return the camera for a sheet that lies near the middle of the view, and the sheet's corners there."""
    view_h, view_w = SIZE_PX
    focal = float(hand.uniform(0.8, 1.3)) * view_w
    yaw, pitch, roll = (float(np.radians(hand.uniform(-by, by))) for by in (25, 30, 25))
    turns = [
        cv2.Rodrigues(np.array(axis) * angle)[0]
        for axis, angle in (((0, 1.0, 0), yaw), ((1.0, 0, 0), pitch), ((0, 0, 1.0), roll))
    ]
    rotation = turns[0] @ turns[1] @ turns[2]
    lens = np.array([[focal, 0, (view_w - 1) / 2], [0, focal, (view_h - 1) / 2], [0, 0, 1]])
    distance = focal * max(height / view_h, width / view_w) / float(hand.uniform(0.62, 0.85))
    centring = np.array([[1, 0, -(width - 1) / 2], [0, 1, -(height - 1) / 2], [0, 0, 1]])
    own = np.array([(-0.5, -0.5), (width - 0.5, -0.5), (width - 0.5, height - 0.5), (-0.5, height - 0.5)])
    away = hand.uniform(-0.15, 0.15, 2) * (4 if trouble == "beneath" else 1)
    if trouble == "corner outside":
        away = hand.choice([-1, 1], 2) * hand.uniform(0.15, 0.3, 2)
    bend = float(hand.uniform(-0.06, 0.06)) if trouble == "lens" else 0.0
    while True:
        plane = np.column_stack([rotation[:, 0], rotation[:, 1], [*(away * min(width, height)), distance]])
        homography = lens @ plane @ centring
        camera = Camera(homography / homography[2, 2], bend)
        seen = np.column_stack([own, np.ones(4)]) @ homography.T
        corners = camera.through_lens(seen[:, :2] / seen[:, 2:])
        inside = ((corners > 8) & (corners < np.array([view_w - 9, view_h - 9]))).all(axis=1)
        if trouble == "beneath" or inside.all() or (trouble == "corner outside" and inside.sum() == 3):
            return camera, corners
        distance *= 1.05
        away = away * (0.97 if trouble != "corner outside" or inside.sum() < 3 else 1.03)


def _lay(scene: Scene, sheet: Scene, camera: Camera, hand: Generator, bow: float) -> None:
    """Lay a sheet into the scene, with the shadow at its edges.

    Args:
        scene: changed.
        sheet: its picture.
        camera: that sees it.
        hand: decides the shadow.
        bow: how far its long way bows, as a share of its height.
    """
    height, width = SIZE_PX
    grid = np.stack(np.meshgrid(np.arange(width, dtype=np.float64), np.arange(height, dtype=np.float64)), axis=-1)
    straight = camera.before_lens(grid) if camera.bend else grid
    own = cv2.perspectiveTransform(straight.reshape(1, -1, 2), np.linalg.inv(camera.homography)).reshape(grid.shape)
    across = np.clip(own[..., 0] / sheet.shape[1], 0, 1)
    own[..., 1] += bow * sheet.shape[0] * np.sin(np.pi * across)
    x, y = (np.ascontiguousarray(own[..., at], np.float32) for at in (0, 1))
    print_ = cv2.remap(sheet, x, y, cv2.INTER_AREA, borderMode=cv2.BORDER_REPLICATE)
    inside = (x > -0.5) & (x < sheet.shape[1] - 0.5) & (y > -0.5) & (y < sheet.shape[0] - 0.5)
    alpha = cv2.GaussianBlur(inside.astype(np.float32), (0, 0), 0.7)
    shift = np.array([[1, 0, hand.uniform(-8, 8)], [0, 1, hand.uniform(0, 9)]])
    shadow = cv2.GaussianBlur(cv2.warpAffine(alpha, shift, (width, height)), (0, 0), float(hand.uniform(3, 11)))
    scene *= 1 - float(hand.uniform(0.1, 0.5)) * shadow[..., None]
    scene += (print_ - scene) * alpha[..., None]


def _table(kind: str, sheet: Scene, hand: Generator) -> Scene:
    height, width = SIZE_PX
    paper = np.median(sheet.reshape(-1, 3), axis=0)
    rows, cols = np.mgrid[0:height, 0:width].astype(np.float32)
    turn = float(hand.uniform(0, np.pi))
    along, across = rows * np.sin(turn) + cols * np.cos(turn), rows * np.cos(turn) - cols * np.sin(turn)
    if kind == "pale":
        colour = paper - hand.uniform(8, 24) - hand.uniform(-3, 3, 3)
        return _grained(_f32(colour), hand, 0.25)
    if kind == "weave":
        thread = float(hand.uniform(3, 9))
        pattern = np.sin(along / thread) * np.sin(across / thread) * float(hand.uniform(5, 18))
        return _f32(_grained(_f32(hand.uniform(50, 190, 3)), hand, 1.0) + pattern[..., None])
    if kind == "tiles":
        side = float(hand.uniform(180, 420))
        joint = np.minimum(np.abs(along % side - side / 2), np.abs(across % side - side / 2)) < hand.uniform(2, 5)
        tiles = _grained(_f32(hand.uniform(110, 225) + hand.uniform(-12, 12, 3)), hand, 0.6)
        return np.asarray(np.where(joint[..., None], tiles - float(hand.uniform(25, 70)), tiles), np.float32)
    if kind == "checks":
        side = float(hand.uniform(60, 200))
        light_one = ((along // side).astype(int) + (across // side).astype(int)) % 2 == 0
        one, other = _f32(hand.uniform(40, 235, (2, 3)))
        return np.asarray(np.where(light_one[..., None], one, other), np.float32)
    named = kind if kind in PLAIN else str(hand.choice(list(PLAIN)))
    return _grained(_f32(PLAIN[named]), hand, 1.0)


def _grained(colour: NDArray[np.float32], hand: Generator, strength: float) -> Scene:
    height, width = SIZE_PX
    coarse = hand.normal(0, 1, (int(hand.integers(20, 60)), int(hand.integers(4, 10)))).astype(np.float32)
    grain = cv2.resize(coarse, (width, height), interpolation=cv2.INTER_CUBIC)
    fine = cv2.resize(hand.normal(0, 1, (height // 4, width // 40)).astype(np.float32), (width, height))
    shades = grain * float(hand.uniform(2, 9)) + fine * float(hand.uniform(0, 5))
    return np.asarray(colour + strength * shades[..., None], np.float32)


def _drop_pens(scene: Scene, corners: NDArray[np.float64], hand: Generator) -> None:
    height, width = SIZE_PX
    for _ in range(int(hand.integers(1, 4))):
        side = int(hand.integers(4))
        edge = corners[side] + (corners[(side + 1) % 4] - corners[side]) * hand.uniform(0.2, 0.8)
        out = edge - corners.mean(axis=0)
        middle = edge + out / np.linalg.norm(out) * hand.uniform(20, 160)
        angle = float(hand.uniform(0, np.pi))
        way = np.array([np.cos(angle), np.sin(angle)]) * hand.uniform(120, 300)
        mask = np.zeros((height, width), np.uint8)
        ends = [tuple(int(at) for at in place) for place in (middle - way, middle + way)]
        cv2.line(mask, ends[0], ends[1], 255, int(hand.integers(10, 26)), cv2.LINE_AA)
        scene += (_f32(hand.uniform(10, 220, 3)) - scene) * (mask / _f32(255))[..., None]


def _hold(scene: Scene, corners: NDArray[np.float64], hand: Generator) -> None:
    """Put a thumb or some fingers on the rim of the sheet."""
    height, width = SIZE_PX
    side = int(hand.integers(4))
    first, second = corners[side], corners[(side + 1) % 4]
    out = (first + second) / 2 - corners.mean(axis=0)
    out = out / np.linalg.norm(out)
    skin = _f32((hand.uniform(120, 235), 0, 0))
    skin[1:] = skin[0] * hand.uniform(0.68, 0.82), skin[0] * hand.uniform(0.5, 0.7)
    start = hand.uniform(0.15, 0.7)
    for finger in range(int(hand.integers(1, 5))):
        tip = first + (second - first) * (start + 0.07 * finger) - out * hand.uniform(30, 90)
        mask = np.zeros((height, width), np.uint8)
        ends = [tuple(int(at) for at in place) for place in (tip, tip + out * 700)]
        cv2.line(mask, ends[0], ends[1], 255, int(hand.integers(40, 62)), cv2.LINE_AA)
        soft = cv2.GaussianBlur(mask, (0, 0), 1.5) / _f32(255)
        scene += (skin - scene) * soft[..., None]


def _shade(scene: Scene, hand: Generator) -> None:
    """Cast the shadow of a phone or of a head over a part of the view."""
    height, width = SIZE_PX
    mask = np.zeros((height, width), np.uint8)
    middle = int(width * hand.uniform(0.2, 0.8)), int(height * hand.uniform(0.3, 0.9))
    size = float(width * hand.uniform(0.2, 0.5)), float(height * hand.uniform(0.3, 0.8))
    box = cv2.boxPoints((middle, size, float(hand.uniform(0, 90)))).astype(np.int32)
    cv2.fillConvexPoly(mask, box, 255)
    soft = cv2.GaussianBlur(mask, (0, 0), float(hand.uniform(4, 30))) / _f32(255)
    scene *= 1 - float(hand.uniform(0.2, 0.5)) * soft[..., None]
