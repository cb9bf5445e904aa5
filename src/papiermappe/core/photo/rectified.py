"""A sheet that a camera saw slanting, as if seen from straight above."""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.curl import Curl, seen_places
from papiermappe.core.geometry import px_to_mm
from papiermappe.core.paper import A4, ID_CARD, LETTER
from papiermappe.core.photo.camera import Corners, camera_view, eye_over
from papiermappe.core.picture import Pixels, checked

PAPER_WHITE = 255
MAX_PX = 250_000_000
PAPER_ASPECTS = tuple(max(paper[1:]) / min(paper[1:]) for paper in (A4, LETTER, ID_CARD))
MOST_FORESHORTENED = 2.2  # seen from under 27 degrees above the table; more comes of corners that are not exact
SAME_ASPECT = (0.025, 0.04)  # of a ratio's logarithm: a paper size is taken that is as near, at least and at most...
SAME_DEVIATIONS = 2.0  # ...and between the two so many standard deviations of what the corners tell of the ratio
GRID_PX = 16  # between two places for which it is computed where they are seen
STRIP_PX = 512  # rows that are resampled at once, so that their places take little memory


def outline_px(width_px: int, height_px: int) -> Corners:
    """Return the corners of a whole picture.

    >>> outline_px(4, 3)[2].tolist()
    [3.5, 2.5]
    """
    right, bottom = width_px - 0.5, height_px - 0.5
    return np.array([(-0.5, -0.5), (right, -0.5), (right, bottom), (-0.5, bottom)])


def rectify(
    photo: Pixels, corners_px: Corners, scale: float = 1.0, curl: Curl | None = None, dpi: float = 300.0
) -> Pixels:
    """Return the sheet as seen from straight above, as large as its longest sides on the photo.

    Args:
        photo: grey (h, w) or RGB (h, w, 3), uint8.
        corners_px: of the sheet.
        scale: of the result; less than a half leaves out much of the print.
        curl: how the sheet is bent; None: not at all.
        dpi: of the photo, for the curl.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(photo, 300)
    size = rectified_size_px(corners_px, whole.shape[1], whole.shape[0])
    height, width = (max(1, round(side * scale)) for side in size)
    larger = np.diag([size[1] / width, size[0] / height, 1.0])
    larger[:2, 2] = (np.diag(larger)[:2] - 1) / 2
    return FlatSheet(whole.shape, corners_px, curl, dpi).cut(whole, larger, (height, width))


class FlatSheet:
    """A sheet on a photo, made flat: as seen from straight above, and as large as its longest sides on the photo."""

    def __init__(
        self, photo_shape: tuple[int, ...], corners_px: Corners, curl: Curl | None = None, dpi: float = 300.0
    ) -> None:
        """Take a sheet.

        Args:
            photo_shape: height and width of the photo first.
            corners_px: of the sheet.
            curl: how it is bent; None: not at all.
            dpi: of the photo, for the curl.
        """
        self._corners, self._curl, self._dpi = np.asarray(corners_px, np.float64), curl, dpi
        self._photo_height, self._photo_width = photo_shape[:2]
        self.height_px, self.width_px = rectified_size_px(self._corners, self._photo_width, self._photo_height)
        flat = outline_px(self.width_px, self.height_px).astype(np.float32)
        carry = cv2.getPerspectiveTransform(flat, self._corners.astype(np.float32))
        self._to_photo = np.asarray(carry, np.float64)

    def on_photo(self, places_px: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where places of the flat sheet, (..., 2) `(x, y)` in px, are on the photo."""
        if self._curl is not None:
            size_mm = px_to_mm(self.width_px, self._dpi), px_to_mm(self.height_px, self._dpi)
            eye = eye_over(self._corners, self._photo_width, self._photo_height, size_mm)
            per_px = px_to_mm(1, self._dpi)
            places_px = seen_places(self._curl, size_mm, eye, (places_px + 0.5) * per_px) / per_px - 0.5
        seen = cv2.perspectiveTransform(places_px.reshape(1, -1, 2), self._to_photo)
        return np.asarray(seen, np.float64).reshape(places_px.shape)

    def from_photo(self, places_px: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where places of the photo, (n, 2), are on the sheet made flat by its corners alone."""
        return np.asarray(cv2.perspectiveTransform(places_px[None], np.linalg.inv(self._to_photo))[0], np.float64)

    def cut(self, photo: Pixels, carry: NDArray[np.float64], size_px: tuple[int, int]) -> Pixels:
        """Return a part of the flat sheet; what lies beyond the photo is white.

        Args:
            photo: grey (h, w) or RGB (h, w, 3), uint8.
            carry: (3, 3), carries `(x, y)` of the result to px of the flat sheet.
            size_px: height and width of the result.
        """
        height, width = size_px
        white = (PAPER_WHITE,) * 3
        if self._curl is None:
            flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
            flat = cv2.warpPerspective(photo, self._to_photo @ carry, (width, height), flags=flags, borderValue=white)
            return np.asarray(flat, np.uint8)
        cut = np.empty((height, width, *photo.shape[2:]), np.uint8)
        for top in range(0, height, STRIP_PX):
            strip = cut[top : top + STRIP_PX]
            x, y = self._seen(carry, top, strip.shape[:2])
            cv2.remap(photo, x, y, cv2.INTER_CUBIC, strip, cv2.BORDER_CONSTANT, white)
        return cut

    def _seen(
        self, carry: NDArray[np.float64], top: int, size_px: tuple[int, int]
    ) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Return where each px of a strip of the result is on the photo, x and y, from the places of a grid."""
        height, width = size_px
        rows, cols = ((np.arange(-(-side // GRID_PX) + 2) - 0.5) * GRID_PX - 0.5 for side in size_px)
        grid = np.stack(np.meshgrid(cols, rows + top), axis=-1)
        flat = cv2.perspectiveTransform(grid.reshape(1, -1, 2), carry).reshape(grid.shape)
        seen = self.on_photo(np.asarray(flat, np.float64)).astype(np.float32)
        finer = cv2.resize(seen, None, fx=GRID_PX, fy=GRID_PX, interpolation=cv2.INTER_LINEAR)
        strip = finer[GRID_PX : GRID_PX + height, GRID_PX : GRID_PX + width]
        return np.ascontiguousarray(strip[..., 0]), np.ascontiguousarray(strip[..., 1])


def rectified_size_px(corners_px: Corners, width_px: int, height_px: int) -> tuple[int, int]:
    """Return height and width of the sheet when it is seen from straight above."""
    first, second, third, fourth = np.asarray(corners_px, np.float64)
    across = max(math.dist(first, second), math.dist(fourth, third))
    down = max(math.dist(first, fourth), math.dist(second, third))
    aspect = _aspect(np.asarray(corners_px, np.float64), width_px, height_px, across / max(down, 1.0))
    width, height = (across, across / aspect) if across >= down * aspect else (down * aspect, down)
    shrink = min(1.0, math.sqrt(MAX_PX / max(width * height, 1.0)))
    return max(1, round(height * shrink)), max(1, round(width * shrink))


def _aspect(corners_px: Corners, width_px: int, height_px: int, seen: float) -> float:
    """Return the sheet's own width over its height, given that of its sides as they are seen."""
    view = camera_view(corners_px, width_px, height_px)
    if view is None or not 1 / MOST_FORESHORTENED < view.aspect / seen < MOST_FORESHORTENED:
        return seen
    tall = max(view.aspect, 1 / view.aspect)
    nearest = min(PAPER_ASPECTS, key=lambda known: abs(math.log(tall / known)))
    if abs(math.log(tall / nearest)) > np.clip(SAME_DEVIATIONS * view.aspect_off, *SAME_ASPECT):
        return view.aspect
    return nearest if view.aspect >= 1 else 1 / nearest
