"""What to wipe on all pages of a side: holes, staples, folds, shadows along edges and lines of dust that recur.

What recurs because it is printed, a letterhead or the lines of a form, is not suggested: holes come in rows along an
edge, staples stand alone in a corner, folds and dust run from edge to edge. Nothing is suggested that print of several
pages runs into; a single page that has some there is spared.
"""

from collections.abc import Iterator, Sequence
from enum import StrEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.pile.dust import DustLine
from papiermappe.core.clean.pile.layers import Pile, crossing_ink_mm2, ink_in_shadow_mm2
from papiermappe.core.clean.pile.leaf import PILE_DPI, Leaf, stretch
from papiermappe.core.clean.pile.marks import Mark, MarkKind
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.zones import Zone

LEAST_PAGES = 3
SHARED = 0.6
"""Something is shared if at least this share of a side's pages show it."""
GRID_MM = 0.5
NEAR_MM = 1.6
"""Marks of several pages that lie no farther apart are of the same thing."""
MARGIN_MM = 0.9
"""How far a wipe reaches beyond what it wipes."""
HOLES_APART_MM = 40.0
ALIKE_MM = 1.1
"""How much the holes of one punch differ in width, as they are measured."""
IN_LINE_MM = 1.8
HOLE_EDGE_MM = (5.0, 20.0)
"""How far the middle of a hole lies from its edge."""
TURNED_DEG = 14.0
LEVEL_DEG = 2.0
LEVEL_CORNER_MM = 17.0
"""A short line that is level or upright might be printed, unless it lies as near to both edges of a corner."""
FOLD_WIDE_MM = 5.0
DEEPEST_SHADOW_MM = 14.0
RUNS_ON_SHARE = 0.1
"""Of what is dark along an edge, that may be deeper: more is a picture."""
LEAST_SHADOW_MM = 0.5
SHADOW_ALONG = 0.2
INK_MM2 = 1.5
"""Of a page's own, from which on a place is printed on."""
PRINTED_SHARE = 0.05
"""Of the pages that may have something printed there, as the cover of a booklet has; one may in any case."""


class SharedKind(StrEnum):
    """What pages share that is not theirs."""

    HOLE = "hole"
    EDGE_SHADOW = "edge_shadow"
    STAPLE = "staple"
    FOLD = "fold"
    DUST_LINE = "dust_line"


class SuggestedWipe(NamedTuple):
    """A zone that might be wiped on all pages of a side."""

    kind: SharedKind
    zone: Zone
    """In mm from the top left of the pile; of a line of dust, from the top left of the scans."""
    pages: int
    """How many show it."""
    spares: tuple[int, ...] = ()
    """Pages that are not to be wiped, by their place in the pile: something of their own is printed there."""


def suggest_wipes(pile: Pile, leaves: Sequence[Leaf], scans_mm: Sequence[tuple[float, float]]) -> list[SuggestedWipe]:
    """Suggest what to wipe on all pages of a pile.

    Args:
        pile: of the leaves.
        leaves: all of one side.
        scans_mm: width and height of the scan of each.

    Returns:
        None where fewer than three pages lie there.
    """
    if pile.count < LEAST_PAGES:
        return []
    cells = pile.cells()
    folds = (_sparing_print(one, crossing_ink_mm2(cells, one.zone)) for one in _folds(pile, leaves))
    shadows = (_sparing_print(one, ink_in_shadow_mm2(cells, one.zone)) for one in _edge_shadows(pile))
    found = [
        *_holes(pile, leaves),
        *_staples(pile, leaves),
        *filter(None, (*folds, *shadows)),
        *_dust(leaves, scans_mm),
    ]
    return sorted(found, key=lambda one: (list(SharedKind).index(one.kind), one.zone.y_mm, one.zone.x_mm))


def _least(count: int) -> float:
    return max(LEAST_PAGES, SHARED * count)


def _sparing_print(found: SuggestedWipe, ink_mm2: NDArray[np.float32]) -> SuggestedWipe | None:
    """Return a suggestion that leaves out the pages with something printed there, given how much each has.

    None where these are more than few: then what the pages share may be printed, too.
    """
    printed = np.flatnonzero(ink_mm2 >= INK_MM2)
    if len(printed) > max(1.0, PRINTED_SHARE * len(ink_mm2)):
        return None
    return found._replace(spares=tuple(int(at) for at in printed))


# ---- what several pages show at one place


def _recurring(leaves: Sequence[Leaf], pile: Pile, kind: MarkKind) -> Iterator[list[Mark]]:
    """Yield the marks of a kind that lie at one place on enough pages, one a page, as places on the pile."""
    by_page = [_on_pile(leaf, pile.size_mm, kind) for leaf in leaves]
    width, height = (int(side / GRID_MM) + 1 for side in pile.size_mm)
    counts = np.zeros((height, width), np.int32)
    reach = int(NEAR_MM / GRID_MM)
    for marks in by_page:
        seen = np.zeros_like(counts, np.bool_)
        for mark in marks:
            row, col = int(mark.y_mm / GRID_MM), int(mark.x_mm / GRID_MM)
            seen[max(0, row - reach) : row + reach + 1, max(0, col - reach) : col + reach + 1] = True
        counts += seen
    while counts.max() >= _least(pile.count):
        row, col = divmod(int(counts.argmax()), width)
        place = (col + 0.5) * GRID_MM, (row + 0.5) * GRID_MM
        members = [near for marks in by_page if (near := _nearest(marks, place)) is not None]
        counts[max(0, row - 3 * reach) : row + 3 * reach + 1, max(0, col - 3 * reach) : col + 3 * reach + 1] = 0
        if len(members) >= _least(pile.count):
            yield members


def _on_pile(leaf: Leaf, size_mm: tuple[float, float], kind: MarkKind) -> list[Mark]:
    across, down = stretch(leaf, size_mm)
    return [
        mark._replace(x_mm=mark.x_mm * across, y_mm=mark.y_mm * down)
        for mark in leaf.marks
        if mark.kind is kind and mark.x_mm * across < size_mm[0] and mark.y_mm * down < size_mm[1]
    ]


def _nearest(marks: Sequence[Mark], place: tuple[float, float]) -> Mark | None:
    away = {mark: max(abs(mark.x_mm - place[0]), abs(mark.y_mm - place[1])) for mark in marks}
    nearest = min(away, key=lambda mark: away[mark], default=None)
    return nearest if nearest is not None and away[nearest] <= NEAR_MM + GRID_MM else None


def _box_round(marks: Sequence[Mark]) -> Zone:
    """Return the box round nearly all of the marks, with a margin."""
    middles = np.array([(mark.x_mm, mark.y_mm) for mark in marks])
    halves = np.array([(mark.width_mm / 2, mark.height_mm / 2) for mark in marks])
    low = np.percentile(middles - halves, 5, axis=0) - MARGIN_MM
    high = np.percentile(middles + halves, 95, axis=0) + MARGIN_MM
    return Zone(
        x_mm=float(low[0]), y_mm=float(low[1]), width_mm=float(high[0] - low[0]), height_mm=float(high[1] - low[1])
    )


def _runs_on(pile: Pile, zone: Zone) -> bool:
    """Whether what most pages show in a zone runs on beyond it, as print does.

    Round a hole or a staple all of the rim is bare, so a thin rule is enough.
    """
    rows, cols = zone.slices(pile.shares.shape, PILE_DPI)
    part = pile.shares[rows, cols] >= SHARED / 2
    return min(part.shape) < 3 or bool(part[[0, -1]].any() or part[:, [0, -1]].any())


# ---- each kind


def _holes(pile: Pile, leaves: Sequence[Leaf]) -> list[SuggestedWipe]:
    groups = [group for group in _recurring(leaves, pile, MarkKind.HOLE) if not _runs_on(pile, _box_round(group))]
    middles = [np.median([(mark.x_mm, mark.y_mm) for mark in group], axis=0) for group in groups]
    wide_mm = [float(np.median([mark.width_mm for mark in group])) for group in groups]
    found = []
    for at, (group, middle) in enumerate(zip(groups, middles, strict=True)):
        others = [
            other
            for number, other in enumerate(middles)
            if number != at and abs(wide_mm[number] - wide_mm[at]) <= ALIKE_MM
        ]
        if any(_are_of_one_punch(middle, other, pile.size_mm) for other in others):
            found.append(SuggestedWipe(SharedKind.HOLE, _box_round(group), len(group)))
    return found


def _are_of_one_punch(first: NDArray[np.float64], second: NDArray[np.float64], size_mm: tuple[float, float]) -> bool:
    """Whether two holes lie at the same distance from the same edge, and apart as a punch makes them."""
    for axis in (0, 1):
        low, high = HOLE_EDGE_MM
        from_edge = [min(place[axis], size_mm[axis] - place[axis]) for place in (first, second)]
        same_edge = abs(first[axis] - second[axis]) <= IN_LINE_MM and all(low <= mm <= high for mm in from_edge)
        if same_edge and abs(first[1 - axis] - second[1 - axis]) >= HOLES_APART_MM:
            return True
    return False


def _staples(pile: Pile, leaves: Sequence[Leaf]) -> list[SuggestedWipe]:
    found = []
    for group in _recurring(leaves, pile, MarkKind.STAPLE):
        angles = np.array([mark.angle_deg for mark in group])
        usual = _middle_angle(angles)
        alike = [mark for mark in group if _turned(mark.angle_deg, usual) <= TURNED_DEG]
        if len(alike) < _least(pile.count):
            continue
        x_mm, y_mm = np.median([(mark.x_mm, mark.y_mm) for mark in alike], axis=0)
        corner_mm = max(min(x_mm, pile.size_mm[0] - x_mm), min(y_mm, pile.size_mm[1] - y_mm))
        if min(_turned(usual, 0), _turned(usual, 90)) <= LEVEL_DEG and corner_mm > LEVEL_CORNER_MM:
            continue
        found.append(SuggestedWipe(SharedKind.STAPLE, _box_round(alike), len(alike)))
    return [staple for staple in found if not _runs_on(pile, staple.zone)]


def _middle_angle(angles_deg: NDArray[np.float64]) -> float:
    """Return the mean of angles that repeat every 180 degrees."""
    doubled = np.radians(2 * angles_deg)
    return float(np.degrees(np.arctan2(np.sin(doubled).mean(), np.cos(doubled).mean())) / 2)


def _turned(angle_deg: float, other_deg: float) -> float:
    return abs((angle_deg - other_deg + 90) % 180 - 90)


def _folds(pile: Pile, leaves: Sequence[Leaf]) -> list[SuggestedWipe]:
    found = []
    for group in _recurring(leaves, pile, MarkKind.FOLD):
        down = group[0].height_mm > group[0].width_mm
        places = np.array([mark.x_mm if down else mark.y_mm for mark in group])
        low, high = (float(np.percentile(places, share)) for share in (5, 95))
        width_mm, height_mm = pile.size_mm
        wide_mm = high - low + FOLD_WIDE_MM
        if down:
            zone = Zone(x_mm=low - FOLD_WIDE_MM / 2, y_mm=0, width_mm=wide_mm, height_mm=height_mm)
        else:
            zone = Zone(x_mm=0, y_mm=low - FOLD_WIDE_MM / 2, width_mm=width_mm, height_mm=wide_mm)
        found.append(SuggestedWipe(SharedKind.FOLD, zone, len(group)))
    return found


def _edge_shadows(pile: Pile) -> Iterator[SuggestedWipe]:
    """Yield the strips along the edges that most pages show dark."""
    for turns, edge in enumerate(("top", "right", "bottom", "left")):
        seen = np.rot90(pile.shares, turns)
        dark = seen >= SHARED
        dark[0] |= dark[:3].any(axis=0)  # the outermost pixels may be lighter
        dark[1] |= dark[1:3].any(axis=0)
        depth = np.logical_and.accumulate(dark, axis=0).sum(axis=0)
        along = np.flatnonzero(depth >= mm_to_px(LEAST_SHADOW_MM, PILE_DPI))
        if len(along) < SHADOW_ALONG * len(depth):
            continue
        runs_on = depth > mm_to_px(DEEPEST_SHADOW_MM, PILE_DPI)  # into a fold, or a shadow along the edge beside
        if runs_on.sum() > RUNS_ON_SHARE * len(along):
            continue
        depth[runs_on] = np.median(depth[along])
        deep = px_to_mm(float(np.percentile(depth[along], 98)), PILE_DPI)
        start, end = (px_to_mm(float(at), PILE_DPI) for at in (along[0], along[-1] + 1))
        shown = round(float(seen[: max(1, int(depth[along].mean())), along].mean()) * pile.count)
        yield SuggestedWipe(SharedKind.EDGE_SHADOW, _strip(edge, pile.size_mm, deep + MARGIN_MM, start, end), shown)


def _strip(edge: str, size_mm: tuple[float, float], deep_mm: float, start_mm: float, end_mm: float) -> Zone:
    """Return the strip along an edge; start and end are counted as the edge lies when it is turned to the top."""
    width_mm, height_mm = size_mm
    long_mm = end_mm - start_mm
    if edge == "top":
        return Zone(x_mm=start_mm, y_mm=0, width_mm=long_mm, height_mm=deep_mm)
    if edge == "bottom":
        return Zone(x_mm=width_mm - end_mm, y_mm=height_mm - deep_mm, width_mm=long_mm, height_mm=deep_mm)
    if edge == "right":
        return Zone(x_mm=width_mm - deep_mm, y_mm=start_mm, width_mm=deep_mm, height_mm=long_mm)
    return Zone(x_mm=0, y_mm=height_mm - end_mm, width_mm=deep_mm, height_mm=long_mm)


def _dust(leaves: Sequence[Leaf], scans_mm: Sequence[tuple[float, float]]) -> Iterator[SuggestedWipe]:
    """Yield the lines that enough scans show at the same place."""
    width_mm = max(width for width, _ in scans_mm)
    height_mm = max(height for _, height in scans_mm)
    counts = np.zeros(int(width_mm / GRID_MM) + 2, np.int32)
    for leaf in leaves:
        seen = np.zeros_like(counts, np.bool_)
        for line in leaf.dust:
            seen[max(0, int((line.left_mm - GRID_MM) / GRID_MM)) : int((line.right_mm + GRID_MM) / GRID_MM) + 1] = True
        counts += seen
    while counts.max() >= _least(len(leaves)):
        at = (float(counts.argmax()) + 0.5) * GRID_MM
        lines = [near for leaf in leaves if (near := _line_near(leaf.dust, at)) is not None]
        counts[int(max(0, at / GRID_MM - 4)) : int(at / GRID_MM + 5)] = 0
        if len(lines) >= _least(len(leaves)):
            left, right = min(line.left_mm for line in lines), max(line.right_mm for line in lines)
            zone = Zone(x_mm=left - 0.1, y_mm=0, width_mm=right - left + 0.2, height_mm=height_mm)
            yield SuggestedWipe(SharedKind.DUST_LINE, zone, len(lines))


def _line_near(lines: Sequence[DustLine], at_mm: float) -> DustLine | None:
    reach = 2 * GRID_MM
    return next((line for line in lines if line.left_mm - reach <= at_mm <= line.right_mm + reach), None)
