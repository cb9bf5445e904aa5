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

from papiermappe.core.compiled import compiled
from papiermappe.core.order.imprint import Imprint

REACH_PX = 6  # 6 mm: how far apart the two sides of a sheet may have been taken
USUAL_SHIFT_PX = 3.0  # sides that were cut to their sheet lie nearly in register: a match far off counts less
CYCLES = (1 / 9, 3 / 8)  # a pixel: what is slower is light, what is faster is grain
WHITENED = 0.7  # 1 takes out all differences in strength between frequencies, 0 none

Spectrum = NDArray[np.complex64]
_Levels = NDArray[np.float32]


LEAST_SEEN = 25.0  # the norm of print behind bare paper, on both sides together, that must be there to be seen


class Turn(StrEnum):
    """The edge at which a sheet is turned over to see its back."""

    LONG_EDGE = "long_edge"
    SHORT_EDGE = "short_edge"


class Spectra(NamedTuple):
    """A side, ready to be compared."""

    shade: Spectrum
    behind: Spectrum
    """Of its print as it shines through where the sheet is turned over."""


class Comparison:
    """Compares sides of sheets.

    Args:
        sides: all that will be compared; they give the size to work with.
    """

    def __init__(self, sides: Sequence[Imprint]) -> None:
        tallest = max((side.shade.shape[0] for side in sides), default=1)
        widest = max((side.shade.shape[1] for side in sides), default=1)
        self._shape = (cv2.getOptimalDFTSize(tallest + 2 * REACH_PX), cv2.getOptimalDFTSize(widest + 2 * REACH_PX))
        self._rows, self._band, self._down, self._across = _kept(self._shape)

    def spectrum(self, picture: _Levels) -> Spectrum:
        """Return the spectrum of a picture, (h, w), within the band that tells something: of unit strength."""
        height, width = picture.shape
        padded = np.zeros(self._shape, np.float32)
        padded[:height, :width] = picture
        return _whitened(half_spectrum(padded, self._band.shape[1])[self._rows], self._band)

    def scores(self, front: Spectra, backs: Sequence[Spectra], turn: Turn) -> NDArray[np.float64]:
        """Return for each back how far its peak stands above the rest, in standard deviations."""
        down, across, is_short = self._down, self._across, turn is Turn.SHORT_EDGE
        found = [_peak(front.shade, front.behind, back.shade, back.behind, down, across, is_short) for back in backs]
        return np.array(found, np.float64)


def half_spectrum(picture: _Levels, columns: int) -> Spectrum:
    """Return the first columns of a picture's spectrum: fewer than half of them; the others are their conjugates.

    OpenCV packs the spectrum of a real picture into its size, in a fifth of the time that the whole one takes: real
    and imaginary parts of a column lie side by side; of the first column, which is its own conjugate, below each other.
    """
    packed = cv2.dft(picture)
    height = len(packed)
    spectrum = np.empty((height, columns), np.complex64)
    spectrum[:, 1:] = np.ascontiguousarray(packed[:, 1 : 2 * columns - 1], np.float32).view(np.complex64)
    first, paired = packed[:, 0], (height - 1) // 2
    spectrum[0, 0], spectrum[height // 2, 0] = first[0], first[-1]  # the middle of an odd height is set right below
    spectrum[1 : paired + 1, 0] = first[1 : 2 * paired : 2] + 1j * first[2 : 2 * paired + 1 : 2]
    spectrum[height - paired :, 0] = np.conj(spectrum[1 : paired + 1, 0])[::-1]
    return spectrum


@compiled("f8(c8[:, ::1], c8[:, ::1], c8[:, ::1], c8[:, ::1], c8[:, ::1], c8[:, ::1], b1)", fastmath=True)
def _peak(front_shade, front_print, back_shade, back_print, down, across, is_short):  # type: ignore[no-untyped-def]
    """Return the highest peak of both ways' cross-correlations added, in standard deviations.

    Compiled instead of products of matrices: those are worked out by all cores, and wait for each other.
    """
    rows, columns = front_shade.shape
    shifts = len(down)
    real, imaginary = np.empty(columns, np.float32), np.empty(columns, np.float32)
    sums = np.zeros((2, shifts, columns), np.float32)
    strength = 0.0
    for row in range(rows):
        flipped = (rows - row) % rows  # what is seen from the back, as it lies where the sheet is not turned over
        for column in range(columns):
            from_the_back = back_shade[flipped, column] * np.conj(front_print[flipped, column])
            value = front_shade[row, column] * np.conj(back_print[row, column])
            value += np.conj(from_the_back) if is_short else from_the_back
            real[column], imaginary[column] = value.real, value.imag
            # of a real picture only half of the spectrum is kept: all columns but the first stand for two
            strength += (value.real**2 + value.imag**2) * (1.0 if column == 0 else 2.0)
        for shift in range(shifts):
            by_real, by_imaginary = down[shift, row].real, down[shift, row].imag
            for column in range(columns):
                sums[0, shift, column] += real[column] * by_real - imaginary[column] * by_imaginary
                sums[1, shift, column] += real[column] * by_imaginary + imaginary[column] * by_real
    highest = 0.0
    for shift in range(shifts):
        for aside in range(shifts):
            level = 0.0
            for column in range(columns):
                by = across[column, aside]
                level += sums[0, shift, column] * by.real - sums[1, shift, column] * by.imag
            highest = max(highest, level)
    return highest / np.sqrt(strength + 1e-20)


def _whitened(spectrum: Spectrum, band: NDArray[np.float32]) -> Spectrum:
    """Return the part of a spectrum within a band, its strengths evened out and adding up to 1."""
    gains = np.maximum(_strengths(spectrum), np.float32(1e-20)) ** np.float32(-WHITENED / 2)
    return np.asarray(_amplified(spectrum, gains * band), np.complex64)


@compiled("f4[:, ::1](c8[:, ::1])")
def _strengths(spectrum):  # type: ignore[no-untyped-def]
    """Return the squared magnitudes."""
    strengths = np.empty(spectrum.shape, np.float32)
    for row in range(len(spectrum)):
        for column in range(spectrum.shape[1]):
            value = spectrum[row, column]
            strengths[row, column] = value.real * value.real + value.imag * value.imag
    return strengths


@compiled("c8[:, ::1](c8[:, ::1], f4[:, ::1])")
def _amplified(spectrum, gains):  # type: ignore[no-untyped-def]
    """Return a spectrum times its gains, brought to a norm of 1."""
    amplified = spectrum * gains
    total = 0.0
    for row in range(len(spectrum)):
        for column in range(spectrum.shape[1]):
            value = amplified[row, column]
            total += value.real * value.real + value.imag * value.imag
    return amplified * np.float32(1 / max(np.sqrt(total), 1e-12))


class _Kept(NamedTuple):
    """The part of a spectrum that is kept, and the way back from it to a few shifts."""

    rows: NDArray[np.intp]
    band: NDArray[np.float32]
    down: Spectrum
    across: Spectrum


@lru_cache(maxsize=8)
def _kept(shape: tuple[int, int]) -> _Kept:
    height, width = shape
    highest, widest = int(height * CYCLES[1]), int(width * CYCLES[1])
    rows = np.arange(-highest, highest + 1) % height
    rows = np.roll(rows, -highest)  # 0 first, as in a whole spectrum
    columns = np.arange(widest + 1)
    cycles = np.hypot(np.fft.fftfreq(height)[rows][:, None], columns[None] / width)
    shifts = np.arange(-REACH_PX, REACH_PX + 1)
    near = np.exp(-((shifts / USUAL_SHIFT_PX) ** 2) / 2)
    down = np.exp(2j * np.pi * shifts[:, None] * rows[None] / height) * near[:, None]
    weights = np.where(columns == 0, 1.0, 2.0)  # all columns but the first stand for two
    across = np.exp(2j * np.pi * columns[:, None] * shifts[None] / width) * weights[:, None] * near[None]
    band = ((cycles > CYCLES[0]) & (cycles < CYCLES[1])).astype(np.float32)
    return _Kept(rows, band, down.astype(np.complex64), across.astype(np.complex64))


def can_be_seen(front: Imprint, back: Imprint, turn: Turn) -> bool:
    """Return whether enough print lies behind bare paper, on either side, for the two to be compared.

    Where pictures hide each other, or both sides are nearly empty, nothing shows whether they belong together.
    """
    across = turn is Turn.LONG_EDGE
    seen = _behind_paper(front.shade, back.printed, across) + _behind_paper(back.shade, front.printed, across)
    return bool(seen >= LEAST_SEEN**2)


@compiled("f8(i1[:, :], i1[:, :], b1)")
def _behind_paper(shade, printed, across):  # type: ignore[no-untyped-def]
    """Return the squares, added up, of print that lies behind bare paper of the other side."""
    height, width = min(shade.shape[0], printed.shape[0]), min(shade.shape[1], printed.shape[1])
    seen = 0.0
    for row in range(height):
        behind = printed[row if across else height - 1 - row]
        seen_in_row = np.int32(0)  # whole numbers, without a branch: worked out several at a time
        for column in range(width):
            level = np.int32(behind[width - 1 - column if across else column])
            seen_in_row += level * level * np.int32(shade[row, column] != 0)
        seen += seen_in_row
    return seen
