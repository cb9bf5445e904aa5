"""What keeps a sheet before a camera from being taken: a hand, too little light, a lamp in it, a blur."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.photo.camera import Corners
from papiermappe.core.picture import Pixels

SKIN_LOW, SKIN_HIGH = (30, 134, 77), (255, 180, 128)  # Y, Cr, Cb
OTHER_LEVELS = 20.0  # skin differs by more from paper and table
HAND_PX = 320  # the longer side of the picture that hands are looked for in
FINGER_SHARE = 0.011  # of the longer side of the frame: thinner things are no fingers
HAND_SHARE = 0.004  # of the frame's area
DARK_LEVEL = 62.0
WHITE, PAPER_AT_MOST = 251, 243
AROUND_SHARE = 0.09
PAPER_PERCENTILE = 70  # there is print around as well
LAMP_SHARE = 0.003  # of the sheet
LAMP_MOST_SHARE = 0.35  # where more is white, all of it is too bright
LAMP_WIDE_SHARE = 0.012  # of its longer side
CORE_SHARE = 0.5  # of how far the middle of a spot is from its rim: within, print is as faint as it gets there
INK_PERCENTILE, LEAST_INK_LEVELS = 3, 25.0  # darker than the paper around: there is print to compare with
AS_DARK = 0.6  # of how dark print is around: print that is no fainter is not lost in a mirrored lamp
FINGER_WIDE_SHARE, FINGER_LEAST_SHARE = 0.02, 0.0015
LEAST_GROUND = 0.02
PROFILE_PX = 9
PROFILES = 24
BLURRED_PX = 4.2  # of a frame 960 px wide: over so much an edge of paper is spread
FRAME_PX = 960.0


class Patch(NamedTuple):
    """A box around something, in px; `right` and `bottom` are just outside."""

    left: int
    top: int
    right: int
    bottom: int


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
    skin = _skin(look, [is_sheet > 0, is_sheet == 0])
    return bool(_patches(skin, FINGER_SHARE, HAND_SHARE, from_rim=True))


def fingers(flat: Pixels) -> list[Patch]:
    """Return where fingers lie on a sheet that was made flat, RGB (h, w, 3): they come in from its rim."""
    whole = np.ones(flat.shape[:2], np.bool_)
    return _patches(_skin(flat, [whole]), FINGER_WIDE_SHARE, FINGER_LEAST_SHARE, from_rim=True)


def _skin(seen: Pixels, grounds: list[NDArray[np.bool_]]) -> NDArray[np.bool_]:
    """Return where the colour of skin is that differs from what is usual on the ground that it lies on."""
    skin = cv2.inRange(cv2.cvtColor(seen, cv2.COLOR_RGB2YCrCb), SKIN_LOW, SKIN_HIGH) > 0
    for ground in grounds:
        if ground.mean() > LEAST_GROUND:
            usual = np.median(seen[ground][::7], axis=0)
            skin &= ~ground | (np.abs(seen - usual.astype(np.float32)).max(axis=2) > OTHER_LEVELS)
    return np.asarray(skin, np.bool_)


def _patches(mask: NDArray[np.bool_], wide_share: float, least_share: float, *, from_rim: bool = False) -> list[Patch]:
    """Return the thick parts of a mask.

    Args:
        mask: (h, w).
        wide_share: what is thinner does not count, as a share of the longer side.
        least_share: nor what is smaller, as a share of the whole.
        from_rim: nor what does not touch the rim.
    """
    height, width = mask.shape
    wide = max(3, round(wide_share * max(height, width))) | 1
    thick = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((wide, wide), np.uint8))
    _, _, stats, _ = cv2.connectedComponentsWithStats(thick)
    found = []
    for left, top, across, down, area in stats[1:].tolist():
        at_rim = left <= 1 or top <= 1 or left + across >= width - 1 or top + down >= height - 1
        if area >= least_share * height * width and (at_rim or not from_rim):
            found.append(Patch(left, top, left + across, top + down))
    return found


def is_too_dark(flat: Pixels) -> bool:
    """Return whether a sheet that was made flat, grey or RGB, has too little light for its print to be read."""
    return bool(np.median(flat) < DARK_LEVEL)


def glares(flat: Pixels) -> list[Patch]:
    """Return where lamps are mirrored on a sheet that was made flat, RGB (h, w, 3): white spots on darker paper.

    Where the paper around is as bright, as on the lit side of a photo, they cannot be told.
    """
    longer = max(flat.shape[:2])
    wide = max(3, round(LAMP_WIDE_SHARE * longer)) | 1
    darkest = cv2.blur(flat.min(axis=2), (5, 5))  # a few white pixels are noise
    white = cv2.morphologyEx((darkest >= WHITE).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((wide, wide), np.uint8))
    found = []
    for patch in _patches(white > 0, LAMP_WIDE_SHARE, LAMP_SHARE):
        spot = np.zeros(white.shape, np.uint8)
        inside = np.s_[patch.top : patch.bottom, patch.left : patch.right]
        spot[inside] = white[inside]
        around = round(AROUND_SHARE * longer) | 1
        ring = (cv2.dilate(spot, np.ones((around, around), np.uint8)) > 0) & (white == 0)
        if np.count_nonzero(spot) > LAMP_MOST_SHARE * spot.size or _goes_through(patch, spot.shape):
            continue  # that is the lit side of the sheet
        if not ring.any() or np.percentile(darkest[ring], PAPER_PERCENTILE) > PAPER_AT_MOST:
            continue
        if not _leaves_print(flat.min(axis=2), spot, ring):
            found.append(patch)
    return found


def _leaves_print(darkest: NDArray[np.uint8], spot: NDArray[np.uint8], ring: NDArray[np.bool_]) -> bool:
    """Return whether print is nearly as dark within a white spot as around it: that is but paper in good light."""
    deep = cv2.distanceTransform(spot, cv2.DIST_L2, 3)
    within, around = darkest[deep >= CORE_SHARE * deep.max()], darkest[ring]
    ink_around = np.percentile(around, PAPER_PERCENTILE) - np.percentile(around, INK_PERCENTILE)
    return bool(
        ink_around >= LEAST_INK_LEVELS and WHITE - np.percentile(within, INK_PERCENTILE) >= AS_DARK * ink_around
    )


def _goes_through(patch: Patch, shape: tuple[int, ...]) -> bool:
    """Return whether a patch reaches from one side of the sheet to the opposite one."""
    return (patch.top == 0 and patch.bottom == shape[0]) or (patch.left == 0 and patch.right == shape[1])


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
