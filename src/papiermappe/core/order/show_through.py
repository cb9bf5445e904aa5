"""How well the print of one side shines through on the other: for many pairs of fronts and backs.

The shade on each side is correlated with the print of the other, mirrored (normalised cross-correlation with a partly
whitened spectrum: Knapp and Carter, The generalized correlation method, 1976). Both directions add up to one surface,
whose peak is taken where the sheet allows it, against the deviation of the rest.
"""

from collections.abc import Sequence
from enum import StrEnum
from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.order.imprint import Imprint

REACH_PX = 6  # 6 mm: how far apart the two sides of a sheet may have been taken
CYCLES = (1 / 9, 3 / 8)  # a pixel: what is slower is light, what is faster is grain
WHITENED = 0.7  # 1 takes out all differences in strength between frequencies, 0 none

_Spectrum = NDArray[np.complex64]


LEAST_SEEN = 25.0  # the norm of print behind bare paper, on both sides together, that must be there to be seen


class Turn(StrEnum):
    """The edge at which a sheet is turned over to see its back."""

    LONG_EDGE = "long_edge"
    SHORT_EDGE = "short_edge"


class Spectra(NamedTuple):
    """A side, ready to be compared."""

    shade: _Spectrum
    mirrored_print: _Spectrum


class Comparison:
    """Compares sides of sheets.

    Args:
        sides: all that will be compared; they give the size to work with.
        turn: at which the sheets are turned over.
    """

    def __init__(self, sides: Sequence[Imprint], turn: Turn) -> None:
        self._turn = turn
        tallest = max((side.shade.shape[0] for side in sides), default=1)
        widest = max((side.shade.shape[1] for side in sides), default=1)
        self._shape = (cv2.getOptimalDFTSize(tallest + 2 * REACH_PX), cv2.getOptimalDFTSize(widest + 2 * REACH_PX))
        self._rows, self._band, self._down, self._across = _kept(self._shape)

    def spectra(self, side: Imprint) -> Spectra:
        """Return a side's spectra."""
        printed = side.printed.astype(np.float32)
        mirrored = printed[:, ::-1] if self._turn is Turn.LONG_EDGE else printed[::-1]
        return Spectra(self._spectrum(side.shade.astype(np.float32)), self._spectrum(mirrored))

    def scores(self, front: Spectra, backs: Sequence[Spectra]) -> NDArray[np.float64]:
        """Return for each back how far its peak stands above the rest, in standard deviations."""
        here = front.shade * np.stack([back.mirrored_print for back in backs]).conj()
        there = np.stack([back.shade for back in backs]) * front.mirrored_print.conj()
        both = here + self._seen_from_the_front(there)
        surface = ((self._down @ both) @ self._across).real
        power = _strengths(both).sum(axis=1)
        # of a real picture only half of the spectrum is kept: all columns but the first stand for two
        deviation = np.sqrt(2 * power.sum(axis=1) - power[:, 0] + 1e-20)
        return np.asarray(surface.max(axis=(1, 2)) / deviation, np.float64)

    def _seen_from_the_front(self, spectra: _Spectrum) -> _Spectrum:
        """Return surfaces as they are where the sheet has not been turned over: flipped along the axis of the turn."""
        rows = len(self._rows)
        flipped = spectra[:, (-np.arange(rows)) % rows]
        return flipped if self._turn is Turn.LONG_EDGE else flipped.conj()

    def _spectrum(self, picture: NDArray[np.float32]) -> _Spectrum:
        whole = np.fft.rfft2(picture, self._shape)
        spectrum = whole[self._rows, : self._band.shape[1]].astype(np.complex64) * self._band
        whitened = spectrum * np.maximum(_strengths(spectrum), 1e-20) ** np.float32(-WHITENED / 2)
        total = float(np.sqrt(_strengths(whitened).sum()))
        return np.asarray(whitened / max(total, 1e-12), np.complex64)


def _strengths(spectrum: _Spectrum) -> NDArray[np.float32]:
    """Return the squared magnitudes."""
    return np.asarray(spectrum.real**2 + spectrum.imag**2, np.float32)


class _Kept(NamedTuple):
    """The part of a spectrum that is kept, and the way back from it to a few shifts."""

    rows: NDArray[np.intp]
    band: NDArray[np.float32]
    down: _Spectrum
    across: _Spectrum


@lru_cache(maxsize=8)
def _kept(shape: tuple[int, int]) -> _Kept:
    height, width = shape
    highest, widest = int(height * CYCLES[1]), int(width * CYCLES[1])
    rows = np.arange(-highest, highest + 1) % height
    rows = np.roll(rows, -highest)  # 0 first, as in a whole spectrum
    columns = np.arange(widest + 1)
    cycles = np.hypot(np.fft.fftfreq(height)[rows][:, None], columns[None] / width)
    shifts = np.arange(-REACH_PX, REACH_PX + 1)
    down = np.exp(2j * np.pi * shifts[:, None] * rows[None] / height)
    weights = np.where(columns == 0, 1.0, 2.0)  # all columns but the first stand for two
    across = np.exp(2j * np.pi * columns[:, None] * shifts[None] / width) * weights[:, None]
    band = ((cycles > CYCLES[0]) & (cycles < CYCLES[1])).astype(np.float32)
    return _Kept(rows, band, down.astype(np.complex64), across.astype(np.complex64))


def can_be_seen(front: Imprint, back: Imprint, turn: Turn) -> bool:
    """Return whether enough print lies behind bare paper, on either side, for the two to be compared.

    Where pictures hide each other, or both sides are nearly empty, nothing shows whether they belong together.
    """
    height, width = (min(lengths) for lengths in zip(front.shade.shape, back.shade.shape, strict=True))
    seen = 0.0
    for near, far in ((front, back), (back, front)):
        behind = far.printed[:height, :width][
            (slice(None), slice(None, None, -1)) if turn is Turn.LONG_EDGE else slice(None, None, -1)
        ]
        levels = np.where(near.shade[:height, :width] != 0, behind, 0).astype(np.float32)
        seen += float((levels * levels).sum())
    return seen >= LEAST_SEEN**2
