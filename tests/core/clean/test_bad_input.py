"""Whatever is handed in: a right answer or a typed error, never a crash."""

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from papiermappe.core.clean import (
    Areas,
    binarise,
    clear,
    despeckle,
    estimate_skew,
    find_gutter,
    find_sheet,
    find_sheets,
    find_text_block,
    find_upright,
    judge_blank,
    judge_colour,
    judge_quality,
    whiten,
)
from papiermappe.core.photo import find_corners, rectify
from papiermappe.core.picture import Pixels
from papiermappe.errors import PictureRefused

CORNERS = np.array([(0, 0), (9, 0), (9, 9), (0, 9)], float)
FUNCTIONS: dict[str, Callable[[Pixels], object]] = {
    "estimate_skew": lambda page: estimate_skew(page, 150),
    "find_sheet": lambda page: find_sheet(page, 150),
    "find_sheets": lambda page: find_sheets(page, 150),
    "find_upright": lambda page: find_upright(page, 150),
    "judge_blank": lambda page: judge_blank(page, 150),
    "judge_colour": lambda page: judge_colour(page, 150),
    "judge_quality": lambda page: judge_quality(page, 150),
    "binarise": lambda page: binarise(page, 150),
    "whiten": lambda page: whiten(page, 150),
    "despeckle": lambda page: despeckle(page, 150),
    "clear": lambda page: clear(page, Areas([np.array([(0.0, 0.0), (3.0, 0.0), (3.0, 3.0), (0.0, 3.0)])]), 150),
    "find_gutter": lambda page: find_gutter(page, 150),
    "find_corners": find_corners,
    "rectify": lambda page: rectify(page, CORNERS),
    "find_text_block": lambda page: find_text_block(page, 150),
}
every_function = pytest.mark.parametrize("function", FUNCTIONS.values(), ids=FUNCTIONS)

REFUSED = {
    "empty": np.zeros((0, 5), np.uint8),
    "float": np.ones((20, 20)),
    "NaN": np.full((20, 20), np.nan),
    "16-bit": np.ones((20, 20), np.uint16),
    "alpha": np.ones((20, 20, 4), np.uint8),
    "grey and alpha": np.ones((20, 20, 2), np.uint8),
    "a row": np.ones(20, np.uint8),
    "not an array": [[1, 2], [3, 4]],
}


@every_function
@pytest.mark.parametrize("page", REFUSED.values(), ids=REFUSED)
def test_what_is_not_a_picture_is_refused(function: Callable[[object], object], page: object) -> None:
    with pytest.raises(PictureRefused):
        function(page)


@every_function
@pytest.mark.parametrize("shape", [(1, 1), (1, 400), (400, 1), (3, 3), (40, 40), (300, 200), (1, 1, 3), (90, 70, 3)])
@pytest.mark.parametrize("level", [0, 128, 255])
def test_constant_pictures_of_any_size_are_answered(
    function: Callable[[Pixels], object], shape: tuple[int, ...], level: int
) -> None:
    function(np.full(shape, level, np.uint8))


@every_function
def test_strided_pictures_are_answered_as_if_they_were_not(function: Callable[[Pixels], object]) -> None:
    noise = np.random.default_rng(3).integers(0, 256, (240, 180, 3), np.uint8)
    strided = noise[::2, ::-1]
    assert repr(function(strided)) == repr(function(np.ascontiguousarray(strided)))


@pytest.mark.parametrize("dpi", [0, -1, float("nan"), float("inf"), 1e9])
def test_a_resolution_that_cannot_be_is_refused(dpi: float) -> None:
    with pytest.raises(PictureRefused):
        estimate_skew(np.zeros((50, 50), np.uint8), dpi)


@given(st.integers(1, 60), st.integers(1, 60), st.sampled_from([1, 3]), st.integers(0, 2**31))
@settings(deadline=None, max_examples=25)
def test_noise_of_any_size_is_answered(height: int, width: int, channels: int, seed: int) -> None:
    noise = np.random.default_rng(seed).integers(0, 256, (height, width, channels), np.uint8)
    for function in FUNCTIONS.values():
        function(noise[..., 0] if channels == 1 else noise)
