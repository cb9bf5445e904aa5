"""What lies before the camera: a table, a sheet on it, perhaps a hand; and the light on all of it."""

from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.picture import Pixels
from papiermappe.standin.camera.optics import Camera, Places

TABLE_MM = 900.0
"""Half the side of the table that is drawn: the middle is where sheets are laid."""
TABLE_PX_A_MM = 1.2
STRIPS = 36
FINER = 1.15
SKIN = (196, 150, 124)

Colours = NDArray[np.float32]


class Table(StrEnum):
    """What the sheets lie on."""

    WOOD = "wood"
    SLATE = "slate"
    CHECKED = "checked"
    PALE = "pale"


@dataclass(frozen=True)
class Lying:
    """A sheet as it lies.

    Args:
        pixels: RGB (h, w, 3), as printed.
        width_mm: of the paper.
        height_mm: of the paper.
        centre_mm: where its middle lies.
        turn_deg: counter-clockwise.
        bow_mm: by how much its middle stands up, along a line from its top to its bottom.
        arches: that the paper makes side by side: an open book makes two.
    """

    pixels: Pixels
    width_mm: float
    height_mm: float
    centre_mm: tuple[float, float] = (0.0, 0.0)
    turn_deg: float = 0.0
    bow_mm: float = 0.0
    arches: int = 1

    def slope(self, along: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return how steeply the paper rises, as seen from above, at shares of its width."""
        way = np.pi * self.arches
        falls = np.where(np.floor(self.arches * along) % 2 == 0, 1.0, -1.0)
        return np.asarray(self.bow_mm * way / self.width_mm * np.cos(way * along) * falls)

    def places(self, along: NDArray[np.float64], down: float) -> Places:
        """Return the places of points of the sheet, (n, 3): `along` and `down` 0 to 1 from its top left."""
        share = (np.arange(400) + 0.5) / 400
        reached = np.cumsum(np.sqrt(np.maximum(1 - self.slope(share) ** 2, 0))) * self.width_mm / share.size
        x_mm = np.interp(along, share, reached - reached[-1] / 2)
        y_mm = np.full_like(along, (down - 0.5) * self.height_mm)
        turn = np.radians(self.turn_deg)
        turned = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) @ np.stack([x_mm, y_mm])
        z_mm = self.bow_mm * np.abs(np.sin(np.pi * self.arches * along))
        return np.column_stack([turned.T + np.array(self.centre_mm), z_mm])


@dataclass(frozen=True)
class Light:
    """The light, and what is in its way.

    Args:
        brightness: 1 is well lit.
        towards: the side that is brighter, as a direction on the picture; its length is how uneven the light is.
        shadow: how dark the shadow of the person is that falls over a part, 0 to 1.
        glare: how strong a lamp is mirrored on the sheet, 0 to 1.
    """

    brightness: float = 1.0
    towards: tuple[float, float] = (0.0, 0.0)
    shadow: float = 0.0
    glare: float = 0.0


@dataclass(frozen=True)
class Scene:
    """All that a camera sees.

    Args:
        table: what the sheet lies on.
        sheet: None: nothing but the table.
        light: on it.
        hand: where the tips of a hand are that reaches in from below, `(x, y)` in mm; None: no hand.
        seed: of the grain of the table, and of the noise.
    """

    table: Table
    sheet: Lying | None = None
    light: Light = field(default_factory=Light)
    hand: tuple[float, float] | None = None
    seed: int = 0


def corners_px(sheet: Lying, camera: Camera) -> Places:
    """Return where the corners of a sheet are seen, (4, 2): its top left first, then clockwise."""
    top, bottom = (sheet.places(np.array([0.0, 1.0]), down) for down in (0.0, 1.0))
    around = np.vstack([top, bottom[::-1]])
    return camera.through_lens(camera.straight(around))


def photograph(scene: Scene, camera: Camera, moved_px: float = 0.0, noise: float = 2.5, take: int = 0) -> Pixels:
    """Return a picture of a scene, RGB.

    Args:
        scene: that is seen.
        camera: that sees it.
        moved_px: how far the camera, or what it sees, moves while the picture is taken.
        noise: standard deviation, of 255 levels.
        take: which picture of the same scene: each has noise of its own.
    """
    seen = _table_seen(scene, camera)
    if scene.sheet is not None:
        seen = _with_sheet(seen, scene.sheet, scene.light, camera)
    if scene.hand is not None:
        seen = _with_hand(seen, scene.hand, camera)
    seen = _lit(seen, scene, camera)
    if camera.bend:
        bent = cv2.remap(seen, *camera.before_lens(), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        seen = np.asarray(bent, np.float32)
    if moved_px >= 1:
        length = round(moved_px)
        seen = np.asarray(cv2.blur(seen, (length, max(length // 3, 1))), np.float32)
    hand = np.random.default_rng([scene.seed, take, 7])
    grain = hand.normal(0, noise, (*seen.shape[:2], 1)).astype(np.float32)
    return np.asarray((seen + grain).clip(0, 255), np.uint8)


def _table_seen(scene: Scene, camera: Camera) -> Colours:
    texture = _texture(scene.table, scene.seed)
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * TABLE_MM
    seen = camera.straight(np.column_stack([corners, np.zeros(4)]))
    side = texture.shape[0]
    drawn = np.array([[0, 0], [side, 0], [side, side], [0, side]], np.float32)
    carried = cv2.getPerspectiveTransform(drawn, seen.astype(np.float32))
    shown = cv2.warpPerspective(
        texture, carried, (camera.width_px, camera.height_px), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT
    )
    return np.asarray(shown, np.float32)


@lru_cache(maxsize=4)
def _texture(table: Table, seed: int) -> Colours:
    side = round(2 * TABLE_MM * TABLE_PX_A_MM)
    hand = np.random.default_rng([seed, 3])
    if table is Table.WOOD:
        grain = cv2.GaussianBlur(hand.normal(0, 60, (side, side)).astype(np.float32), (0, 0), 34, sigmaY=1.2)
        return np.asarray(np.array([118, 82, 54], np.float32) * (1 + grain[..., None] / 40), np.float32)
    if table is Table.CHECKED:
        y, x = np.mgrid[:side, :side] // round(32 * TABLE_PX_A_MM)
        squares = ((x + y) % 2)[..., None].astype(np.float32)
        return np.asarray(squares * np.array([188, 60, 54]) + (1 - squares) * np.array([222, 214, 200]), np.float32)
    colour = (206, 202, 194) if table is Table.PALE else (66, 71, 76)
    cloud = cv2.GaussianBlur(hand.normal(0, 30, (side, side)).astype(np.float32), (0, 0), 9)
    return np.asarray(np.array(colour, np.float32) + cloud[..., None], np.float32)


def _with_sheet(seen: Colours, sheet: Lying, light: Light, camera: Camera) -> Colours:
    edges = np.linspace(0, 1, 2 if sheet.bow_mm == 0 else STRIPS + 1)
    top, bottom = (camera.straight(sheet.places(edges, down)) for down in (0.0, 1.0))
    printed_on = _as_fine_as_seen(sheet.pixels, float(np.linalg.norm(bottom[-1] - bottom[0])))
    height, width = printed_on.shape[:2]
    covered = np.zeros(seen.shape[:2], np.float32)
    shown = seen.copy()
    for at in range(edges.size - 1):
        x_px = edges[at : at + 2] * width
        drawn = np.array([[x_px[0], 0], [x_px[1], 0], [x_px[1], height], [x_px[0], height]], np.float32)
        quad = np.array([top[at], top[at + 1], bottom[at + 1], bottom[at]], np.float32)
        low = np.clip(np.floor(quad.min(axis=0)).astype(int) - 1, 0, (camera.width_px, camera.height_px))
        high = np.clip(np.ceil(quad.max(axis=0)).astype(int) + 2, 0, (camera.width_px, camera.height_px))
        if not (high > low).all():
            continue
        within = slice(low[1], high[1]), slice(low[0], high[0])
        quad -= low
        strip = np.zeros((high[1] - low[1], high[0] - low[0]), np.uint8)
        cv2.fillConvexPoly(strip, np.round(quad * 16).astype(np.int32), 255, cv2.LINE_AA, 4)
        printed = cv2.warpPerspective(
            printed_on,
            cv2.getPerspectiveTransform(drawn, quad),
            strip.shape[::-1],
            flags=cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )
        slope = float(sheet.slope((edges[at : at + 1] + edges[at + 1 : at + 2]) / 2)[0]) / np.pi
        share = (strip / 255.0)[..., None].astype(np.float32)
        light_here = np.float32(0.93 - 0.9 * slope * (light.towards[0] or 0.3))
        shown[within] = shown[within] * (1 - share) + printed * light_here * share
        covered[within] = np.maximum(covered[within], share[..., 0])
    return _with_its_shadow(shown, covered, camera)


def _as_fine_as_seen(pixels: Pixels, width_px: float) -> Pixels:
    """Return a sheet not much finer than it is seen: a lens does not see print between its pixels."""
    scale = FINER * width_px / pixels.shape[1]
    if scale >= 1:
        return pixels
    return np.asarray(cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.uint8)


def _with_its_shadow(shown: Colours, covered: NDArray[np.float32], camera: Camera) -> Colours:
    """Return what is seen with the thin shadow that a sheet casts on the table."""
    off = max(camera.width_px // 400, 1)
    thrown = cv2.GaussianBlur(np.roll(covered, (off, off), (0, 1)), (0, 0), off)
    return np.asarray(shown * (1 - 0.45 * thrown * (1 - covered))[..., None], np.float32)


def _with_hand(seen: Colours, tips_mm: tuple[float, float], camera: Camera) -> Colours:
    """Return what is seen with a hand over it: a palm and four fingers, from below."""
    x_mm, y_mm = tips_mm
    lines = [((x_mm + 22 * at, y_mm + 8 * abs(at - 1)), (x_mm + 16 * at + 6, y_mm + 90), 9.0) for at in range(4)]
    lines.append(((x_mm + 30, y_mm + 110), (x_mm + 60, y_mm + 420), 44.0))
    covered = np.zeros(seen.shape[:2], np.uint8)
    for from_mm, to_mm, half_mm in lines:
        ends = camera.straight(np.array([[*from_mm, 12.0], [*to_mm, 30.0]]))
        aside = camera.straight(np.array([[from_mm[0] + half_mm, from_mm[1], 12.0]]))
        thick = max(round(2 * float(np.linalg.norm(aside[0] - ends[0]))), 1)
        first, last = (tuple(int(value) for value in np.round(end)) for end in ends)
        cv2.line(covered, first, last, 255, thick, cv2.LINE_AA)
    share = cv2.GaussianBlur(covered, (0, 0), 1.2).astype(np.float32)[..., None] / 255
    rounded = cv2.GaussianBlur(covered, (0, 0), max(camera.width_px / 90, 1)).astype(np.float32)[..., None] / 255
    return np.asarray(seen * (1 - share) + np.array(SKIN, np.float32) * (0.55 + 0.45 * rounded) * share, np.float32)


def _lit(seen: Colours, scene: Scene, camera: Camera) -> Colours:
    light = scene.light
    y, x = np.mgrid[-1 : 1 : camera.height_px * 1j, -1 : 1 : camera.width_px * 1j].astype(np.float32)
    level = light.brightness * (1 + light.towards[0] * x + light.towards[1] * y)
    if light.shadow:
        level = level * (1 - light.shadow / (1 + np.exp(-(0.8 * x + y - 0.35) * 9)))
    lit = seen * level[..., None].astype(np.float32)
    if light.glare and scene.sheet is not None:
        centre = corners_px(scene.sheet, camera).mean(axis=0) / (camera.width_px / 2, camera.height_px / 2) - 1
        far = ((x - centre[0] - 0.08) / 0.16) ** 2 + ((y - centre[1] + 0.1) / 0.2) ** 2
        lit = lit + (light.glare * 255 * np.exp(-(far**2)))[..., None]
    return np.asarray(lit, np.float32)
