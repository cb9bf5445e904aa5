"""Taking a page apart: ink at full resolution, its colours and the paper behind it at much less (mixed raster content).

Paper is one colour; only where something other than ink is on it (a picture, a marker's stroke, a shaded box) is a
piece of it kept.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import paper_and_cover
from papiermappe.core.clean.tone import binarise
from papiermappe.core.encode.ink import Ink
from papiermappe.core.encode.squares import Squares, squares_of
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, shrunk, to_grey

Rgb = tuple[int, int, int]

INK, BESIDE = 1, 2
NEAR_PX = 5
EDGE_SHARE = 0.5  # of the way from ink to paper: where an edge is
CORE_SHARE = 0.3
SOFT_PX = 2  # so far around ink, paper is darkened by it
SAMPLED = 4  # of so many pixels, one is looked at to tell pictures
BETWEEN = (0.25, 0.75)  # of the way from dark to light
PICTURE_SHARE = 0.25  # of what covers the paper: with so much between dark and light it is a picture, not a dark field
LIGHT_LEVELS, TINT_LEVELS = 45, 16  # ink is of one colour if nearly all of it is within this of the rest
ODD_SHARE = 0.002
TILE_MM = 2.0
MOST_PIECES = 24
WHOLE_SHARE = 0.6  # pieces that cover so much are one


class Fineness(NamedTuple):
    """How fine layers are."""

    paper_dpi: float
    ink_colours_dpi: float
    bare_levels: float
    """What differs from bare paper by less is bare paper."""


class Box(NamedTuple):
    """A place on a page, as shares of its sides."""

    left: float
    top: float
    right: float
    bottom: float


class Piece(NamedTuple):
    """A part of the paper that is not bare."""

    pixels: Pixels
    box: Box


class Layers(NamedTuple):
    """A page taken apart."""

    ink: Ink
    """(h, w), True where ink is, at full resolution."""
    ink_colours: Pixels | Rgb
    """What colour ink has there: a small picture over the whole page, or one colour."""
    paper: Rgb
    """The colour of bare paper."""
    pieces: tuple[Piece, ...]

    @property
    def pieces_share(self) -> float:
        """How much of the page the pieces cover."""
        return sum((box.right - box.left) * (box.bottom - box.top) for _, box in self.pieces)


def taken_apart(page: Pixels, dpi: float, fineness: Fineness) -> Layers:
    """Take a page apart.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        fineness: of the layers.

    Raises:
        PictureRefused: not such a picture.
    """
    paper, covered = paper_and_cover(page, dpi)
    grey = to_grey(page)
    found = binarise(page, dpi) & ~_pictures(grey, covered)
    ink, core = _sharpened(found, grey, to_grey(paper))
    by = max(1, round(dpi / fineness.paper_dpi))
    inked, bare = squares_of(page, _kinds(found, core), by)
    size = bare.weight.shape
    shade = cv2.resize(shrunk(paper, by), size[::-1], interpolation=cv2.INTER_LINEAR).astype(np.float32)
    colour = np.median(shade.reshape(-1, *shade.shape[2:])[::7], axis=0)
    even = np.clip(bare.filled() * (colour / np.maximum(shade, 1)), 0, 255).astype(np.uint8)
    return Layers(
        ink,
        _ink_colours(inked.resized(dpi / by / fineness.ink_colours_dpi)),
        _rgb(colour),
        tuple(_pieces(even, colour, dpi / by, fineness.bare_levels, (page.shape[0] / by, page.shape[1] / by))),
    )


def _rgb(colour: NDArray[np.floating]) -> Rgb:
    red, green, blue = (int(level) for level in np.rint(np.broadcast_to(colour, 3)))
    return red, green, blue


def _sharpened(ink: Ink, grey: Pixels, paper: Pixels) -> tuple[Ink, Ink]:
    """Return ink up to half the way from the darkest beside it to paper, and its core, where its own colour shows."""
    darkest = cv2.erode(grey, np.ones((NEAR_PX, NEAR_PX), np.uint8))
    half, core = (cv2.addWeighted(darkest, 1 - share, paper, share, 0.0) for share in (EDGE_SHARE, CORE_SHARE))
    return ink & (grey <= half), ink & (grey <= core)


def _kinds(ink: Ink, core: Ink) -> NDArray[np.uint8]:
    """Return which pixels show the colour of ink, and which are paper that no ink darkens."""
    near = cv2.dilate(ink.astype(np.uint8), np.ones((2 * SOFT_PX + 1,) * 2, np.uint8))
    return np.where(core, np.uint8(INK), np.where(near > 0, np.uint8(0), np.uint8(BESIDE)))


def _pictures(grey: Pixels, covered: Ink) -> Ink:
    """Return where the paper is covered by pictures, (h, w), rather than by dark fields with light print."""
    small, levels = covered[::SAMPLED, ::SAMPLED].astype(np.uint8), grey[::SAMPLED, ::SAMPLED]
    if not small.any():
        return np.zeros_like(covered)
    count, labels = cv2.connectedComponents(small, connectivity=8)
    pictures = np.zeros(count, np.bool_)
    for label in range(1, count):
        own = levels[labels == label]
        dark, light = (float(level) for level in np.percentile(own, (3, 97)))
        low, high = (dark + share * (light - dark) for share in BETWEEN)
        pictures[label] = ((own > low) & (own < high)).mean() > PICTURE_SHARE
    chosen = np.isin(np.asarray(labels), np.flatnonzero(pictures)).astype(np.uint8)
    wide = cv2.dilate(chosen, np.ones((5, 5), np.uint8))
    return np.asarray(cv2.resize(wide, covered.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0, np.bool_)


def _ink_colours(inked: Squares) -> Pixels | Rgb:
    """Return the colour of all ink, if it is one; else a small picture of its colours."""
    seen = inked.weight > 0
    if not seen.any():
        return 0, 0, 0
    weight = inked.weight[seen]
    colours = inked.mean[seen].reshape(len(weight), -1)
    main = np.average(colours, axis=0, weights=weight).astype(np.float32)
    away = colours - main
    light = away.mean(axis=1)
    odd = (np.abs(away - light[:, None]).max(axis=1) > TINT_LEVELS) | (np.abs(light) > LIGHT_LEVELS)
    if weight[odd].sum() <= ODD_SHARE * weight.sum():
        return _rgb(main)
    return np.asarray(inked._replace(weight=np.minimum(inked.weight * 20, 1)).filled().clip(0, 255), np.uint8)


def _pieces(
    behind: Pixels, colour: NDArray[np.floating], dpi: float, bare_levels: float, size: tuple[float, float]
) -> list[Piece]:
    """Cut out what is not bare paper; `size` is the page's height and width in px of `behind`."""
    smooth = cv2.medianBlur(behind, 3)
    away = np.abs(smooth.astype(np.int16) - np.rint(colour).astype(np.int16))
    far = ((away if away.ndim == 2 else away.max(axis=2)) > bare_levels).astype(np.uint8)
    tile = max(1, round(mm_to_px(TILE_MM, dpi)))
    return [
        Piece(
            np.ascontiguousarray(behind[top:bottom, left:right]),
            Box(left / size[1], top / size[0], right / size[1], bottom / size[0]),
        )
        for left, top, right, bottom in _boxes(_tiled(far, tile), tile, far.shape)
    ]


def _tiled(far: Pixels, tile: int) -> Pixels:
    """Return which tiles hold something, with one more all around."""
    padded = cv2.copyMakeBorder(far, 0, -far.shape[0] % tile, 0, -far.shape[1] % tile, cv2.BORDER_CONSTANT)
    rows, cols = padded.shape[0] // tile, padded.shape[1] // tile
    held = np.where(padded.reshape(rows, tile, cols, tile).any(axis=(1, 3)), np.uint8(1), np.uint8(0))
    return np.asarray(cv2.dilate(held, np.ones((3, 3), np.uint8)), np.uint8)


def _boxes(tiles: Pixels, tile: int, shape: tuple[int, ...]) -> list[tuple[int, int, int, int]]:
    """Return left, top, right and bottom, px, of boxes around all that is held, none over another."""
    boxes: list[tuple[int, int, int, int]] = []
    contours, _ = cv2.findContours(tiles, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    for contour in contours:
        left, top, width, height = (int(side) for side in cv2.boundingRect(contour))
        boxes = _joined(boxes, (left, top, left + width, top + height))
    area = sum((right - left) * (bottom - top) for left, top, right, bottom in boxes)
    if len(boxes) > MOST_PIECES or area > WHOLE_SHARE * tiles.size:
        boxes = [_around(boxes)]
    return [
        (left * tile, top * tile, min(right * tile, shape[1]), min(bottom * tile, shape[0]))
        for left, top, right, bottom in boxes
    ]


def _joined(boxes: list[tuple[int, int, int, int]], box: tuple[int, int, int, int]) -> list[tuple[int, int, int, int]]:
    """Add a box; those that it meets become one with it."""
    for other in boxes:
        if box[0] < other[2] and other[0] < box[2] and box[1] < other[3] and other[1] < box[3]:
            return _joined([one for one in boxes if one is not other], _around([box, other]))
    return [*boxes, box]


def _around(boxes: list[tuple[int, int, int, int]]) -> tuple[int, int, int, int]:
    left, top, right, bottom = zip(*boxes, strict=True)
    return min(left), min(top), max(right), max(bottom)
