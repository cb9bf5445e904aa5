"""What keeps a sheet before a camera from being taken: a hand, too little light, a lamp in it, a blur."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.photo.rectified import Corners
from papiermappe.core.picture import Pixels

SKIN_LOW, SKIN_HIGH = (30, 134, 77), (255, 180, 128)  # Y, Cr, Cb
OTHER_LEVELS = 20.0  # skin differs by more from paper and table
HAND_PX = 320  # the longer side of the picture that hands are looked for in
FINGER_SHARE = 0.011  # of the longer side of the frame: thinner things are no fingers
HAND_SHARE = 0.004  # of the frame's area
DARK_LEVEL = 62.0
WHITE, PAPER_AT_MOST = 251, 238
LAMP_SHARE = 0.003  # of the sheet
LAMP_MM_SHARE = 0.012
PROFILE_PX = 9
PROFILES = 24
BLURRED_PX = 4.2  # of a frame 960 px wide: over so much an edge of paper is spread
FRAME_PX = 960.0


def has_hand(frame: Pixels, corners_px: Corners | None) -> bool:
    """Return whether a hand, or a part of one, is in the picture.

    It has the colour of skin, is neither like the paper nor like the table, and comes in from the rim of the picture.

    Args:
        frame: RGB (h, w, 3).
        corners_px: of the sheet; None where none is seen.
    """
    scale = min(1.0, HAND_PX / max(frame.shape))
    look = np.asarray(cv2.resize(frame, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.uint8)
    is_sheet = np.zeros(look.shape[:2], np.uint8)
    if corners_px is not None:
        cv2.fillConvexPoly(is_sheet, np.rint(corners_px * scale).astype(np.int32), 255)
    skin = cv2.inRange(cv2.cvtColor(look, cv2.COLOR_RGB2YCrCb), SKIN_LOW, SKIN_HIGH) > 0
    for ground in (is_sheet > 0, is_sheet == 0):
        if ground.mean() > 0.02:
            usual = np.median(look[ground][::7], axis=0)
            skin &= ~ground | (np.abs(look - usual.astype(np.float32)).max(axis=2) > OTHER_LEVELS)
    wide = max(3, round(FINGER_SHARE * max(look.shape))) | 1
    thick = cv2.morphologyEx(skin.astype(np.uint8), cv2.MORPH_OPEN, np.ones((wide, wide), np.uint8))
    _, _, stats, _ = cv2.connectedComponentsWithStats(thick)
    height, width = look.shape[:2]
    for left, top, across, down, area in stats[1:]:
        at_rim = left <= 1 or top <= 1 or left + across >= width - 1 or top + down >= height - 1
        if at_rim and area >= HAND_SHARE * height * width:
            return True
    return False


def is_too_dark(flat: Pixels) -> bool:
    """Return whether a sheet that was made flat, grey or RGB, has too little light for its print to be read."""
    return bool(np.median(flat) < DARK_LEVEL)


def has_glare(flat: Pixels) -> bool:
    """Return whether a lamp is mirrored on a sheet that was made flat, RGB (h, w, 3): a white spot brighter than paper.

    Where all of the paper is that bright, it cannot be told.
    """
    darkest = flat.min(axis=2)
    if np.median(darkest) > PAPER_AT_MOST:
        return False
    wide = max(3, round(LAMP_MM_SHARE * max(flat.shape))) | 1
    spots = cv2.morphologyEx((darkest >= WHITE).astype(np.uint8), cv2.MORPH_OPEN, np.ones((wide, wide), np.uint8))
    _, _, stats, _ = cv2.connectedComponentsWithStats(spots)
    return bool((stats[1:, cv2.CC_STAT_AREA] >= LAMP_SHARE * darkest.size).any())


def is_blurred(frame: Pixels, corners_px: Corners) -> bool:
    """Return whether the sides of the sheet are seen so soft that its print is not sharp either.

    Args:
        frame: RGB (h, w, 3).
        corners_px: of the sheet.
    """
    grey = np.asarray(cv2.cvtColor(frame, cv2.COLOR_RGB2GRAY), np.float32)
    widths = [_spread_px(grey, corners_px[at], corners_px[(at + 1) % 4]) for at in range(4)]
    known = [width for width in widths if width is not None]
    return bool(known) and float(np.median(known)) > BLURRED_PX * max(frame.shape) / FRAME_PX


def _spread_px(grey: NDArray[np.float32], start: NDArray[np.float64], end: NDArray[np.float64]) -> float | None:
    """Return over how many px the step across a side is spread; None where it shows no step."""
    along = end - start
    normal = np.array([-along[1], along[0]]) / max(float(np.linalg.norm(along)), 1.0)
    places = start + along * np.linspace(0.1, 0.9, PROFILES)[:, None]
    offsets = np.arange(-PROFILE_PX, PROFILE_PX + 1)
    x = (places[:, None, 0] + normal[0] * offsets).astype(np.float32)
    y = (places[:, None, 1] + normal[1] * offsets).astype(np.float32)
    steps = np.abs(np.diff(cv2.remap(grey, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), axis=1))
    best = steps.max(axis=1)
    clear = best >= max(6.0, float(np.median(best)) * 0.5)
    if clear.sum() < PROFILES // 4:
        return None
    near = steps[clear] * (steps[clear] > 0.12 * best[clear][:, None])  # the grain of the table is not the step
    return float(np.median(near.sum(axis=1) / best[clear]))
