"""Camera pictures of a sheet on a table."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from benchmarks.corpus.pages import PRINT_KINDS, draw_page
from benchmarks.corpus.scanning import jpeg, light, noise
from papiermappe.core.paper import A4, A5, LETTER, PaperSize
from papiermappe.core.picture import Pixels

SIZE_PX = (1920, 2560)  # height, width
TABLES = {
    "dark wood": (70, 48, 34),
    "light wood": (176, 140, 100),
    "slate": (62, 66, 72),
    "grey cloth": (140, 140, 138),
    "green mat": (60, 110, 84),
}


@dataclass(frozen=True)
class TruePhoto:
    """A photo, and where the corners of the sheet are on it."""

    kind: str
    pixels: Pixels
    corners_px: NDArray[np.float64]
    """`(x, y)`, (4, 2): top left, top right, bottom right, bottom left of the sheet as it is seen."""
    paper: PaperSize


def photos(numbers: Iterable[int], seed: int) -> Iterator[TruePhoto]:
    """Yield photos by a pinhole camera that looks at a table from a slanting place."""
    for at in numbers:
        hand = np.random.default_rng([seed, 31, at])
        table = list(TABLES)[at % len(TABLES)]
        yield _photo(table, (A4, LETTER, A5)[at % 3], hand)


def _photo(table: str, paper: PaperSize, hand: Generator) -> TruePhoto:
    height, width = SIZE_PX
    kinds = [kind for kind in PRINT_KINDS if kind not in {"receipt", "bordered"}]
    sheet = draw_page(PRINT_KINDS[str(hand.choice(kinds))], hand, 200, paper).astype(np.float32)
    sheet *= np.float32(np.array((255, hand.uniform(246, 255), hand.uniform(228, 252))) / 255)
    homography, corners = _seen_from(sheet.shape[1], sheet.shape[0], hand)
    scene = _table(np.array(TABLES[table], np.float32), hand)
    placed = cv2.warpPerspective(
        np.dstack([sheet, np.full(sheet.shape[:2], 255, np.float32)]), homography, (width, height), flags=cv2.INTER_AREA
    )
    alpha = cv2.GaussianBlur(placed[..., 3:], (0, 0), 0.7)[..., None] / 255
    shift = np.array([[1, 0, hand.uniform(-10, 10)], [0, 1, hand.uniform(0, 12)]])
    shadow = cv2.GaussianBlur(cv2.warpAffine(alpha[..., 0], shift, (width, height)), (0, 0), float(hand.uniform(5, 14)))
    scene *= 1 - float(hand.uniform(0.1, 0.5)) * shadow[..., None]
    scene += (placed[..., :3] - scene) * alpha
    scene *= light(height, width, float(hand.uniform(0.1, 0.5)), hand)
    scene = cv2.GaussianBlur(scene, (0, 0), float(hand.uniform(0.5, 1.3))) + noise(
        height, width, float(hand.uniform(1, 5)), hand
    )
    return TruePhoto(table, jpeg(scene.clip(0, 255).astype(np.uint8), int(hand.integers(70, 95))), corners, paper)


def _seen_from(width: int, height: int, hand: Generator) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the homography of a sheet that lies near the middle of the view, and its corners there."""
    view_h, view_w = SIZE_PX
    focal = float(hand.uniform(0.8, 1.3)) * view_w
    yaw, pitch, roll = (float(np.radians(hand.uniform(-by, by))) for by in (22, 28, 25))
    turns = [
        cv2.Rodrigues(np.array(axis) * angle)[0]
        for axis, angle in (((0, 1.0, 0), yaw), ((1.0, 0, 0), pitch), ((0, 0, 1.0), roll))
    ]
    rotation = turns[0] @ turns[1] @ turns[2]
    camera = np.array([[focal, 0, (view_w - 1) / 2], [0, focal, (view_h - 1) / 2], [0, 0, 1]])
    distance = focal * max(height / view_h, width / view_w) / float(hand.uniform(0.62, 0.8))
    centring = np.array([[1, 0, -(width - 1) / 2], [0, 1, -(height - 1) / 2], [0, 0, 1]])
    own = np.array([(-0.5, -0.5), (width - 0.5, -0.5), (width - 0.5, height - 0.5), (-0.5, height - 0.5)])
    while True:
        plane = np.column_stack([rotation[:, 0], rotation[:, 1], [0, 0, distance]])
        homography = camera @ plane @ centring
        seen = np.column_stack([own, np.ones(4)]) @ homography.T
        corners = seen[:, :2] / seen[:, 2:]
        if (corners > 8).all() and (corners < np.array([view_w - 9, view_h - 9])).all():
            return homography / homography[2, 2], corners
        distance *= 1.05


def _table(colour: NDArray[np.float32], hand: Generator) -> NDArray[np.float32]:
    height, width = SIZE_PX
    coarse = hand.normal(0, 1, (int(hand.integers(20, 60)), int(hand.integers(4, 10)))).astype(np.float32)
    grain = cv2.resize(coarse, (width, height), interpolation=cv2.INTER_CUBIC)
    fine = cv2.resize(hand.normal(0, 1, (height // 4, width // 40)).astype(np.float32), (width, height))
    return np.asarray(
        colour + (grain * float(hand.uniform(2, 9)) + fine * float(hand.uniform(0, 5)))[..., None], np.float32
    )
