"""What another camera sees of a sheet on a table: a scene in mm, looked at along rays; the table lies in it, too."""

import io
from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

import cv2
import numpy as np
import numpy.typing as npt
from numpy.typing import NDArray
from PIL import Image

from benchmarks.second.papers import DPI, Hand, Paper, paper
from papiermappe.core.picture import Pixels

WIDE, HIGH = 2592, 1944
TABLES = ("dark", "cloth", "wood", "tiles", "pale", "papers", "pens", "stripes", "things", "stone")
Places = NDArray[np.float64]
Colours = NDArray[np.float32]


def _f32(values: npt.ArrayLike) -> NDArray[np.float32]:
    return np.asarray(values, np.float32)


class Photo(NamedTuple):
    """A photo with its truth."""

    table: str
    trouble: str
    pixels: Pixels
    corners: Places
    """(4, 2): x, y in px, pixel centres at whole numbers; clockwise from the sheet's own top left."""
    sides_mm: tuple[float, float]
    rows: Places
    """(rows, n, 2): where places along straight rows are seen, as lines of print run, from the top to the bottom."""


class _View(NamedTuple):
    eye: Places
    """Where the camera is, in mm; z is up from the table."""
    axes: Places
    """(3, 3): its right, its down, and where it looks."""
    focal: float
    barrel: float

    def rays(self) -> Places:
        """Return the direction of each pixel's ray, (h, w, 3)."""
        x, y = np.meshgrid((np.arange(WIDE) - WIDE / 2 + 0.5) / WIDE, (np.arange(HIGH) - HIGH / 2 + 0.5) / WIDE)
        bent = 1 + self.barrel * (x * x + y * y)
        return np.asarray(np.stack([x * bent, y * bent, np.full_like(x, self.focal)], axis=-1) @ self.axes)

    def seen(self, points: Places) -> Places:
        """Return where points (n, 3) are seen, in px."""
        right, down, away = ((points - self.eye) @ self.axes.T).T
        straight = np.column_stack([right, down]) * self.focal / away[:, None]
        bent = straight.copy()
        for _ in range(20):
            bent = straight / (1 + self.barrel * (bent**2).sum(axis=1, keepdims=True))
        return np.asarray(bent * WIDE + np.array([WIDE, HIGH]) / 2 - 0.5)


class _Lying(NamedTuple):
    """A sheet on the table: its middle, by how much it is turned, how high it bulges."""

    print_: Paper
    middle: Places
    turn: float
    bulge_mm: float

    def own(self, places: Places) -> Places:
        """Return places of the table (..., 2) as places of the sheet, in mm from its top left."""
        cos, sin = np.cos(self.turn), np.sin(self.turn)
        away = places - self.middle
        turned = np.stack([away[..., 0] * cos + away[..., 1] * sin, away[..., 1] * cos - away[..., 0] * sin], axis=-1)
        return np.asarray(turned + np.array([self.print_.width_mm, self.print_.height_mm]) / 2)

    def corners(self) -> Places:
        """Return its corners, (4, 3)."""
        half = np.array([self.print_.width_mm, self.print_.height_mm]) / 2
        own = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * half
        cos, sin = np.cos(self.turn), np.sin(self.turn)
        flat = own @ np.array([(cos, sin), (-sin, cos)]) + self.middle
        return np.column_stack([flat, np.zeros(4)])

    def height(self, own: Places) -> Places:
        """Return how high it is there, in mm."""
        return np.asarray(self.bulge_mm * np.sin(np.pi * np.clip(own[..., 0] / self.print_.width_mm, 0, 1)))


def camera_photos(numbers: Iterable[int], seed: int) -> Iterator[Photo]:
    """Yield photos; the tables come in turn, the troubles by chance."""
    for number in numbers:
        hand = np.random.default_rng([seed, 4099, number])
        troubles = ("", "", "", "shadow", "hand", "bulge", "barrel", "cut off", "dim")
        yield _photo(number, TABLES[number % len(TABLES)], str(hand.choice(troubles)), seed, hand)


def _photo(number: int, table: str, trouble: str, seed: int, hand: Hand) -> Photo:
    bulge_mm = float(hand.uniform(4, 16)) if trouble == "bulge" else 0.0
    sheet = _Lying(paper(number * 7 + 3, seed), np.zeros(2), float(hand.uniform(0, 2 * np.pi)), bulge_mm)
    view, corners = _aimed(sheet, trouble, hand)
    rays = view.rays()
    reach = -view.eye[2] / np.minimum(rays[..., 2], -1e-3)
    ground = view.eye[:2] + reach[..., None] * rays[..., :2]
    scene = _TEXTURES.get(table, _plain)(ground, hand)
    if table == "pale":
        light = np.median(sheet.print_.picture.reshape(-1, 3), axis=0) - hand.uniform(8, 20)
        scene = scene * 0.06 + _f32(light) * 0.94
    lying = [sheet]
    if table == "papers":
        for lower in range(int(hand.integers(1, 4))):
            away = hand.normal(0, 70, 2)
            below = _Lying(paper(number + 31 * lower + 1, seed), away, float(hand.uniform(0, 7)), 0.0)
            lying.insert(0, below)
    for one in lying:
        scene = _with_sheet(scene, one, view, rays, hand)
    if table in {"pens", "things"}:
        scene = _with_things(scene, sheet, ground, table, hand)
    if trouble == "hand":
        scene = _with_hand(scene, corners, hand)
    return Photo(table, trouble, _sensed(scene, ground, trouble, hand), corners,
                 (sheet.print_.width_mm, sheet.print_.height_mm), _rows(sheet, view))  # fmt: skip


def _rows(sheet: _Lying, view: _View) -> Places:
    """Return where rows are seen that run from one margin to the other."""
    across, down = np.linspace(0.08, 0.92, 40), np.linspace(0.08, 0.92, 13)
    own = np.stack(np.meshgrid(across, down), axis=-1) * [sheet.print_.width_mm, sheet.print_.height_mm]
    away = own - np.array([sheet.print_.width_mm, sheet.print_.height_mm]) / 2
    cos, sin = np.cos(sheet.turn), np.sin(sheet.turn)
    on_table = away @ np.array([(cos, sin), (-sin, cos)]) + sheet.middle
    places = np.concatenate([on_table, sheet.height(own)[..., None]], axis=-1)
    return view.seen(places.reshape(-1, 3)).reshape(*own.shape)


def _aimed(sheet: _Lying, trouble: str, hand: Hand) -> tuple[_View, Places]:
    """Return a camera that has the whole sheet in view, or all but a corner, and the sheet's corners there."""
    high = np.radians(hand.uniform(55, 88))
    around = float(hand.uniform(0, 2 * np.pi))
    size = float(np.hypot(sheet.print_.width_mm, sheet.print_.height_mm))
    focal = float(hand.uniform(0.72, 1.2))
    away = size * float(hand.uniform(1.0, 1.5)) * focal
    barrel = float(hand.uniform(-0.12, 0.12)) if trouble == "barrel" else float(hand.uniform(-0.01, 0.01))
    target = np.array([*hand.normal(0, 0.04 * size, 2), 0.0])
    if trouble == "cut off":
        target[:2] += size * hand.uniform(0.22, 0.34) * np.array([np.cos(around + 1), np.sin(around + 1)])
    roll = float(hand.normal(0, 0.2))
    for _ in range(200):
        eye = target + away * np.array([np.cos(around) * np.cos(high), np.sin(around) * np.cos(high), np.sin(high)])
        look = (target - eye) / np.linalg.norm(target - eye)
        right = np.cross(look, [0, 0, 1.0])
        right /= np.linalg.norm(right)
        down, right = np.cross(look, right), -right  # y runs down on the table: seen in a mirror
        right, down = right * np.cos(roll) + down * np.sin(roll), down * np.cos(roll) - right * np.sin(roll)
        view = _View(eye, np.array([right, down, look]), focal, barrel)
        corners = view.seen(sheet.corners())
        inside = int(((corners > 6) & (corners < (WIDE - 7, HIGH - 7))).all(axis=1).sum())
        if inside == (3 if trouble == "cut off" else 4):
            break
        if trouble == "cut off" and inside == 4:
            target[:2] *= 1.04
        elif trouble == "cut off":
            target[:2] *= 0.97
        else:
            away *= 1.04
    return view, corners


def _with_sheet(scene: Colours, sheet: _Lying, view: _View, rays: Places, hand: Hand) -> Colours:
    height = np.zeros(rays.shape[:2])
    own = np.zeros((*rays.shape[:2], 2))
    for _ in range(6 if sheet.bulge_mm else 1):
        reach = (height - view.eye[2]) / np.minimum(rays[..., 2], -1e-3)
        own = sheet.own(view.eye[:2] + reach[..., None] * rays[..., :2])
        height = sheet.height(own)
    wide, high = sheet.print_.width_mm, sheet.print_.height_mm
    per_mm = DPI / 25.4
    x, y = (np.asarray(own[..., axis] * per_mm - 0.5, np.float32) for axis in (0, 1))
    printed = cv2.remap(sheet.print_.picture, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    slope = np.cos(np.pi * np.clip(own[..., 0] / wide, 0, 1)) * sheet.bulge_mm * np.pi / wide
    printed = printed * _f32(1 - 0.8 * slope)[..., None]
    outside = np.maximum(np.abs(own[..., 0] - wide / 2) - wide / 2, np.abs(own[..., 1] - high / 2) - high / 2)
    fall = float(hand.uniform(0.6, 3.0)) + 0.4 * sheet.bulge_mm
    shade = 1 - float(hand.uniform(0.1, 0.45)) * np.exp(-np.maximum(outside, 0) / fall)
    cover = _f32(np.clip(0.5 - outside * 4, 0, 1))[..., None]
    return np.asarray(scene * _f32(shade)[..., None] * (1 - cover) + printed * cover, np.float32)


# ---- tables, by place in mm


def _wander(places: Places, hand: Hand, sizes_mm: tuple[float, ...], stretch: float = 1.0) -> NDArray[np.float32]:
    """Return values about -1 to 1 that wander over the table: sums of waves in all directions."""
    total = np.zeros(places.shape[:2], np.float32)
    for size_mm in sizes_mm:
        for _ in range(3):
            way = float(hand.uniform(0, np.pi))
            across = places[..., 0] * np.cos(way) * stretch + places[..., 1] * np.sin(way)
            total += np.sin(_f32(across) * _f32(2 * np.pi / size_mm) + _f32(hand.uniform(0, 6)))
    return _f32(total / (3 * len(sizes_mm)))


def _plain(places: Places, hand: Hand) -> Colours:
    colour = _f32(hand.uniform(25, 150) * (1 + hand.normal(0, 0.06, 3)))
    return np.asarray(colour + 6 * _wander(places, hand, (300, 41, 9))[..., None], np.float32)


def _dark(places: Places, hand: Hand) -> Colours:
    return _plain(places, hand) * _f32(0.35) + _f32(12)


def _cloth(places: Places, hand: Hand) -> Colours:
    colour = _f32(hand.uniform(40, 200, 3))
    threads = np.sin(places[..., 0] * 4.1) * np.sin(places[..., 1] * 4.1)
    folds = _wander(places, hand, (400, 170))
    return np.asarray(colour * (1 + 0.14 * folds + 0.05 * _f32(threads))[..., None], np.float32)


def _wood(places: Places, hand: Hand) -> Colours:
    rings = np.sin(places[..., 1] * 0.35 + 5 * _wander(places, hand, (500, 160), 0.15) * 4)
    light, dark = _f32((196, 152, 104)), _f32((120, 80, 48))
    share = _f32(0.5 + 0.5 * rings)[..., None] * _f32(hand.uniform(0.3, 1.0))
    planks = (np.abs(places[..., 1] % 120 - 60) < 0.9)[..., None]
    return np.asarray((light * (1 - share) + dark * share) * np.where(planks, 0.5, 1.0), np.float32)


def _tiles(places: Places, hand: Hand) -> Colours:
    size = float(hand.uniform(90, 200))
    cell = np.floor(places / size).astype(np.int64)
    shade = ((cell[..., 0] * 7919 + cell[..., 1] * 104729) % 17 - 8) * 1.6
    edge = np.abs(places % size - size / 2).max(axis=-1) > size / 2 - hand.uniform(1.2, 3)
    tile = _f32(hand.uniform(120, 230) + hand.normal(0, 8, 3)) + _f32(shade)[..., None]
    grout = _f32(hand.uniform(70, 190))
    return np.asarray(np.where(edge[..., None], grout, tile), np.float32)


def _stripes(places: Places, hand: Hand) -> Colours:
    way = float(hand.uniform(0, np.pi))
    across = places[..., 0] * np.cos(way) + places[..., 1] * np.sin(way)
    which = (np.floor(across / float(hand.uniform(9, 40))).astype(np.int64) % 3)[..., None]
    first, second, third = _f32(hand.uniform(40, 225, (3, 3)))
    return np.asarray(np.where(which == 0, first, np.where(which == 1, second, third)), np.float32)


def _stone(places: Places, hand: Hand) -> Colours:
    veins = np.abs(_wander(places, hand, (230, 90, 37)))
    base = _f32(hand.uniform(90, 210))
    return np.asarray(base + (40 * (veins < 0.05) + 25 * veins)[..., None] * _f32((-1, -0.9, -0.8)), np.float32)


_TEXTURES: dict[str, Callable[[Places, Hand], Colours]] = {
    "dark": _dark, "cloth": _cloth, "wood": _wood, "tiles": _tiles, "stripes": _stripes, "stone": _stone,
}  # fmt: skip


# ---- what lies about


def _with_things(scene: Colours, sheet: _Lying, places: Places, kind: str, hand: Hand) -> Colours:
    for _ in range(int(hand.integers(1, 5))):
        long, thick = (float(hand.uniform(*span)) for span in (((120, 160), (7, 12)) if kind == "pens" else
                                                               ((60, 170), (40, 110))))  # fmt: skip
        way, around = (float(hand.uniform(0, 2 * np.pi)) for _ in range(2))
        half = np.hypot(sheet.print_.width_mm, sheet.print_.height_mm) / 2
        far = half * hand.uniform(0.75, 1.0) if kind == "pens" else half + hand.uniform(0.4, 0.8) * long
        away = places - far * np.array([np.cos(around), np.sin(around)])
        along = np.abs(away[..., 0] * np.cos(way) + away[..., 1] * np.sin(way))
        across = np.abs(away[..., 1] * np.cos(way) - away[..., 0] * np.sin(way))
        outside = np.maximum(along - long / 2, across - thick / 2)
        colour = _f32(hand.uniform(10, 235, 3))
        cover = _f32(np.clip(0.5 - outside * 4, 0, 1))[..., None]
        shade = _f32(1 - 0.3 * np.exp(-np.maximum(outside, 0) / 3))[..., None]
        scene = _f32(scene * shade * (1 - cover) + colour * (1 - 0.3 * _f32(across / thick))[..., None] * cover)
    return scene


def _with_hand(scene: Colours, corners: Places, hand: Hand) -> Colours:
    """Return the scene with finger tips over a side of the sheet, held from outside."""
    side = int(hand.integers(4))
    one, two = corners[side], corners[(side + 1) % 4]
    out = (one + two) / 2 - corners.mean(axis=0)
    out = out / np.linalg.norm(out)
    skin = float(hand.uniform(90, 225)) * _f32((1.0, 0.76, 0.62))
    rows, cols = np.mgrid[0:HIGH, 0:WIDE].astype(np.float32)
    first = float(hand.uniform(0.1, 0.6))
    for finger in range(int(hand.integers(1, 4))):
        tip = one + (two - one) * (first + 0.09 * finger) - out * hand.uniform(20, 110)
        x, y = cols - _f32(tip[0]), rows - _f32(tip[1])
        along = x * _f32(out[0]) + y * _f32(out[1])
        across = np.abs(x * _f32(out[1]) - y * _f32(out[0]))
        radius = _f32(hand.uniform(28, 46))
        away = np.where(along > 0, across, np.hypot(along, across))
        cover = np.clip((radius - away) / 3 + 0.5, 0, 1)[..., None]
        scene = scene * (1 - cover) + skin * (1 - 0.35 * (across / radius).clip(0, 1) ** 2)[..., None] * cover
    return np.asarray(scene, np.float32)


def _sensed(scene: Colours, places: Places, trouble: str, hand: Hand) -> Pixels:
    """Return what the sensor and the camera's own sharpening make of the scene under a lamp."""
    lamp = hand.normal(0, 350, 2)
    high = float(hand.uniform(500, 1500))
    lit = high**2 / (high**2 + ((places - lamp) ** 2).sum(axis=-1))
    lit = lit / lit.max()
    if trouble == "shadow":
        way = float(hand.uniform(0, 2 * np.pi))
        edge = places[..., 0] * np.cos(way) + places[..., 1] * np.sin(way) - hand.normal(0, 60)
        lit = lit * (1 - float(hand.uniform(0.25, 0.55)) / (1 + np.exp(-edge / float(hand.uniform(2, 25)))))
    exposure = float(hand.uniform(0.28, 0.45) if trouble == "dim" else hand.uniform(0.75, 1.1))
    soft = cv2.GaussianBlur(scene * _f32(exposure * lit)[..., None], (0, 0), float(hand.uniform(0.6, 1.4)))
    seen = _f32(soft + _f32(hand.normal(0, hand.uniform(1, 6), scene.shape)))
    seen = _f32(seen + float(hand.uniform(0, 0.8)) * (seen - cv2.GaussianBlur(seen, (0, 0), 1.6)))
    file = io.BytesIO()
    Image.fromarray(seen.clip(0, 255).astype(np.uint8)).save(file, "JPEG", quality=int(hand.integers(75, 95)))
    return np.asarray(Image.open(file).convert("RGB"))
