"""What has broken off a ragged rim, or overhangs it: small dark pieces near it that stand alone, and are no print."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import mm_to_px

LARGEST_MM = 2.3  # a digit of a page number is taller
NEAR_MM = 1.6  # from the rim
ALONE_MM = 2.5  # letters have others beside them
ALONG_MM = 60.0  # of the rim, that tells whether it is ragged
SMOOTH_MM = 5.0
RAGGED_MM, RAGGED_SHARE = 0.1, 0.3  # so far from a smooth line lies so much of it, and less where letters touch it


def with_crumbs(depth: NDArray[np.float64], other: NDArray[np.bool_], dpi: float) -> NDArray[np.float64]:
    """Return the depths of a rim with its crumbs, which are taken out of what else is dark.

    Args:
        depth: in px, of the rim along the upper edge, in each column; 0 where there is none.
        other: (h, w), what is dark and not in a rim; changed.
        dpi: of both.

    >>> even = np.full(600, 30.0)
    >>> with_crumbs(even, np.zeros((800, 600), np.bool_), 150.0) is even
    True
    """
    largest, near, alone = (round(mm_to_px(mm, dpi)) for mm in (LARGEST_MM, NEAR_MM, ALONE_MM))
    ragged = is_ragged(depth, dpi)
    if not ragged.any():
        return depth
    part = other[: int(depth.max()) + near + largest + alone]
    _, labels, stats, _ = cv2.connectedComponentsWithStats(part.astype(np.uint8), connectivity=8)
    small = (stats[:, cv2.CC_STAT_WIDTH] <= largest) & (stats[:, cv2.CC_STAT_HEIGHT] <= largest)
    small[0] = False  # the paper
    candidates = [at for at in np.flatnonzero(small) if _lies_near(stats[at], depth, ragged, near)]
    print_beside = part & ~np.isin(labels, candidates)
    deeper = depth.copy()
    for at in candidates:
        left, top, width, height = (int(value) for value in stats[at][:4])
        rows, columns = slice(top, top + height), slice(left, left + width)
        beside = slice(max(0, top - alone), top + height + alone), slice(max(0, left - alone), left + width + alone)
        if not print_beside[beside].any():
            deeper[columns] = np.maximum(deeper[columns], top + height)
            part[rows, columns][labels[rows, columns] == at] = False
    return deeper


def is_ragged(depth: NDArray[np.float64], dpi: float) -> NDArray[np.bool_]:
    """Return for each column whether the rim is ragged about it.

    Args:
        depth: in px, of the rim in each column; 0 where there is none.
        dpi: of the scan.

    >>> is_ragged(30.0 + 6 * (np.arange(600) // 12 % 2), 150.0).all(), is_ragged(np.full(600, 30.0), 150.0).any()
    (np.True_, np.False_)
    """
    along, smooth = (2 * round(mm_to_px(mm, dpi) / 2) + 1 for mm in (ALONG_MM, SMOOTH_MM))
    row = depth[None].astype(np.float32)
    away = np.abs(row - cv2.blur(row, (smooth, 1), borderType=cv2.BORDER_REPLICATE))
    uneven = ((away > mm_to_px(RAGGED_MM, dpi)) & (row > 0)).astype(np.float32)
    share = cv2.blur(uneven, (along, 1), borderType=cv2.BORDER_REFLECT)[0]
    return np.asarray((share > RAGGED_SHARE) & (depth > 0), np.bool_)


def _lies_near(piece: NDArray[np.int32], depth: NDArray[np.float64], ragged: NDArray[np.bool_], near_px: int) -> bool:
    left, top, width = (int(value) for value in piece[:3])
    columns = slice(left, left + width)
    return bool(ragged[columns].all()) and top - float(depth[columns].max()) <= near_px
