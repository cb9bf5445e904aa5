"""What the pages of a run share is taken out of each: drawn pictures, whose own part is known."""

import numpy as np
import pytest
from numpy.typing import NDArray

from papiermappe.core.order.shared_print import shared_parts, without

SHAPE = (40, 31)  # an odd width: of a real picture's half spectrum only the first column stands for one
PAGES = 8


def spectrum_of(picture: NDArray[np.float64]) -> NDArray[np.complex64]:
    """Return the half of a picture's spectrum that is kept."""
    return np.fft.rfft2(picture).astype(np.complex64)


def picture_of(spectrum: NDArray[np.complex64]) -> NDArray[np.float64]:
    """Return the picture again."""
    return np.fft.irfft2(spectrum, SHAPE)


def alike(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Return the correlation of two pictures."""
    return float((one * other).sum() / np.linalg.norm(one) / np.linalg.norm(other))


@pytest.fixture
def hand() -> np.random.Generator:
    """The same numbers in each test."""
    return np.random.default_rng(20)


def test_a_form_is_taken_out_and_what_is_filled_in_stays(hand: np.random.Generator) -> None:
    form = hand.normal(size=SHAPE)
    filled = [0.3 * hand.normal(size=SHAPE) for _ in range(PAGES)]
    pages = [spectrum_of(form + own) for own in filled]
    parts = shared_parts(pages)
    assert len(parts) == 1
    for page, own in zip(pages, filled, strict=True):
        left = picture_of(without(page, parts))
        assert abs(alike(left, form)) < 0.1
        assert alike(left, own) > 0.9  # an eighth of its strength lies in what all share


def test_pages_of_several_kinds_lose_what_each_kind_shares(hand: np.random.Generator) -> None:
    forms = [hand.normal(size=SHAPE) for _ in range(3)]
    pages = [spectrum_of(forms[at % 3] + 0.3 * hand.normal(size=SHAPE)) for at in range(3 * PAGES)]
    parts = shared_parts(pages)
    assert len(parts) == 3
    assert all(abs(alike(picture_of(without(page, parts)), form)) < 0.1 for page in pages for form in forms)


def test_taking_out_is_the_projection_of_the_pictures_themselves(hand: np.random.Generator) -> None:
    form = hand.normal(size=SHAPE)
    pages = [form + 0.5 * hand.normal(size=SHAPE) for _ in range(PAGES)]
    parts = shared_parts([spectrum_of(page) for page in pages])
    for page in pages:
        left = picture_of(without(spectrum_of(page), parts))
        assert abs(alike(left, page - left)) < 1e-4  # at right angles: nothing of what is shared is left
        assert np.allclose(picture_of(without(spectrum_of(left), parts)), left, atol=1e-4)  # taken out once is enough


def test_pages_that_share_nothing_and_runs_of_few_are_left_alone(hand: np.random.Generator) -> None:
    own = [spectrum_of(hand.normal(size=SHAPE)) for _ in range(PAGES)]
    assert shared_parts(own) == []
    assert without(own[0], []) is own[0]
    form = spectrum_of(hand.normal(size=SHAPE))
    assert shared_parts([form, form]) == []
    assert shared_parts([]) == []
    assert shared_parts([form, form, np.zeros_like(form)]) == []  # an empty page is none
