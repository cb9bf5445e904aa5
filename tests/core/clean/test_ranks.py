"""The level of a rank in each column, held against sorting."""

import numpy as np
import pytest

from papiermappe.core.clean.ranks import level_of_rank


@pytest.mark.parametrize("height", [1, 2, 31, 300])
@pytest.mark.parametrize("is_cut_out", [False, True])
def test_it_is_what_sorting_gives(height: int, is_cut_out: bool) -> None:
    hand = np.random.default_rng(height)
    whole = hand.integers(0, 256, (height, 90), np.uint8)
    whole[:, 40:] = hand.integers(0, 2, (height, 50)) * 255  # many alike, and both ends
    rows = whole[:, 5:80] if is_cut_out else whole
    for rank in {0, height // 3, height - 1}:
        assert np.array_equal(level_of_rank(rows, rank), np.sort(rows, axis=0)[rank])


def test_rows_that_must_not_be_written_to_are_taken() -> None:
    rows = np.arange(12, dtype=np.uint8).reshape(3, 4)
    rows.flags.writeable = False
    assert level_of_rank(rows, 1).tolist() == [4, 5, 6, 7]
