"""The sheet against its backing.

Where backing and paper differ plainly, what differs is the sheet. Where both are white, its edges still show as long
straight lines of slight shade, and the outermost are taken. Either way each side is then placed where the brightness
steps most along the whole of it, so that cut corners, holes and torn places do no harm.
"""

from collections.abc import Iterator
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.edges import STEADY_SHARE, Line, SideFit, beside, crossing, fit_side
from papiermappe.core.clean.lines import lines_from_outside
from papiermappe.core.geometry import Quad, mm_to_px, order_corners, px_to_mm
from papiermappe.core.picture import Pixels, checked, lightest_channel, to_grey

COARSE_DPI = 75
PLAIN_LEVELS = 14  # backing and paper that differ by this are plainly different
MAX_THRESHOLD = 22  # a higher one would separate a picture from the sheet instead of the sheet from its backing
SHADE_LEVELS = 12  # a lower threshold, for paper that is closer to its backing
LEAST_SHARE = 0.004  # of the capture: anything smaller is not a sheet
MAX_SHARE = 0.985  # of the capture: anything larger is not a sheet on a backing
LEAST_SIDE_MM = 20.0
FILLED_SHARE = 0.75  # a sheet fills at least this share of its rectangle
SHADOW_MM = 3.0
ELSEWHERE_SHARE = 0.004
BEYOND_SHARE = 0.3  # where less than this share of a side is on the capture...
NEAR_MM = 5.0  # ...and it lies this close to the capture's edge, that edge is used, so that nothing is cut off
SAME_MM = 0.5  # lines that cross a side's middle within this distance are the same line
TOUCH_MM = 1.2  # a side this close to the capture's edge runs along it
SURE = 0.5
LINE_SHARE = 0.6  # a faint line covers at least this share of a side
LINES_CONFIDENCE = 0.8
ALIKE_LEVELS = 1.2  # a line whose two sides differ by less is a rule printed on the sheet
DARK_LEVELS = 30  # print is darker than paper by at least this
PRINT_KINDS = ((50, 1.5, 2.0), (20, 5.0, 6.0))
"""What is print, plain and faint: darker than what is around it by so many levels, so many mm beyond a side, which is
further than its shadow reaches, and over so many mm2, which is more than dust and a hair on the lid.
"""
AROUND_MM = 5.0
RIM_MM = 2.0
TINT_LEVELS = 3.0


class SheetFrame(NamedTuple):
    """Where the sheet lies."""

    corners: Quad
    """Its corners in mm on the capture: top left, top right, bottom right, bottom left."""
    confidence: float
    """0 to 1; below 0.5 the frame is a guess. With 0 it is the whole capture."""


def find_sheet(capture: Pixels, dpi: float) -> SheetFrame:
    """Find the largest sheet on a capture.

    Args:
        capture: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.

    Returns:
        The frame; the whole capture with confidence 0 where no sheet stands out. A side where the sheet reaches beyond
        the capture lies on the capture's edge.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(capture, dpi)
    frames = _plain_frames(whole, dpi)
    if frames and frames[0].confidence >= SURE:
        return frames[0]
    return max([*frames[:1], _frame_by_lines(whole, dpi), _whole(whole, dpi)], key=lambda frame: frame.confidence)


def find_sheets(capture: Pixels, dpi: float) -> list[SheetFrame]:
    """Find all sheets that lie apart from each other on a capture, in reading order.

    Args:
        capture: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.

    Returns:
        A frame for each; that of `find_sheet` where no more than one stands out.

    Raises:
        PictureRefused: not such a picture.
    """
    frames = [frame for frame in _plain_frames(checked(capture, dpi), dpi) if frame.confidence >= SURE]
    if len(frames) < 2:
        return [find_sheet(capture, dpi)]
    height_mm = px_to_mm(capture.shape[0], dpi)
    return sorted(frames, key=lambda frame: (round(4 * frame.corners[0][1] / height_mm), frame.corners[0][0]))


def _plain_frames(capture: Pixels, dpi: float) -> list[SheetFrame]:
    """Return what differs from the backing, in brightness or in tint, the largest first."""
    by = _reduction(capture, dpi)
    coarse = _sampled(capture, by)
    found: list[list[SheetFrame]] = [[]]
    for mask, different in _masks(coarse):
        boxes = _boxes(mask, dpi / by)
        if _share_elsewhere(different, boxes, dpi / by) > ELSEWHERE_SHARE:
            continue
        found.append([_placed(capture, dpi, (box + 0.5) * by - 0.5, 1.0) for box in boxes])
        if found[-1] and found[-1][0].confidence >= SURE:
            return found[-1]
    return max(found, key=lambda frames: frames[0].confidence if frames else -1.0)


def _masks(coarse: Pixels) -> Iterator[tuple[Pixels, Pixels]]:
    """Yield where a picture differs from its backing in one way, and where it does in any, (h, w), 0 or 255.

    The plainest way to differ comes first.
    """
    rims = _rims(coarse)
    for number, backing in enumerate(_groups(rims, rims, PLAIN_LEVELS)):
        smooth = cv2.medianBlur(_difference(coarse, backing), 3)
        between, _ = cv2.threshold(smooth, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
        levels = (min(max(between, PLAIN_LEVELS / 2), most) for most in (MAX_THRESHOLD, SHADE_LEVELS))
        for level in dict.fromkeys(levels):
            mask = np.asarray(cv2.threshold(smooth, level, 255, cv2.THRESH_BINARY)[1], np.uint8)
            # If the darker part of the rim is not backing, it is sheet.
            yield _touching_rim(mask) if number else mask, mask
    if coarse.ndim == 3:
        for backing in _groups(rims, rims - rims.mean(axis=1, keepdims=True), TINT_LEVELS):
            tint = cv2.medianBlur(_tint_difference(coarse, backing), 5)
            mask = np.asarray(cv2.threshold(tint, TINT_LEVELS, 255, cv2.THRESH_BINARY)[1], np.uint8)
            _, plain = cv2.threshold(_difference(coarse, backing), MAX_THRESHOLD, 255, cv2.THRESH_BINARY)
            yield mask, np.asarray(cv2.max(mask, plain), np.uint8)


def _share_elsewhere(mask: Pixels, boxes: list[NDArray[np.float64]], dpi: float) -> float:
    """Return how much differs from the backing beside the boxes, against their area: much if they lie on a sheet."""
    inside = np.zeros_like(mask)
    for box in boxes:
        cv2.fillConvexPoly(inside, np.rint(box).astype(np.int32), 255)
    area = cv2.countNonZero(inside)
    reach = 2 * round(mm_to_px(SHADOW_MM, dpi)) + 1
    near = cv2.dilate(inside, np.ones((reach, reach), np.uint8))
    return cv2.countNonZero(cv2.subtract(mask, near)) / max(area, 1)


def _touching_rim(mask: Pixels) -> Pixels:
    _, labels = cv2.connectedComponents(mask, connectivity=8)
    rim = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    return np.where((labels > 0) & np.isin(labels, rim), np.uint8(255), np.uint8(0))


def _rims(picture: Pixels) -> NDArray[np.float32]:
    """Return the colour that each side of the rim mostly shows, (4, channels)."""
    channels = picture.reshape(*picture.shape[:2], -1)
    sides = (channels[:2], channels[-2:], channels[:, :2], channels[:, -2:])
    return np.array([np.median(side.reshape(-1, channels.shape[2]), axis=0) for side in sides], np.float32)


def _groups(rims: NDArray[np.float32], by: NDArray[np.float32], within: float) -> list[NDArray[np.float32]]:
    """Return the colours of the rim that are apart in what they are compared by, the darkest first."""
    like = np.abs(by - by[rims.sum(axis=1).argmin()]).max(axis=1) < within
    return [np.median(group, axis=0) for group in (rims[like], rims[~like]) if len(group)]


def _frame_by_lines(capture: Pixels, dpi: float) -> SheetFrame:
    """Return the rectangle of the outermost lines that run along a whole side; the capture's edges where none does."""
    by = _reduction(capture, dpi)
    coarse = _sampled(capture, by)
    lines = lines_from_outside(coarse, dpi / by)
    if lines is None:
        return _whole(capture, dpi)
    print_at = [_print_at(coarse, dpi / by, levels) * by for levels, _, _ in PRINT_KINDS]
    height, width = capture.shape[:2]
    waiting = [
        [line.scaled(by) for line in side] + [edge] for side, edge in zip(lines, _edges_of(width, height), strict=True)
    ]
    while any(len(side) > 1 for side in waiting):
        corners = np.array([crossing(waiting[side - 1][0], waiting[side][0]) for side in range(4)])
        if not np.isfinite(corners).all():
            return _whole(capture, dpi)
        fits = [_side(capture, dpi, corners[side], corners[(side + 1) % 4]) for side in range(4)]
        doubtful = (
            [side for side in range(4) if fits[side].share < LINE_SHARE]
            or _print_outside(print_at, dpi, corners)
            or _within_sheet(capture, dpi, corners)
        )
        doubtful = [side for side in doubtful if len(waiting[side]) > 1]
        if not doubtful:
            return _frame(fits, dpi, LINES_CONFIDENCE) or _whole(capture, dpi)
        del waiting[min(doubtful, key=lambda side: fits[side].share)][0]
    return _whole(capture, dpi)


def _print_at(coarse: Pixels, dpi: float, levels: int) -> NDArray[np.float64]:
    """Return what is darker than around it by so much, (n, 2) `(x, y)`, the rim of the capture left out."""
    grey = to_grey(coarse)
    around = 2 * round(mm_to_px(AROUND_MM, dpi) / 2) + 1
    darker = cv2.subtract(cv2.blur(grey, (around, around)), grey)
    rim = round(mm_to_px(RIM_MM, dpi))
    darker[:rim] = darker[-rim:] = 0
    darker[:, :rim] = darker[:, -rim:] = 0
    places = cv2.findNonZero(cv2.threshold(darker, levels, 1, cv2.THRESH_BINARY)[1])
    return np.empty((0, 2)) if places is None else np.asarray(places, np.float64).reshape(-1, 2)


def _print_outside(print_at: list[NDArray[np.float64]], dpi: float, corners: NDArray[np.float64]) -> list[int]:
    """Return the sides beyond which there is print, of the kinds in `PRINT_KINDS`."""
    sides = [Line.through(corners[side], corners[(side + 1) % 4]) for side in range(4)]
    return [
        number
        for number, side in enumerate(sides)
        if any(
            np.count_nonzero(side.away(places) < -mm_to_px(beyond_mm, dpi)) > max_mm2 * mm_to_px(1.0, COARSE_DPI) ** 2
            for places, (_, beyond_mm, max_mm2) in zip(print_at, PRINT_KINDS, strict=True)
        )
    ]


def _within_sheet(capture: Pixels, dpi: float, corners: NDArray[np.float64]) -> list[int]:
    """Return the sides with the same on both of them, no paper inside, or paper outside rather than backing."""
    strips = {side: beside(capture, dpi, corners[side], corners[(side + 1) % 4]) for side in range(4)}
    seen = {side: strip for side, strip in strips.items() if strip is not None}
    inside, outside = ({side: np.median(strip[way], axis=0) for side, strip in seen.items()} for way in (0, 1))
    brightest = max((colour.mean() for colour in (*inside.values(), *outside.values())), default=0.0)
    within = []
    for side in seen:
        paper = inside[side]
        backing = max(outside.values(), key=lambda colour: _apart(paper, colour))
        plain = _apart(paper, backing) > TINT_LEVELS
        as_paper = plain and _apart(outside[side], paper) < _apart(outside[side], backing)
        alike = _apart(outside[side], paper) < ALIKE_LEVELS
        if alike or as_paper or paper.mean() < brightest - DARK_LEVELS:
            within.append(side)
    return within


def _apart(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Return how far apart two colours are; uneven light changes brightness, which therefore counts for less."""
    difference = one - other
    light = float(difference.mean())
    return float(np.abs(difference - light).max()) + abs(light) / 3


def _reduction(capture: Pixels, dpi: float) -> int:
    by = max(1, int(dpi // COARSE_DPI))
    return by if min(capture.shape[:2]) >= 8 * by else 1


def _sampled(capture: Pixels, by: int) -> Pixels:
    """Return the capture with each side divided by a whole number: the mean of some of the pixels, which is quick."""
    height, width = capture.shape[0] // by, capture.shape[1] // by
    whole = capture[: height * by, : width * by]
    return (
        np.asarray(cv2.resize(whole, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8) if by > 1 else capture
    )


def _difference(picture: Pixels, backing: NDArray[np.float32]) -> Pixels:
    """Return how far each pixel is from the backing in the channel where it is farthest, in grey levels, (h, w)."""
    away = np.abs(np.arange(256)[:, None] - np.rint(backing)).astype(np.uint8)[None]  # (1, 256, channels)
    return lightest_channel(np.asarray(cv2.LUT(picture, away if picture.ndim == 3 else away[..., 0]), np.uint8))


def _tint_difference(picture: Pixels, backing: NDArray[np.float32]) -> Pixels:
    """Return how far each pixel is from the backing in tint, brightness left out, (h, w)."""
    shades = [backing[at] - backing[(at + 1) % 3] for at in range(3)]
    channels = [channel.astype(np.int16) for channel in cv2.split(picture)]
    apart = [np.abs(channels[at] - channels[(at + 1) % 3] - np.int16(round(float(shades[at])))) for at in range(3)]
    farthest = np.maximum(np.maximum(apart[0], apart[1]), apart[2])
    return np.asarray(np.minimum(farthest * 2 // 3, 255), np.uint8)


def _boxes(mask: Pixels, dpi: float) -> list[NDArray[np.float64]]:
    """Return the corners `(x, y)`, (4, 2), of the smallest rectangles round the areas, the largest first."""
    if mask.mean() > 255 * MAX_SHARE:
        return []
    opened = cv2.morphologyEx(mask, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8))
    contours, _ = cv2.findContours(opened, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    boxes = []
    for contour in sorted(contours, key=cv2.contourArea, reverse=True):
        area = cv2.contourArea(contour)
        if area < LEAST_SHARE * mask.size:
            break
        box = cv2.minAreaRect(cv2.convexHull(contour))
        if min(box[1]) >= mm_to_px(LEAST_SIDE_MM, dpi) and area >= FILLED_SHARE * box[1][0] * box[1][1]:
            boxes.append(order_corners(cv2.boxPoints(box).astype(np.float64)))
    return boxes


def _placed(capture: Pixels, dpi: float, box: NDArray[np.float64], most: float) -> SheetFrame:
    """Place the four sides of a box exactly; corners in px of the capture."""
    fits = [_side(capture, dpi, box[side], box[(side + 1) % 4]) for side in range(4)]
    return _frame(fits, dpi, most) or SheetFrame(_to_mm(box, dpi), 0.3)


def _frame(fits: list[SideFit], dpi: float, most: float) -> SheetFrame | None:
    corners = np.array([crossing(fits[side - 1].line, fits[side].line) for side in range(4)])
    if not np.isfinite(corners).all():
        return None
    shares = [fit.share for fit in fits]
    return SheetFrame(_to_mm(corners, dpi), most * float(np.sqrt(np.mean(shares) * min(1.0, 2 * min(shares)))))


def _side(capture: Pixels, dpi: float, start: NDArray[np.float64], end: NDArray[np.float64]) -> SideFit:
    """Place one side; where it runs beyond the capture, its edge is the side, and nothing speaks against it."""
    height, width = capture.shape[:2]
    rough = Line.through(start, end)
    edge = _edge_along(rough, width, height)
    within = _clipped(start, end, width, height)
    if within is None:
        return SideFit(edge, 1.0)
    visible_px = float(np.hypot(*(within[1] - within[0])))
    fit = _fitted(capture, dpi, *within) if visible_px >= mm_to_px(LEAST_SIDE_MM / 2, dpi) else None
    touching_px = mm_to_px(TOUCH_MM, dpi)
    if fit is not None and fit.share >= SURE:
        at_edge = np.abs(edge.away(fit.line.nearest(np.array(within)))).mean() < touching_px
        return SideFit(edge, 1.0) if at_edge and fit.is_slight else fit
    mostly_beyond = visible_px < BEYOND_SHARE * float(np.hypot(*(end - start)))
    touching_px = mm_to_px(NEAR_MM, dpi) if mostly_beyond else touching_px
    if np.abs(edge.away(np.array(within))).max() < touching_px:
        return SideFit(edge, 1.0)
    return fit or SideFit(rough, 1.0 if mostly_beyond else 0.0)


def _fitted(capture: Pixels, dpi: float, start: NDArray[np.float64], end: NDArray[np.float64]) -> SideFit | None:
    """Place a side; where it does not fit all along, or leans much, its lean is placed again from there."""
    fit = fit_side(capture, dpi, start, end)
    if fit is None or (fit.share >= STEADY_SHARE and not fit.leans_most):
        return fit
    height, width = capture.shape[:2]
    first, last = fit.line.nearest(np.array([start, end]))
    leaning = _clipped(first, last, width, height)
    again = fit_side(capture, dpi, *leaning) if leaning is not None else None
    if again is None or again.share < STEADY_SHARE:
        return fit
    return again if abs(again.line.away((first + last) / 2)) < mm_to_px(SAME_MM, dpi) else fit


def _edges_of(width: int, height: int) -> tuple[Line, Line, Line, Line]:
    """Return the edges of a picture, clockwise from the top."""
    return (
        Line(-0.5, -0.5, 1.0, 0.0),
        Line(width - 0.5, -0.5, 0.0, 1.0),
        Line(width - 0.5, height - 0.5, -1.0, 0.0),
        Line(-0.5, height - 0.5, 0.0, -1.0),
    )


def _edge_along(line: Line, width: int, height: int) -> Line:
    """Return the edge of the picture that runs the same way as a side of a sheet."""
    return max(_edges_of(width, height), key=lambda edge: edge.dx * line.dx + edge.dy * line.dy)


def _clipped(
    start: NDArray[np.float64], end: NDArray[np.float64], width: int, height: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
    """Return the part of a side on the picture (J. Liang, B. Barsky, ACM TOG 3, 1984); None where none is."""
    way = end - start
    low, high = 0.0, 1.0
    for axis, most in ((0, width - 1.0), (1, height - 1.0)):
        if abs(way[axis]) < 1e-9:
            if not 0 <= start[axis] <= most:
                return None
            continue
        one, other = sorted((-start[axis] / way[axis], (most - start[axis]) / way[axis]))
        low, high = max(low, float(one)), min(high, float(other))
    return (start + low * way, start + high * way) if low < high else None


def _to_mm(corners: NDArray[np.float64], dpi: float) -> Quad:
    """Return corners in px, pixel centres at whole numbers, as mm from the top left of the picture."""
    first, second, third, fourth = ((px_to_mm(float(x) + 0.5, dpi), px_to_mm(float(y) + 0.5, dpi)) for x, y in corners)
    return (first, second, third, fourth)


def _whole(capture: Pixels, dpi: float) -> SheetFrame:
    width_mm, height_mm = px_to_mm(capture.shape[1], dpi), px_to_mm(capture.shape[0], dpi)
    return SheetFrame(((0.0, 0.0), (width_mm, 0.0), (width_mm, height_mm), (0.0, height_mm)), 0.0)
