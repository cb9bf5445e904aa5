"""What a scanner makes of a sheet: skew, offset, paper, light, dust, noise. And the truth of it.

The same sheet, lay and seed give the same picture.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import Point, Quad, mm_to_px, rotation_deg
from papiermappe.core.picture import Pixels, to_grey
from papiermappe.standin.paper.drawing import DrawnSide

PAPER_TINT = (252, 250, 243)
SHOW_THROUGH = 0.055
NOISE_LEVELS = 2.2
DUST_LEVELS = 38
STRAY_LEVELS, STRAY_REACH_MM = 34.0, 18.0


@dataclass(frozen=True)
class Optics:
    """What is particular to a device."""

    backing: tuple[int, int, int]
    """RGB of what lies behind the sheet."""
    max_skew_deg: float
    dust_lines_mm: tuple[float, ...] = ()
    """Where dust draws lines in feed direction, from the left."""
    shadow: float = 0.0
    """How dark the sheet's edge shades the backing, 0 to 1."""
    light_from_mm: float | None = None
    """How far from the left of the bed light comes in under a raised lid; None: the lid lies flat."""


@dataclass(frozen=True)
class Region:
    """The area that is scanned, in mm on the bed."""

    x_mm: float
    y_mm: float
    width_mm: float
    height_mm: float


@dataclass(frozen=True)
class Lay:
    """How a sheet lies: its centre on the bed, and its turn counter-clockwise."""

    centre_mm: Point
    angle_deg: float


def lay_sheet(width_mm: float, height_mm: float, upside_down: bool, optics: Optics, seed: int) -> Lay:
    """Lay a sheet into the corner of the bed, as a hand or a feeder does: turned a little, a few mm off the guides."""
    hand = np.random.default_rng([seed, 1])
    skew_deg = float(hand.uniform(-1, 1)) * optics.max_skew_deg
    gap_x_mm, gap_y_mm = (float(gap) for gap in hand.uniform(1.2, 3.0, 2))
    cos, sin = np.abs(rotation_deg(skew_deg)[0])
    centre = (
        gap_x_mm + float(width_mm * cos + height_mm * sin) / 2,
        gap_y_mm + float(width_mm * sin + height_mm * cos) / 2,
    )
    return Lay(centre, skew_deg + (180.0 if upside_down else 0.0))


def corners_mm(side: DrawnSide, lay: Lay, region: Region) -> Quad:
    """Return the sheet's own top left, top right, bottom right, bottom left corner, in mm on the picture."""
    half_w, half_h = side.paper.width_mm / 2, side.paper.height_mm / 2
    own = np.array([(-half_w, -half_h), (half_w, -half_h), (half_w, half_h), (-half_w, half_h)])
    placed = own @ rotation_deg(lay.angle_deg).T + np.array(lay.centre_mm) - (region.x_mm, region.y_mm)
    first, second, third, fourth = ((float(x), float(y)) for x, y in placed)
    return (first, second, third, fourth)


def scan(
    side: DrawnSide,
    other: DrawnSide | None,
    lay: Lay,
    optics: Optics,
    region: Region,
    dpi: int,
    seed: int,
    beside: Sequence[tuple[DrawnSide, Lay]] = (),
) -> Pixels:
    """Scan one side in colour.

    Args:
        side: what lies towards the sensor.
        other: what is on its back and shines through; None for blank.
        lay: how the sheet lies.
        optics: the device.
        region: the area taken.
        dpi: the resolution.
        seed: of light and noise.
        beside: what lies beside it, and how.

    Returns:
        RGB (h, w, 3).
    """
    sheets = [(_on_paper(side, other, dpi), lay), *((_on_paper(drawn, None, dpi), there) for drawn, there in beside)]
    height_px, width_px = round(mm_to_px(region.height_mm, dpi)), round(mm_to_px(region.width_mm, dpi))
    placed = np.full((height_px, width_px, 3), optics.backing, np.uint8)
    covers: list[tuple[NDArray[np.float64], tuple[int, int]]] = []
    for sheet, there in sheets:
        matrix = _placing(sheet.shape[:2], there, region, dpi)
        covers.append((matrix, (sheet.shape[0], sheet.shape[1])))
        cv2.warpAffine(
            sheet,
            matrix,
            (width_px, height_px),
            dst=placed,
            flags=cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_TRANSPARENT,
        )
    picture = _lit(placed, covers, optics, seed)
    if optics.light_from_mm is not None:
        picture = _with_stray_light(picture, covers, optics.light_from_mm - region.x_mm, dpi)
    for line_mm in optics.dust_lines_mm:
        col = round(mm_to_px(line_mm - region.x_mm, dpi))
        if 0 <= col < width_px:
            streak = picture[:, col : col + max(1, dpi // 200)]
            np.subtract(np.maximum(streak, DUST_LEVELS), DUST_LEVELS, out=streak)
    blurred = cv2.GaussianBlur(picture, (0, 0), max(0.3, 0.5 * dpi / 300))
    return _noisy(np.asarray(blurred, np.uint8), seed)


def to_bilevel(picture: Pixels) -> NDArray[np.bool_]:
    """Return the picture as a scanner's own black and white, (h, w) bool, True = ink."""
    return to_grey(picture) < 140


def _on_paper(side: DrawnSide, other: DrawnSide | None, dpi: int) -> Pixels:
    sheet = side.raster(dpi)
    if other is not None:
        through = cv2.resize(other.raster(min(dpi, 75)), sheet.shape[1::-1], interpolation=cv2.INTER_LINEAR)
        softened = cv2.GaussianBlur(cv2.flip(through, 1), (0, 0), mm_to_px(0.4, dpi))
        shade = cv2.convertScaleAbs(cv2.bitwise_not(softened), alpha=SHOW_THROUGH)
        sheet = np.asarray(cv2.subtract(sheet, shade), np.uint8)
    tint = np.empty_like(sheet)
    tint[:] = PAPER_TINT
    return np.asarray(cv2.multiply(sheet, tint, scale=1 / 255), np.uint8)


def _placing(sheet_shape: tuple[int, ...], lay: Lay, region: Region, dpi: int) -> NDArray[np.float64]:
    """Return the (2, 3) matrix that carries `(x, y)` px of the sheet to px of the picture."""
    height_px, width_px = sheet_shape
    matrix = np.empty((2, 3))
    matrix[:, :2] = rotation_deg(lay.angle_deg)
    middle = np.array([(width_px - 1) / 2, (height_px - 1) / 2])
    to = np.array([mm_to_px(lay.centre_mm[0] - region.x_mm, dpi), mm_to_px(lay.centre_mm[1] - region.y_mm, dpi)]) - 0.5
    matrix[:, 2] = to - matrix[:, :2] @ middle
    return matrix


def _lit(
    picture: Pixels, covers: Sequence[tuple[NDArray[np.float64], tuple[int, int]]], optics: Optics, seed: int
) -> Pixels:
    """Apply uneven light, and the shadow that lying sheets throw on the backing. Both are smooth: done at 1/8.

    Args:
        picture: RGB (h, w, 3).
        covers: of each sheet, the matrix that places it, and its height and width in px.
        optics: the device.
        seed: of the light.
    """
    height, width = picture.shape[0] // 8 + 1, picture.shape[1] // 8 + 1
    hand = np.random.default_rng([seed, 2])
    across, down = np.meshgrid(np.linspace(-1, 1, width), np.linspace(-1, 1, height))
    tilt_x, tilt_y = hand.uniform(-0.015, 0.015, 2)
    light = 0.985 - 0.02 * across**2 + tilt_x * across + tilt_y * down
    if optics.shadow:
        covered = np.zeros((height, width), np.uint8)
        for matrix, (sheet_height, sheet_width) in covers:
            small = matrix.copy()
            small[:, 2] /= 8
            solid = np.full((max(1, sheet_height // 8), max(1, sheet_width // 8)), 255, np.uint8)
            covered = np.asarray(cv2.max(covered, cv2.warpAffine(solid, small, (width, height))), np.uint8)
        shade = cv2.GaussianBlur(covered, (0, 0), 2.0).astype(np.float32) / 255
        light *= 1 - optics.shadow * shade * (1 - covered.astype(np.float32) / 255)
    field = np.clip(light * 255, 0, 255).astype(np.uint8)
    full = cv2.resize(field, picture.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    return np.asarray(cv2.multiply(picture, cv2.merge([full] * 3), scale=1 / 255), np.uint8)


def _with_stray_light(
    picture: Pixels, covers: Sequence[tuple[NDArray[np.float64], tuple[int, int]]], from_mm: float, dpi: int
) -> Pixels:
    """Brighten what no sheet covers, most where the light comes in, `from_mm` from the left of the picture."""
    away_mm = np.abs(from_mm - (np.arange(picture.shape[1]) + 0.5) * 25.4 / dpi)
    gain = np.tile(STRAY_LEVELS * np.exp(-away_mm / STRAY_REACH_MM), (picture.shape[0], 1)).astype(np.float32)
    for matrix, (sheet_height, sheet_width) in covers:
        corners = np.array([(0, 0), (sheet_width, 0), (sheet_width, sheet_height), (0, sheet_height)])
        cv2.fillConvexPoly(gain, np.rint(corners @ matrix[:, :2].T + matrix[:, 2]).astype(np.int32), 0.0)
    return np.asarray(cv2.add(picture, cv2.merge([gain] * 3), dtype=cv2.CV_8U), np.uint8)


@lru_cache(maxsize=1)
def _noise_tile() -> NDArray[np.int16]:
    noise = np.random.default_rng(7).normal(0, NOISE_LEVELS, (1024, 1024, 3))
    return np.rint(noise).astype(np.int16)


def _noisy(picture: Pixels, seed: int) -> Pixels:
    height, width = picture.shape[:2]
    shift = np.random.default_rng([seed, 3]).integers(0, 1024, 2)
    tile = np.roll(_noise_tile(), tuple(int(by) for by in shift), axis=(0, 1))
    repeated = np.tile(tile, (height // 1024 + 1, width // 1024 + 1, 1))[:height, :width]
    return np.asarray(cv2.add(picture, np.ascontiguousarray(repeated), dtype=cv2.CV_8U), np.uint8)
