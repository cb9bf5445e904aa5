"""How well the print of one side is seen on the other, of drawn patterns that lie apart by a known way."""

import numpy as np
import pytest

from papiermappe.core.order.imprint import Imprint
from papiermappe.core.order.show_through import Comparison, Spectra, Turn, half_spectrum

SHAPE = (120, 90)


def side(printed: np.ndarray, shade: np.ndarray) -> Imprint:
    """Return a side with a print and with what shines through."""
    return Imprint(printed.astype(np.int8), shade.astype(np.int8), b"", (250.0, 250.0, 250.0))


def test_what_lies_in_register_counts_more_than_what_lies_apart() -> None:
    hand = np.random.default_rng(3)
    pattern, nothing = hand.normal(0, 20, SHAPE), np.zeros(SHAPE)
    front = side(nothing, pattern + hand.normal(0, 20, SHAPE))
    backs = [side(np.roll(pattern, by, axis=1)[:, ::-1], nothing) for by in (0, 2, 5)]  # as seen from behind
    stranger = side(hand.normal(0, 20, SHAPE), nothing)
    comparison = Comparison([front, *backs, stranger])
    one, *others = (
        Spectra(*(comparison.spectrum(picture.astype(np.float32)) for picture in (page.shade, page.printed[:, ::-1])))
        for page in (front, *backs, stranger)
    )
    here, near, apart, other = comparison.scores(one, others, Turn.LONG_EDGE)
    assert here > near > apart
    assert near > 3 * other


@pytest.mark.parametrize("shape", [(2, 7), (3, 8), (8, 5), (9, 12), (64, 45)])
def test_the_half_spectrum_is_that_of_a_plain_transform(shape: tuple[int, int]) -> None:
    picture = np.random.default_rng(1).normal(size=shape).astype(np.float32)
    columns = (shape[1] + 1) // 2
    assert np.allclose(half_spectrum(picture, columns), np.fft.rfft2(picture)[:, :columns], atol=1e-3)
