"""The paper of a run: where it is bare on most pages, and what shows there on all of them.

Print can only be seen from behind where the other side is bare: in a pile of full-page pictures that is the margin,
and a caption tells more than all pictures. What shows at the same place on page after page (the edge of a frame, a
tint, a form that shines through every sheet) tells nothing about which sheet it is.
"""

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.order.imprint import Imprint
from papiermappe.core.order.show_through import Turn

SMOOTH_BARE_PX, SMOOTH_TRACES_PX = 1.5, 1.0  # sheets do not lie to the pixel where others lay
SHOWN_BY = 1.0  # pages: of traces that no more others show, only half is taken for the run's

_Levels = NDArray[np.float32]


class PaperOfRun:
    """What the paper of a run's pages shows, laid at their top left corners.

    Args:
        sides: the pages of the run that are known.

    >>> stain = np.zeros((8, 8), np.int8); stain[2:5] = 60
    >>> side = Imprint(np.zeros((8, 8), np.int8), stain, b"", (250.0, 250.0, 250.0))
    >>> own = PaperOfRun([side] * 9).own_shade(side)
    >>> int(own[3, 3]) < 12
    True
    """

    def __init__(self, sides: Sequence[Imprint]) -> None:
        shape = tuple(max((side.shade.shape[axis] for side in sides), default=1) for axis in (0, 1))
        self._total, self._bare, pages = (np.zeros(shape, np.float32) for _ in range(3))
        for side in sides:
            height, width = side.shade.shape
            self._total[:height, :width] += side.shade
            self._bare[:height, :width] += side.shade != 0
            pages[:height, :width] += 1
        self._often = _smooth(self._bare / np.maximum(pages, 1), SMOOTH_BARE_PX)

    def own_shade(self, side: Imprint) -> _Levels:
        """Return a page's shade, less what the other pages of the run show at the same place, (h, w).

        It counts in so far as the run's paper is bare there: a picture that is seen on one empty page among pictures
        is not looked for on the others.
        """
        height, width = side.shade.shape
        is_bare = (side.shade != 0).astype(np.float32)
        others = _smooth(self._total[:height, :width] - side.shade, SMOOTH_TRACES_PX)
        count = _smooth(self._bare[:height, :width] - is_bare, SMOOTH_TRACES_PX).clip(0)
        own = side.shade - others / (count + SHOWN_BY)
        return np.asarray(own * is_bare * self._often[:height, :width], np.float32)

    def seen_through(self, printed: NDArray[np.int8], turn: Turn) -> _Levels:
        """Return the print of a side of the other run as it is seen through this one's paper, (h, w)."""
        behind = np.asarray(printed[:, ::-1] if turn is Turn.LONG_EDGE else printed[::-1], np.float32)
        height, width = (min(mine, other) for mine, other in zip(self._often.shape, behind.shape, strict=True))
        seen = np.zeros(behind.shape, np.float32)
        seen[:height, :width] = behind[:height, :width] * self._often[:height, :width]
        return seen


def _smooth(levels: NDArray[np.floating[Any]], sigma_px: float) -> _Levels:
    return np.asarray(cv2.GaussianBlur(levels, (0, 0), sigma_px), np.float32)
