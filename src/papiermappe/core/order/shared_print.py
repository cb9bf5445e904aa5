"""What the pages of a run have in common: the lines of a form, a letterhead, the frames of pictures.

It shines through every sheet alike, tells nothing about which back belongs to which front, and is often stronger than
all that does. The principal components that several pages share are taken out of each of them (Turk and Pentland,
Eigenfaces for recognition, 1991, in the eigenvectors of the small matrix of inner products).
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.order.show_through import Spectrum

LEAST_PAGES = 3
SHARED = 1.8  # the eigenvalue of a part: m pages whose print correlates by r share one of 1 + (m - 1) r
MOST_PARTS = 4
EMPTY = 1e-3


def shared_parts(spectra: Sequence[Spectrum]) -> list[Spectrum]:
    """Return the parts that pages share, as `without` takes them: in rows, of unit strength, at right angles.

    Few pages, and pages that have little in common, share none.

    Args:
        spectra: of some pages of a run, each the half that is kept of a real picture's: its first column stands for
            one, the others for two.

    >>> form, other = (np.fft.rfft2(np.eye(5) == lies).astype(np.complex64) for lies in (1, 0))
    >>> len(shared_parts([form, form, form])), len(shared_parts([form, other]))
    (1, 0)
    """
    flat = np.array([_even(spectrum) for spectrum in spectra])
    strengths = np.linalg.norm(flat, axis=1) if len(flat) else np.zeros(0)
    seen = flat[strengths > EMPTY] / strengths[strengths > EMPTY, None] if len(flat) else flat
    if len(seen) < LEAST_PAGES:
        return []
    eigenvalues, vectors = np.linalg.eigh((seen @ seen.conj().T).real)
    strongest = np.argsort(-eigenvalues)[:MOST_PARTS]
    return [
        np.asarray((vectors[:, at] / np.sqrt(eigenvalues[at])) @ seen, np.complex64)
        for at in strongest
        if eigenvalues[at] > SHARED
    ]


def without(spectrum: Spectrum, parts: Sequence[Spectrum]) -> Spectrum:
    """Return the spectrum of a page less the parts that it shares with others; it is not brought to unit strength.

    What is left is weak where a page has little of its own: then it counts as little as it can tell.

    >>> form = np.fft.rfft2(np.eye(5)).astype(np.complex64)
    >>> bool(np.abs(without(form, shared_parts([form, form, form]))).max() < 1e-5)
    True
    """
    if not parts:
        return spectrum
    flat = _even(spectrum)
    for part in parts:
        flat = flat - np.vdot(part, flat).real * part
    return np.ascontiguousarray(flat.reshape(spectrum.shape) / _weights(spectrum), np.complex64)


def _even(spectrum: Spectrum) -> Spectrum:
    """Return a spectrum in one row, so that its inner products are those of the pictures."""
    return np.asarray((spectrum * _weights(spectrum)).ravel(), np.complex64)


def _weights(spectrum: Spectrum) -> NDArray[np.float32]:
    weights = np.full(spectrum.shape[1], np.sqrt(2), np.float32)
    weights[0] = 1
    return weights
