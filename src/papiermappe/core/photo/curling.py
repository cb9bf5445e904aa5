"""How a sheet is bent, from its lines of print and from its sides."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.pieces import Boxes, boxes_of
from papiermappe.core.curl import KNOTS, MAX_BOW_MM, Bows, Curl, bow_shapes
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.photo.print_lines import LetterFeet, trace_lines
from papiermappe.core.photo.rectified import FlatSheet
from papiermappe.core.photo_sheet import SURE, PhotoSheet
from papiermappe.core.picture import Pixels

Numbers = NDArray[np.float64]

ROUNDS = 12
WIDE_MM, NARROW_MM = 4.5, 0.75  # off its line a letter is left out, in the first and in the last round
LETTER_SPREAD_MM = 0.3  # by which letters are off their lines, those of a line not independently of each other
USUAL_BOW_MM = 12.0
USUAL_TURN_MM = 10.0  # by which lines rise from one side of the sheet to the other
SIDE_SPREAD_MM, SIDE_SHARE = 0.3, 0.03  # by so much, and by this share of it, what a side shows of its bow may be wrong
UNSURE_MM = 0.6  # as likely as not the lines will be straight within it
UNLIKE_PRINT_MM = 0.45  # off their lines: what is traced is hardly print
LEAST_LINES = 3
LEAST_BOW_MM = 0.4  # less is not worth bending a page

SideBows = tuple[Bows | None, Bows | None, Bows | None, Bows | None]
"""Of the top, right, bottom and left side: at a quarter, a half and three quarters of it, from the left or the top."""


class _Fit(NamedTuple):
    terms: Numbers
    """Three bows of the first side, three of the last, the turn of all lines, and how that grows down the sheet."""
    spread: Numbers
    """(8, 8), their covariance."""
    off_mm: float
    """How far letters are off their lines: the median."""


def find_curl(ink: Pixels, dpi: float, side_bows_mm: SideBows = (None,) * 4) -> Curl | None:
    """Find how a sheet is bent.

    Lines of print are straight, and nearly parallel, once the sheet is: so the bows of its sides are those with which
    that is best so (least squares, with Tukey's weights for letters that reach below their line), and which agree with
    what the sides show themselves.

    Args:
        ink: (h, w), 0 = none, of the sheet that was made flat by its corners.
        dpi: its resolution.
        side_bows_mm: how far the sides are off the line between their corners, downwards or to the right positive; None
            where that is not seen.

    Returns:
        None where the sheet lies flat. With a confidence below 0.5 it is a guess, and not switched on.
    """
    pieces = boxes_of(ink)
    about_diagonal = Boxes(pieces.top, pieces.bottom, pieces.left, pieces.right)
    upright, sideways = trace_lines(pieces, dpi), trace_lines(about_diagonal, dpi)
    top, right, bottom, left = side_bows_mm
    is_sideways = sideways.x.size > upright.x.size
    if sideways.x.size == upright.x.size == 0:
        is_sideways = _largest(left, right) > _largest(top, bottom)
    feet, size_px, bows = (
        (sideways, ink.shape[::-1], (left, right)) if is_sideways else (upright, ink.shape, (top, bottom))
    )
    fit = _fitted(feet, size_px, dpi, bows)
    if fit is None:
        return None
    first, last = (np.clip(fit.terms[at : at + 3], -MAX_BOW_MM, MAX_BOW_MM) for at in (0, 3))
    rows = np.quantile(feet.y / size_px[0], [0.02, 0.5, 0.98]) if feet.y.size else np.array([0.05, 0.5, 0.95])
    moved = max(float(np.abs((1 - row) * first + row * last).max()) for row in rows)
    if moved < LEAST_BOW_MM:
        return None
    confidence = _confidence(fit, rows)
    return Curl(
        first=_bows(first), last=_bows(last), sideways=is_sideways, confidence=confidence, on=confidence >= SURE
    )


def _largest(*sides: Bows | None) -> float:
    return max((abs(bow_mm) for bows in sides if bows for bow_mm in bows), default=0.0)


def _fitted(
    feet: LetterFeet, size_px: tuple[int, ...], dpi: float, side_bows_mm: tuple[Bows | None, Bows | None]
) -> _Fit | None:
    """Return the bows that fit best; None where neither lines nor both sides tell them."""
    line, count = feet.line, int(feet.line.max(initial=-1)) + 1
    known, known_mm = _known(side_bows_mm)
    if count < LEAST_LINES:
        spread = np.asarray(np.linalg.inv(known), np.float64)
        return None if None in side_bows_mm else _Fit(np.asarray(spread @ known_mm), spread, 0.0)
    x, y = (feet.x + 0.5) / size_px[1], (feet.y + 0.5) / size_px[0]
    y_mm = (feet.y + 0.5) * px_to_mm(1, dpi)
    shapes = bow_shapes(x)
    columns = np.column_stack([(1 - y)[:, None] * shapes, y[:, None] * shapes, x - 0.5, (x - 0.5) * y])
    weights = np.ones(len(x))
    terms, off = np.zeros(8), np.zeros(len(x))
    spread = np.asarray(np.eye(8), np.float64)
    for reach_mm in np.geomspace(WIDE_MM, NARROW_MM, ROUNDS):
        own, own_mm = _off_line(columns, line, count, weights), _off_line(y_mm[:, None], line, count, weights)[:, 0]
        weighted = (own * weights[:, None]).T / LETTER_SPREAD_MM**2
        spread = np.asarray(np.linalg.inv(weighted @ own + known), np.float64)
        terms = spread @ (weighted @ own_mm + known_mm)
        off = own_mm - own @ terms
        off = off - _medians(off, line, count)[line]
        weights = np.maximum(1 - (off / reach_mm) ** 2, 0) ** 2
    return _Fit(terms, spread, float(np.median(np.abs(off))))


def _known(side_bows_mm: tuple[Bows | None, Bows | None]) -> tuple[Numbers, Numbers]:
    """Return what is known of the terms before: the inverse of their covariance, (8, 8), and that times them."""
    precision = np.array([1 / USUAL_BOW_MM] * 6 + [1 / USUAL_TURN_MM] * 2) ** 2
    pull = np.zeros(8)
    for side, bows_mm in enumerate(side_bows_mm):
        if bows_mm is not None:
            bows = np.array(bows_mm)
            sure = 1 / (SIDE_SPREAD_MM + SIDE_SHARE * np.abs(bows)) ** 2
            at = slice(3 * side, 3 * side + 3)
            precision[at] += sure
            pull[at] += sure * bows
    return np.diag(precision), pull


def _off_line(columns: Numbers, line: NDArray[np.intp], count: int, weights: Numbers) -> Numbers:
    """Return columns (n, k) less their weighted means over each line."""
    held = np.maximum(np.bincount(line, weights, count), 1e-6)
    means = np.column_stack([np.bincount(line, weights * column, count) / held for column in columns.T])
    return np.asarray(columns - means[line])


def _medians(values: Numbers, line: NDArray[np.intp], count: int) -> Numbers:
    order = np.lexsort((values, line))
    starts, ends = (np.searchsorted(line[order], np.arange(count), side=side) for side in ("left", "right"))
    return np.asarray(values[order][(starts + ends - 1) // 2])


def _confidence(fit: _Fit, rows: Numbers) -> float:
    """Return how sure it is that lines become straight: how exactly they say it, and how much like print they are."""
    still_mm = 0.0
    for row in rows:
        for knot in KNOTS:
            shapes = bow_shapes(np.array(knot))
            way = np.concatenate([(1 - row) * shapes, row * shapes, [0.0, 0.0]])
            still_mm = max(still_mm, float(np.sqrt(way @ fit.spread @ way)))
    return round(1 / (1 + (still_mm / UNSURE_MM) ** 2 + (fit.off_mm / UNLIKE_PRINT_MM) ** 4), 3)


def bows_of_sides(flat: FlatSheet, sheet: PhotoSheet, dpi: float) -> SideBows:
    """Return how far sides that are seen on a photo bow, once the sheet is made flat by its corners.

    Args:
        flat: the sheet.
        sheet: as it was found.
        dpi: of the photo.
    """
    bows: list[Bows | None] = []
    for number, side in enumerate(sheet.sides):
        if side is None:
            bows.append(None)
            continue
        across, down = 0.5 + flat.from_photo(mm_to_px(1, dpi) * np.array(side) - 0.5).T
        along, off, size = (down, across, flat.width_px) if number % 2 else (across, down, flat.height_px)
        long = flat.height_px if number % 2 else flat.width_px
        off = off - (size if number in {1, 2} else 0)
        order = np.argsort(along)
        # The places are about, not exactly, where bows are told: so the curve through them is taken there.
        shapes = bow_shapes(np.clip(along[order] / long, 0.02, 0.98))
        bows.append(_bows(np.linalg.solve(shapes, px_to_mm(1, dpi) * off[order])))
    return bows[0], bows[1], bows[2], bows[3]


def _bows(terms: Numbers) -> Bows:
    first, middle, last = (round(float(bow_mm), 2) for bow_mm in terms)
    return first, middle, last
