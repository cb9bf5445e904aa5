"""What a scanner does to a page: light, blur, noise, JPEG."""

from functools import lru_cache

import cv2
import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from papiermappe.core.picture import Pixels


@lru_cache(maxsize=1)
def _noise_tile() -> NDArray[np.float32]:
    return np.random.default_rng(3).normal(0, 1, (1024, 1024, 3)).astype(np.float32)


def noise(height: int, width: int, sigma_levels: float, hand: Generator, coloured: bool = True) -> NDArray[np.float32]:
    """Return sensor noise, (h, w, 3)."""
    tile = np.roll(_noise_tile(), tuple(int(by) for by in hand.integers(0, 1024, 2)), axis=(0, 1))
    tile = tile if coloured else np.repeat(tile[..., :1], 3, axis=2)
    return np.tile(tile, (height // 1024 + 1, width // 1024 + 1, 1))[:height, :width] * np.float32(sigma_levels)


def light(height: int, width: int, most: float, hand: Generator) -> NDArray[np.float32]:
    """Return uneven light, (h, w, 1): 1 at its brightest, 1 - `most` at its darkest, smooth."""
    knots = hand.uniform(0, 1, (3, 3)).astype(np.float32)
    field = cv2.resize(knots, (width, height), interpolation=cv2.INTER_CUBIC)
    field = (field - field.min()) / max(float(np.ptp(field)), 1e-6)
    return np.asarray(1 - most * field, np.float32)[..., None]


def scanned(page: Pixels, hand: Generator, dpi: int, max_shade: float = 0.1, fringe_px: float = 0.0) -> Pixels:
    """Give a page light, blur, colour fringes, noise and JPEG."""
    height, width = page.shape[:2]
    sigma_px = float(hand.uniform(0.35, 0.9)) * dpi / 300
    soft = cv2.GaussianBlur(page, (0, 0), max(sigma_px, 0.3)).astype(np.float32)
    if fringe_px:
        for channel, shift in ((0, fringe_px), (2, -fringe_px)):
            move = np.array([[1, 0, 0], [0, 1, shift]], np.float32)
            soft[..., channel] = cv2.warpAffine(
                soft[..., channel], move, (width, height), borderMode=cv2.BORDER_REPLICATE
            )
    picture = soft * light(height, width, float(hand.uniform(0, max_shade)), hand)
    picture += noise(height, width, float(hand.uniform(0.8, 4.5)), hand, bool(hand.integers(2)))
    return jpeg(picture.clip(0, 255).astype(np.uint8), int(hand.integers(60, 95)))


def jpeg(picture: Pixels, quality: int) -> Pixels:
    """Send a picture through JPEG and back."""
    _, data = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])
    return np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR_RGB), np.uint8)
