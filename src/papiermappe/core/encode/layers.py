"""Taking a page apart: ink at full resolution, its colours and the paper at much lower (mixed raster content).

Ink has soft edges: around its core, at half its strength. Paper is one colour; only where something other than ink is
on it (a picture, a marker's stroke, a shaded box) is a piece of it kept.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import paper_cells
from papiermappe.core.clean.tone import ink_on
from papiermappe.core.compiled import compiled
from papiermappe.core.encode.covers import SAMPLED, find_covers
from papiermappe.core.encode.ink import Ink
from papiermappe.core.encode.piece_boxes import PxBox, boxes_around
from papiermappe.core.encode.squares import Squares, squares_of
from papiermappe.core.picture import Pixels, light_and_tint, to_grey

Rgb = tuple[int, int, int]

LEVELS = np.arange(256, dtype=np.float32)[:, None]
INK, BESIDE = 1, 2
COARSE_DPI = 50  # the resolution at which anything but bare paper is searched for
NEAR_PX = 5
CORE_SHARE, EDGE_SHARE = 0.35, 0.75  # share of the way from ink to paper at which the core ends, and the edge
SOFT_SHARE = (CORE_SHARE + EDGE_SHARE) / 2
TINTED_SHARE = 0.5  # anything with a tint of its own needs this share of the difference only
SOFT_PX = 2  # ink darkens the paper around it this far
LIGHT_LEVELS, TINT_LEVELS = 45, 9  # ink has one colour if nearly all of it is within this of its mean
ODD_SHARE = 0.002
DARKER_SHARE = 0.4


class Fineness(NamedTuple):
    """How fine layers are."""

    paper_dpi: float
    ink_colours_dpi: float
    bare_levels: float
    """What differs from bare paper by less is bare paper: what shines through does."""


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
    soft: Ink
    """(h, w), the same with the soft edges."""
    ink_colours: Pixels | Rgb
    """What colour ink has there: a small picture over the whole page, or one colour."""
    soft_colours: Pixels | Rgb
    """What colour its edges have."""
    paper: Rgb
    """The colour of bare paper."""
    pieces: tuple[Piece, ...]
    pictures_share: float
    """How much of the page pictures cover."""


def taken_apart(page: Pixels, dpi: float, fineness: Fineness) -> Layers:
    """Take a page apart.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        fineness: of the layers.

    Raises:
        PictureRefused: not such a picture.
    """
    cells = paper_cells(page, dpi)
    grey, paper = to_grey(page), cells.grey
    covers = find_covers(grey, paper)
    pictures_share = float(covers.pictures[::SAMPLED, ::SAMPLED].mean())
    found = ink_on(grey, dpi, paper)
    if pictures_share:
        found &= ~covers.pictures
    if covers.field_limits is not None:
        found = np.where(covers.field_limits > 0, grey < covers.field_limits, found)
    soft, ink = _strengths(found, grey, paper.sized(*page.shape[1::-1]))
    kinds = _kinds(soft, ink)
    every = SAMPLED if dpi >= SAMPLED * SAMPLED * COARSE_DPI else 1
    by = every * max(1, round(dpi / every / COARSE_DPI))
    inked, bare = squares_of(page, kinds, by, every)
    shade = cells.sized(*bare.weight.shape[::-1])
    colour = np.median(shade.reshape(-1, *shade.shape[2:])[::7], axis=0).astype(np.float32)
    even = _even(bare, shade, colour)
    boxes = _boxes_of_pieces(even, colour, dpi / by, fineness.bare_levels)
    bare_colour, ink_colours = _rgb(colour), _ink_colours(inked.resized(dpi / by / fineness.ink_colours_dpi))
    return Layers(
        ink,
        soft,
        ink_colours,
        _soft_colours(ink_colours, even if boxes else bare_colour),
        bare_colour,
        tuple(_piece(page, kinds, shade, colour, box, by, max(1, round(dpi / fineness.paper_dpi))) for box in boxes),
        pictures_share,
    )


def _even(bare: Squares, shade: Pixels, colour: NDArray[np.floating]) -> Pixels:
    """Return what lies behind the ink, without the uneven light."""
    light = _looked_up(shade, np.reshape(colour, (1, -1)) / np.maximum(LEVELS, 1))
    return np.asarray(cv2.multiply(bare.filled(), light, dtype=cv2.CV_8U), np.uint8)


def _looked_up(picture: Pixels, table: NDArray[np.floating]) -> NDArray[np.float32]:
    """Map the levels of a picture through a table (256, channels)."""
    return np.asarray(cv2.LUT(picture, np.ascontiguousarray(table, np.float32).reshape(1, 256, -1)), np.float32)


def _rgb(colour: NDArray[np.floating]) -> Rgb:
    red, green, blue = (int(level) for level in np.rint(np.broadcast_to(colour, 3)))
    return red, green, blue


def _strengths(ink: Ink, grey: Pixels, paper: Pixels) -> tuple[Ink, Ink]:
    """Return ink with its soft edges, and its core: up to a share of the way from the darkest beside it to paper."""
    darkest = np.asarray(cv2.erode(grey, np.ones((NEAR_PX, NEAR_PX), np.uint8)), np.uint8)
    near = np.asarray(cv2.dilate(ink.view(np.uint8), np.ones((3, 3), np.uint8)), np.uint8)
    parts = _edge_and_core(
        grey, darkest, paper, ink.view(np.uint8), near, round(256 * EDGE_SHARE), round(256 * CORE_SHARE)
    )
    return parts[0].view(np.bool_), parts[1].view(np.bool_)


@compiled("u1[:, :, ::1](u1[:, ::1], u1[:, ::1], u1[:, ::1], u1[:, ::1], u1[:, ::1], i4, i4)")
def _edge_and_core(
    grey: Pixels, darkest: Pixels, paper: Pixels, ink: Pixels, near: Pixels, edge_256: int, core_256: int
) -> Pixels:
    """Return where pixels near ink are up to its edge, and where ink is up to its core, (2, h, w)."""
    height, width = grey.shape
    parts = np.empty((2, height, width), np.uint8)
    for row in range(height):
        for col in range(width):
            dark, way = np.int32(darkest[row, col]), np.int32(paper[row, col]) - np.int32(darkest[row, col])
            gone = np.int32(256) * (np.int32(grey[row, col]) - dark)
            parts[0, row, col] = near[row, col] & np.uint8(gone <= edge_256 * way)
            parts[1, row, col] = ink[row, col] & np.uint8(gone <= core_256 * way)
    return parts


def _kinds(ink: Ink, core: Ink) -> NDArray[np.uint8]:
    """Return which pixels show the colour of ink, and which are paper that no ink darkens."""
    near = cv2.dilate(ink.view(np.uint8), np.ones((2 * SOFT_PX + 1,) * 2, np.uint8))
    return _numbered(core.view(np.uint8), np.asarray(near, np.uint8))


@compiled("u1[:, ::1](u1[:, ::1], u1[:, ::1])")
def _numbered(core: Pixels, near: Pixels) -> Pixels:
    kinds = np.empty_like(core)
    for row in range(core.shape[0]):
        for col in range(core.shape[1]):
            kinds[row, col] = np.uint8(INK) * core[row, col] + np.uint8(BESIDE) * (np.uint8(1) - near[row, col])
    return kinds


def _ink_colours(inked: Squares) -> Pixels | Rgb:
    """Return the colour of the ink if it has only one; otherwise a small picture of its colours."""
    seen = inked.weight > 0
    if not seen.any():
        return 0, 0, 0
    weight = inked.weight[seen]
    colours = inked.mean[seen][:, None]
    main = _dark_mean(colours, weight)
    light, tint = light_and_tint(colours - main)
    odd = ((tint > TINT_LEVELS) | (np.abs(light) > LIGHT_LEVELS)).reshape(-1)
    if weight[odd].sum() <= ODD_SHARE * weight.sum():
        return _rgb(main)
    colours[~odd] = main
    even = inked.mean.copy()
    even[seen] = colours.reshape(even[seen].shape)
    return np.asarray(Squares(even, np.minimum(inked.weight * 20, 1)).filled().clip(0, 255), np.uint8)


def _dark_mean(colours: NDArray[np.float32], weight: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return the mean of the darker half of (n, 1) or (n, 1, 3): small print never reaches its full darkness."""
    light, _ = light_and_tint(colours)
    order = np.argsort(light.reshape(-1))
    darker = order[np.cumsum(weight[order]) <= max(DARKER_SHARE * weight.sum(), weight[order[0]])]
    return np.asarray(np.average(colours[darker, 0], axis=0, weights=weight[darker]), np.float32)


def _soft_colours(ink: Pixels | Rgb, behind: Pixels | Rgb) -> Pixels | Rgb:
    """Return the colours of soft edges: between those of ink and of what lies behind it."""
    if isinstance(ink, tuple) and isinstance(behind, tuple):
        return _rgb((1 - SOFT_SHARE) * np.array(ink) + SOFT_SHARE * np.array(behind))
    size = next(colours for colours in (ink, behind) if not isinstance(colours, tuple)).shape
    inks, papers = (_pictured(colours, size) for colours in (ink, behind))
    return np.asarray(cv2.addWeighted(inks, 1 - SOFT_SHARE, papers, SOFT_SHARE, 0.0), np.uint8)


def _pictured(colours: Pixels | Rgb, shape: tuple[int, ...]) -> Pixels:
    """Return colours as a picture of the given shape."""
    if isinstance(colours, tuple):
        return np.full(shape, colours[0] if len(shape) == 2 else colours, np.uint8)
    return np.asarray(cv2.resize(colours, shape[1::-1], interpolation=cv2.INTER_AREA), np.uint8)


def _boxes_of_pieces(behind: Pixels, colour: NDArray[np.floating], dpi: float, bare_levels: float) -> list[PxBox]:
    """Return boxes around everything that is not bare paper."""
    away = _looked_up(np.asarray(cv2.medianBlur(behind, 3), np.uint8), LEVELS - np.reshape(colour, (1, -1)))
    light, tint = light_and_tint(away)
    far = ((np.abs(light) > bare_levels) | (tint > TINTED_SHARE * bare_levels)).astype(np.uint8)
    return boxes_around(far, dpi)


def _piece(
    page: Pixels,
    kinds: NDArray[np.uint8],
    shade: Pixels,
    colour: NDArray[np.floating],
    box: PxBox,
    coarse_by: int,
    by: int,
) -> Piece:
    """Cut a piece out of the page, in squares of `by`; its box and the shade are in squares of `coarse_by`."""
    left, top, right, bottom = (side * coarse_by for side in box)
    right, bottom = min(right, page.shape[1]), min(bottom, page.shape[0])
    window = (slice(top, bottom), slice(left, right))
    _, bare = squares_of(page[window], kinds[window], by)
    local = shade[box[1] : box[3], box[0] : box[2]]
    own = np.asarray(cv2.resize(local, bare.weight.shape[::-1], interpolation=cv2.INTER_LINEAR), np.uint8)
    height, width = page.shape[:2]
    # The last squares may reach beyond the piece; so does its picture then.
    tall, wide = (side * by for side in bare.weight.shape)
    return Piece(
        _even(bare, own, colour), Box(left / width, top / height, (left + wide) / width, (top + tall) / height)
    )
