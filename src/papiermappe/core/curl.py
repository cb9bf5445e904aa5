"""Paper that does not lie flat: how far the sides of its sheet bow, and where that shows what is printed on it.

A sheet of paper bends along one direction only, as a part of a cylinder or a cone. Seen as if from straight above,
with its four corners where they belong, a line of print then runs as the nearest sides do: along the top as the top
side, along the bottom as the bottom side, and between them in proportion.
"""

from typing import Annotated, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

MAX_BOW_MM = 60.0
KNOTS = (0.25, 0.5, 0.75)
"""Where along a side its bow is told; it is 0 at both ends."""
STEPS = 256
MAX_LARGER = 0.4  # nearer to the camera, paper looks larger by no more than this share

Numbers = NDArray[np.float64]
Bow = Annotated[float, Field(ge=-MAX_BOW_MM, le=MAX_BOW_MM)]
Bows = tuple[Bow, Bow, Bow]


class Curl(BaseModel):
    """How a sheet is bent, as it is seen once it is made flat by its corners."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    first: Bows
    """Of the top side, or of the left one where it bends sideways: how far it lies off the line between its corners at
    a quarter, a half and three quarters of it, in mm, downwards or to the right positive."""
    last: Bows
    """Of the bottom side, or of the right one."""
    sideways: bool = False
    """Whether the left and the right side bow, not the top and the bottom."""
    confidence: Annotated[float, Field(ge=0, le=1)] = 1.0
    on: bool = True

    @property
    def largest_mm(self) -> float:
        """How far it bows where it bows most.

        >>> Curl(first=(1, -2.5, 1), last=(0, 0, 0)).largest_mm
        2.5
        """
        return max(abs(bow_mm) for bow_mm in (*self.first, *self.last))


class Eye(NamedTuple):
    """Where the camera was, on the flat sheet and above it, in mm."""

    x_mm: float
    y_mm: float
    high_mm: float


def bow_shapes(along: Numbers) -> Numbers:
    """Return the three curves that bows are made of, (..., 3): of degree four, 1 at their own knot, 0 at the others.

    Args:
        along: (...), 0 to 1 from one end of a side to the other.

    >>> np.abs(bow_shapes(np.array([0.25, 0.75]))).tolist()
    [[1.0, 0.0, 0.0], [0.0, 0.0, 1.0]]
    """
    shapes = np.ones((*along.shape, len(KNOTS)))
    for number, knot in enumerate(KNOTS):
        for zero in (0.0, *KNOTS, 1.0):
            if zero != knot:
                shapes[..., number] *= (along - zero) / (knot - zero)
    return shapes


def seen_places(curl: Curl, size_mm: tuple[float, float], eye: Eye, places_mm: Numbers) -> Numbers:
    """Return where places of a sheet that lies flat are seen on the bent one.

    Args:
        curl: of the sheet.
        size_mm: width and height of the sheet.
        eye: of the camera.
        places_mm: (..., 2), `(x, y)` from the top left of the sheet; what lies beyond it goes on as at its side.

    >>> curl = Curl(first=(0, 2, 0), last=(0, 0, 0))
    >>> places = np.array([(100, 0), (100, 50), (100, 100)])
    >>> seen_places(curl, (200, 100), Eye(100, 50, 400), places)[:, 1].tolist()
    [2.0, 51.0, 100.0]
    """
    if curl.sideways:
        upright = curl.model_copy(update={"sideways": False})
        turned = Eye(eye.y_mm, eye.x_mm, eye.high_mm)
        return np.asarray(seen_places(upright, size_mm[::-1], turned, places_mm[..., ::-1])[..., ::-1])
    width_mm, height_mm = size_mm
    x_mm, y_mm = places_mm[..., 0], places_mm[..., 1]
    x_seen = _seen_along(curl, size_mm, eye, x_mm)
    shapes = bow_shapes(np.clip(x_seen / width_mm, 0, 1))
    first, last = shapes @ np.array(curl.first), shapes @ np.array(curl.last)
    share = y_mm / height_mm
    return np.stack([x_seen, y_mm + (1 - share) * first + share * last], axis=-1)


def _seen_along(curl: Curl, size_mm: tuple[float, float], eye: Eye, x_mm: Numbers) -> Numbers:
    """Return where places along a bent sheet are seen.

    Where its two sides are farther apart than their corners, the sheet is so much nearer to the camera. That tells how
    high it is there, and so how long it is from one place to the next.
    """
    width_mm, height_mm = size_mm
    seen = np.linspace(0, width_mm, STEPS + 1)
    larger = bow_shapes(seen / width_mm) @ (np.array(curl.last) - np.array(curl.first)) / height_mm
    larger = np.clip(larger, -MAX_LARGER, MAX_LARGER)
    below = (seen + eye.x_mm * larger) / (1 + larger)
    high = eye.high_mm * larger / (1 + larger)
    reached = np.concatenate([[0.0], np.hypot(np.diff(below), np.diff(high)).cumsum()])
    beyond = x_mm - np.clip(x_mm, 0, width_mm)
    return np.asarray(np.interp(x_mm - beyond, reached / reached[-1] * width_mm, seen) + beyond)
