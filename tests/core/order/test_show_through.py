"""How well the print of one side is seen on the other, of drawn patterns that lie apart by a known way."""

import numpy as np

from papiermappe.core.order.imprint import Imprint
from papiermappe.core.order.show_through import Comparison, Turn

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
    spectra = [comparison.spectra(one) for one in (*backs, stranger)]
    here, near, apart, other = comparison.scores(comparison.spectra(front), spectra, Turn.LONG_EDGE)
    assert here > near > apart
    assert near > 3 * other
