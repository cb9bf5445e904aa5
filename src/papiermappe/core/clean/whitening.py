"""White paper: the colour of the paper and what shines through are taken out of a page; ink and colours stay."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import paper_cells
from papiermappe.core.compiled import compiled
from papiermappe.core.picture import Pixels, checked

WHITE_FROM = 222  # with paper at 255, brighter pixels become paper
INK_FROM = 178  # darker pixels stay as they are


def whiten(page: Pixels, dpi: float, out: Pixels | None = None) -> Pixels:
    """Return the page with white paper: tint, uneven light and what shines through are gone.

    What has a colour or is dark keeps it: stamps, signatures, print. Pictures, which cover the paper for more than
    9 mm, are only freed from the tint and the uneven light.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        out: where the page is written, of the same shape, C-contiguous; it may be `page` itself. None: a new picture.

    Raises:
        PictureRefused: not such a picture.
    """
    return _whitened(page, dpi, out, keeps_paper=False)


def without_show_through(page: Pixels, dpi: float, out: Pixels | None = None) -> Pixels:
    """Return the page without what shines through from its back; its paper keeps its tint and its light.

    What has a colour or is dark stays, and so do pictures. Arguments and errors are those of `whiten`.
    """
    return _whitened(page, dpi, out, keeps_paper=True)


def _whitened(page: Pixels, dpi: float, out: Pixels | None, keeps_paper: bool) -> Pixels:
    """Return the page with white paper, or with paper of its own colour, without what shines through."""
    paper = paper_cells(checked(page, dpi), dpi)
    whitened = np.empty(page.shape, np.uint8) if out is None else out
    height, width = page.shape[:2]
    size = (
        width,
        len(paper.colour),
    )  # as wide as the page: what lies between cells above each other is worked out by row
    colour = np.asarray(cv2.resize(paper.colour, size, interpolation=cv2.INTER_LINEAR), np.uint8)
    covered = cv2.resize(paper.covered.view(np.uint8), size, interpolation=cv2.INTER_NEAREST)
    _whiten_rows(
        np.ascontiguousarray(page).reshape(height, -1),
        colour.reshape(len(colour), -1),
        np.asarray(covered, np.uint8),
        keeps_paper,
        whitened.reshape(height, -1, copy=False),
    )
    return whitened


@compiled("void(u1[:, ::1], u1[:, ::1], u1[:, ::1], b1, u1[:, ::1])", error_model="numpy")
def _whiten_rows(
    page: NDArray[np.uint8],
    paper: NDArray[np.uint8],
    covered: NDArray[np.uint8],
    keeps_paper: bool,
    whitened: NDArray[np.uint8],
) -> None:
    """Take the colour of the paper out of a page, then bring what is nearly white nearer to white.

    Row by row, so that what comes between stays in the processor's cache; each step is a plain loop, compiled to
    work on many levels at once.

    Args:
        page: its levels, (h, w x channels) with 1 or 3 channels.
        paper: those of the paper alone, (rows of cells, w x channels).
        covered: (rows of cells, w), 1 where a picture is, of which all is kept.
        keeps_paper: whether the paper gets its colour back in the end.
        whitened: is filled, as large as `page`, or is `page`.
    """
    bare = np.empty(page.shape[1], np.float32)
    levels = np.empty(page.shape[1], np.uint8)
    shares = np.empty(page.shape[1], np.uint8)
    for row in range(len(page)):
        _paper_between_cells(paper, (row + 0.5) * len(paper) / len(page) - 0.5, bare)
        _against_paper(page[row], bare, levels)
        cover = covered[row * len(paper) // len(page)]
        if page.shape[1] == covered.shape[1]:
            _shares_of_grey(levels, cover, shares)
        else:
            _shares_of_colour(levels, cover, shares)
        _pale(levels, shares, whitened[row])
        if keeps_paper:
            _on_paper(whitened[row], bare)


@compiled("void(u1[:, ::1], f8, f4[::1])")
def _paper_between_cells(paper: NDArray[np.uint8], place: float, bare: NDArray[np.float32]) -> None:
    """Fill `bare` with the levels of the paper at a place in rows of cells, whose middles lie at whole numbers."""
    upper = min(max(int(np.floor(place)), 0), len(paper) - 1)
    lower = min(upper + 1, len(paper) - 1)
    share = np.float32(min(max(place - upper, 0.0), 1.0))
    above, below = paper[upper], paper[lower]
    for at in range(bare.size):
        level = np.float32(above[at])
        bare[at] = level + share * (np.float32(below[at]) - level)


@compiled("void(u1[::1], f4[::1], u1[::1])", error_model="numpy")
def _against_paper(page: NDArray[np.uint8], bare: NDArray[np.float32], levels: NDArray[np.uint8]) -> None:
    """Fill `levels` with those of a page on paper whose own are 255; 0 where the paper is black."""
    for at in range(page.size):
        level = np.rint(min(np.float32(page[at]) * np.float32(255) / bare[at], np.float32(255)))
        levels[at] = np.uint8(np.int32(level)) if bare[at] else np.uint8(0)


@compiled("void(u1[::1], f4[::1])")
def _on_paper(levels: NDArray[np.uint8], bare: NDArray[np.float32]) -> None:
    """Change levels on white paper into those on the paper itself."""
    for at in range(levels.size):
        levels[at] = np.uint8(np.int32(np.rint(np.float32(levels[at]) * bare[at] * np.float32(1 / 255))))


@compiled("u1(u1, u1)", inline="always")
def _share(level: np.uint8, cover: np.uint8) -> np.uint8:
    """Return how much is kept, of 255, of what a level lacks to white."""
    share = np.rint(np.float32(WHITE_FROM - level) * np.float32(255 / (WHITE_FROM - INK_FROM)))
    kept = np.uint8(np.int32(min(max(share, np.float32(0)), np.float32(255))))
    return np.uint8(255) if cover else kept


@compiled("void(u1[::1], u1[::1], u1[::1])")
def _shares_of_grey(levels: NDArray[np.uint8], cover: NDArray[np.uint8], shares: NDArray[np.uint8]) -> None:
    for at in range(cover.size):
        shares[at] = _share(levels[at], cover[at])


@compiled("void(u1[::1], u1[::1], u1[::1])")
def _shares_of_colour(levels: NDArray[np.uint8], cover: NDArray[np.uint8], shares: NDArray[np.uint8]) -> None:
    """Fill `shares`, for all channels alike: the darkest tells."""
    for at in range(cover.size):  # no loop over the three channels: it would be compiled to a slow one
        darkest = min(levels[3 * at], min(levels[3 * at + 1], levels[3 * at + 2]))
        share = _share(darkest, cover[at])
        shares[3 * at] = share
        shares[3 * at + 1] = share
        shares[3 * at + 2] = share


@compiled("void(u1[::1], u1[::1], u1[::1])")
def _pale(levels: NDArray[np.uint8], shares: NDArray[np.uint8], whitened: NDArray[np.uint8]) -> None:
    """Bring levels nearer to white: of what each lacks, its share of 255 is kept."""
    for at in range(levels.size):  # all in 16 bits: twice as many at once as in 32
        gap = np.uint16(np.uint16(np.uint8(255 - levels[at])) * np.uint16(shares[at])) + np.uint16(128)
        whitened[at] = np.uint8(np.uint16(255) - ((np.uint16(gap) + (np.uint16(gap) >> np.uint16(8))) >> np.uint16(8)))
