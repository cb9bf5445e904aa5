"""Watching what lies before a camera: when a sheet lies still and whole, and is not the one that was taken last."""

from enum import StrEnum
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.order.code_reading import READ_DPI, read_codes
from papiermappe.core.order.dividers import CodeUse, meaning_of
from papiermappe.core.photo.bare_table import Look, is_as_before, sheet_on, small_look
from papiermappe.core.photo.camera import Corners
from papiermappe.core.photo.corners import PhotoCorners, find_corners
from papiermappe.core.photo.likeness import is_same_side, looked_at
from papiermappe.core.photo.obstacles import glares, has_hand, is_blurred, is_too_dark
from papiermappe.core.photo.rectified import rectify
from papiermappe.core.picture import Pixels, to_grey

STILL_S = 0.4
LIKELY = 0.15  # the whole picture is taken, and a person told where its corners are not sure
BARE_S = 0.3  # so long nothing is found and nothing moves: the table is empty
LOOK_AGAIN_S = 0.7  # while nothing sure is found, or all is moving: looking for the sheet takes long
SMALL = (96, 72)
MOVED_LEVELS = 5.0
MOVED_CELLS = 12  # of the small picture
RIM_SHARE = 0.004


class SeenState(StrEnum):
    """What is to be said of a frame."""

    NO_SHEET = "no_sheet"
    MOVING = "moving"
    HAND = "hand"
    REACHES_OUT = "reaches_out"
    """The sheet is not wholly in the picture."""
    TOO_DARK = "too_dark"
    GLARE = "glare"
    BLURRED = "blurred"
    STILL = "still"
    """All is well, and it is about to be taken."""
    DIVIDER = "divider"
    """A divider lies there: a document ends."""
    TAKE = "take"
    """The full picture is to be taken now."""
    IN = "in"
    """It was taken already."""


class Seen(NamedTuple):
    """What a frame shows."""

    state: SeenState
    corners_px: Corners | None
    """Of the sheet, for it to be outlined; None where none is seen."""
    name: str | None = None
    """That a divider gives the next document."""
    by_table: bool = False
    """Whether the empty table told where the sheet is, which the full picture alone would not."""


class CameraWatch:
    """Judges the frames of one camera, one after the other."""

    def __init__(self) -> None:
        self._small: NDArray[np.float32] | None = None
        self._still_since_s: float | None = None
        self._corners: Corners | None = None
        self._is_by_table = False
        self._looked_at_s: float | None = None
        self._bare: Look | None = None
        """The table with nothing on it, as far as that has been seen."""
        self._taken: Pixels | None = None
        self._is_in = False
        """Whether what lies there was compared with what was taken, and is that."""
        self._divider: str | None = None
        """What the divider says that lies there; None: it is none."""

    def judge(self, frame: Pixels, at_s: float) -> Seen:
        """Return what a frame shows.

        Args:
            frame: RGB (h, w, 3), uint8.
            at_s: when it was seen, by a clock that only goes forwards.
        """
        has_moved = self._has_moved(frame)
        if has_moved:
            self._still_since_s, self._is_in, self._divider = None, False, None
        elif self._still_since_s is None:
            self._still_since_s, self._looked_at_s = at_s, None  # what was found while it moved lies elsewhere
        if self._looked_at_s is None or (
            at_s - self._looked_at_s >= LOOK_AGAIN_S and (has_moved or self._corners is None)
        ):
            self._look(frame, at_s)
        return Seen(self._state(frame, at_s, has_moved), self._corners, self._divider, self._is_by_table)

    def note_taken(self, frame: Pixels) -> None:
        """Take what a frame shows for taken, as when somebody has taken it by hand."""
        self._look(frame, self._looked_at_s or 0.0)
        if self._corners is not None:
            self._taken, self._is_in = looked_at(rectify(frame, self._corners)), True

    def forget(self) -> None:
        """Let what was taken last be taken once more: not as it lies, but as soon as something has moved."""
        self._taken = None

    def _has_moved(self, frame: Pixels) -> bool:
        grey = cv2.cvtColor(frame, cv2.COLOR_RGB2GRAY)
        small = np.asarray(cv2.resize(grey, SMALL, interpolation=cv2.INTER_AREA), np.float32)
        before, self._small = self._small, small
        if before is None:
            return True
        off = small - before
        off -= np.median(off)  # the camera sets its brightness anew
        return int((np.abs(off) > MOVED_LEVELS).sum()) >= MOVED_CELLS

    def _look(self, frame: Pixels, at_s: float) -> None:
        found = find_corners(frame)
        self._is_by_table = found.likelihood < LIKELY
        seen: PhotoCorners | None = found
        if self._is_by_table:
            seen = None if self._bare is None else sheet_on(frame, self._bare)
        self._corners = None if seen is None else seen.corners_px
        self._looked_at_s = at_s

    def _note_table(self, frame: Pixels) -> None:
        look = small_look(frame)
        if self._bare is None or self._bare.shape != look.shape or is_as_before(look, self._bare):
            self._bare = look

    def _state(self, frame: Pixels, at_s: float, has_moved: bool) -> SeenState:
        if has_hand(frame, self._corners):
            return SeenState.HAND
        if has_moved:
            return SeenState.MOVING
        if self._corners is None:
            if self._still_since_s is not None and at_s - self._still_since_s >= BARE_S:
                self._note_table(frame)
            return SeenState.NO_SHEET
        if self._divider is not None:
            return SeenState.DIVIDER
        if self._is_in:
            return SeenState.IN
        flat = rectify(frame, self._corners)
        trouble = _trouble(frame, self._corners, flat)
        if trouble is not None:
            return trouble
        if self._still_since_s is None or at_s - self._still_since_s < STILL_S:
            return SeenState.STILL
        return self._at_rest(flat)

    def _at_rest(self, flat: Pixels) -> SeenState:
        """Return what is to be said of a sheet that lies still, made flat: a divider, taken already, or to be taken."""
        self._divider = _divider(flat)
        if self._divider is not None:
            return SeenState.DIVIDER
        look = looked_at(flat)
        self._is_in = True
        if self._taken is not None and is_same_side(self._taken, look):
            return SeenState.IN
        self._taken = look
        return SeenState.TAKE


def _trouble(frame: Pixels, corners_px: Corners, flat: Pixels) -> SeenState | None:
    """Return why a sheet that lies still is not to be taken as it is seen; None where nothing is in the way."""
    if _reaches_out(corners_px, frame):
        return SeenState.REACHES_OUT
    if is_too_dark(flat):
        return SeenState.TOO_DARK
    if is_blurred(frame, corners_px):
        return SeenState.BLURRED
    return SeenState.GLARE if glares(flat) else None


def _divider(flat: Pixels) -> str | None:
    """Return the name that a divider gives, empty where it gives none; None where it is no divider."""
    meaning = meaning_of(read_codes(to_grey(flat), READ_DPI))
    return meaning.name if meaning is not None and meaning.use is CodeUse.DIVIDER else None


def _reaches_out(corners_px: Corners, frame: Pixels) -> bool:
    height, width = frame.shape[:2]
    rim = RIM_SHARE * max(height, width)
    low, high = corners_px.min(axis=0), corners_px.max(axis=0)
    return bool((low < rim).any() or high[0] > width - 1 - rim or high[1] > height - 1 - rim)
