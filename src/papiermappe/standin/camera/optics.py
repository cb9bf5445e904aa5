"""How a camera above a table sees places: a pinhole and its lens.

Lengths in mm: x to the right, y towards the person at the table, z up from it.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Places = NDArray[np.float64]
SOLVING_STEPS = 10


@dataclass(frozen=True)
class Camera:
    """A camera that looks at a place on the table.

    Args:
        width_px: of its pictures.
        height_px: of its pictures.
        eye_mm: where it is.
        aim_mm: the place on the table in the middle of its pictures.
        roll_deg: by how much it is turned about its axis.
        view_deg: the angle that the width of its pictures takes in.
        bend: how far the lens carries the corners of a picture inwards, as a share of their distance from the middle.
    """

    width_px: int
    height_px: int
    eye_mm: tuple[float, float, float]
    aim_mm: tuple[float, float]
    roll_deg: float = 0.0
    view_deg: float = 62.0
    bend: float = 0.0

    @cached_property
    def _axes(self) -> Places:
        """Right, down and forwards, (3, 3), as rows."""
        forwards = np.array([*self.aim_mm, 0.0]) - np.array(self.eye_mm)
        forwards /= np.linalg.norm(forwards)
        down = np.array([0.0, 1.0, 0.0]) - forwards * forwards[1]
        down /= np.linalg.norm(down)
        right = np.cross(forwards, down)
        roll = np.radians(self.roll_deg)
        turned = np.array([[np.cos(roll), -np.sin(roll)], [np.sin(roll), np.cos(roll)]]) @ np.array([right, down])
        return np.vstack([turned, forwards])

    @property
    def focal_px(self) -> float:
        """The distance of the pinhole from the picture."""
        return float(self.width_px / 2 / np.tan(np.radians(self.view_deg / 2)))

    def straight(self, places_mm: Places) -> Places:
        """Return where places `(x, y, z)`, (n, 3), would be seen without the lens, in px, (n, 2)."""
        seen = (places_mm - np.array(self.eye_mm)) @ self._axes.T
        middle = np.array([self.width_px, self.height_px]) / 2
        return np.asarray(seen[:, :2] / seen[:, 2:] * self.focal_px + middle)

    def through_lens(self, straight_px: Places) -> Places:
        """Return where places are seen that would be at `straight_px`, (n, 2), without the lens."""
        away, reach = self._from_middle(straight_px)
        bent = away.copy()
        for _ in range(SOLVING_STEPS):
            bent = away * (1 - self.bend * (np.linalg.norm(bent, axis=1, keepdims=True) / reach) ** 2)
        return np.asarray(bent + straight_px - away)

    def before_lens(self) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Return, for every px of a picture, the place from which the lens takes it: x and y, (h, w) each."""
        y_px, x_px = np.mgrid[: self.height_px, : self.width_px].astype(np.float32)
        away = np.stack([x_px - self.width_px / 2, y_px - self.height_px / 2])
        far = np.hypot(*away) / (np.hypot(self.width_px, self.height_px) / 2)
        grown = away / (1 - self.bend * far**2)
        return (
            np.asarray(grown[0] + self.width_px / 2, np.float32),
            np.asarray(grown[1] + self.height_px / 2, np.float32),
        )

    def _from_middle(self, places_px: Places) -> tuple[Places, float]:
        middle = np.array([self.width_px, self.height_px]) / 2
        return places_px - middle, float(np.linalg.norm(middle))
