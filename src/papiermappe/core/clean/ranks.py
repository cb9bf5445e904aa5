"""The level of a rank in each column of a picture: a percentile of bytes, many times as fast as sorting them."""

import numpy as np

from papiermappe.core.compiled import compiled
from papiermappe.core.picture import Pixels


def level_of_rank(rows: Pixels, rank: int) -> Pixels:
    """Return of each column the level that would stand at a place if the column were sorted, the darkest at 0.

    Args:
        rows: (h, w), uint8, of fewer than 65,536 rows.
        rank: 0 to h - 1.

    Returns:
        (w,), uint8.

    >>> level_of_rank(np.array([[9, 1], [7, 250], [8, 3]], np.uint8), 1)
    array([8, 3], dtype=uint8)
    """
    return _found_by_bits(rows if rows.flags.writeable else rows.copy(), rank)  # the compiler's types tell them apart


@compiled("u1[::1](u1[:, :], i8)")
def _found_by_bits(rows: Pixels, rank: int) -> Pixels:
    """Find the highest level that at most `rank` rows are darker than, bit by bit, for all columns at once."""
    height, width = rows.shape
    level = np.zeros(width, np.uint8)
    tried, darker = np.empty(width, np.uint8), np.empty(width, np.uint16)
    for bit in range(7, -1, -1):
        for column in range(width):
            tried[column] = level[column] | (1 << bit)
            darker[column] = 0
        for row in range(height):
            for column in range(width):
                darker[column] += np.uint16(rows[row, column] < tried[column])
        for column in range(width):
            if darker[column] <= rank:
                level[column] = tried[column]
    return level
