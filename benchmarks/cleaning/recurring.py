"""What is suggested for wiping on piles of pages: how much of what they share, and is any print under it?"""

import time
from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from benchmarks.corpus import recurring
from benchmarks.corpus.pages import PRINT_KINDS, draw_page
from benchmarks.corpus.recurring import Thing, TruePile
from benchmarks.second import recurring as second_recurring
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.analysis import analyse
from papiermappe.core.clean.clearing import Areas
from papiermappe.core.clean.pile import Leaf, Pile, SharedKind, SuggestedWipe, suggest_wipes
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.geometry import px_to_mm
from papiermappe.core.pages import page_leaf
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import Treatment, page_size_mm
from papiermappe.core.zones import Zone

PILES = 60
AWAY_MM = 4.0
RIM_MM = 2.5
PRINT_MM2 = 3


class Judged(NamedTuple):
    """How the suggestions for a pile fared."""

    found: list[tuple[str, bool]]
    """Of each thing its kind, and whether it is suggested."""
    suggested: list[tuple[str, bool]]
    """Of each suggestion its kind, and whether it is of a thing."""
    touching: list[str]
    """The kinds of the suggestions that touch print, but for dust, which runs through it."""


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures on piles by both hands: the first is tuned by."""
    return [
        *rows_of(_judge_second, share, seed),
        *_pace(),
        Row("the same on piles drawn to tune by", ""),
        *rows_of(_judge_first, share, seed),
    ]


def _judge_first(numbers: range, seed: int) -> list[Judged]:
    return [judged(recurring.pile(number, seed)) for number in numbers]


def _judge_second(numbers: range, seed: int) -> list[Judged]:
    return [judged(second_recurring.pile(number, seed)) for number in numbers]


def _pace() -> list[Row]:
    """Return what a page costs that is laid on the pile, at 300 dpi in colour."""
    capture = CapturedPicture(encode_jpeg(draw_page(PRINT_KINDS["letter"], np.random.default_rng(1), 300), 85), 300.0)
    times_ms = []
    leaf = page_leaf(capture, Treatment())
    for _ in range(5):
        begun_s = time.perf_counter()
        leaf = page_leaf(capture, Treatment())
        times_ms.append(1000 * (time.perf_counter() - begun_s))
    kept, laid = leaf.to_bytes(), Pile((210.0, 297.0))
    begun_s = time.perf_counter()
    for _ in range(20):
        laid.add(Leaf.from_bytes(kept), Areas())
    again_ms = 1000 * (time.perf_counter() - begun_s) / 20
    return [
        Row("a page laid on the pile, ms on one core", f"{float(np.median(times_ms)):.0f}", "80 (500 in 20 s on two)"),
        Row("  one that is known", f"{again_ms:.0f}"),
    ]


def rows_of(judge: Callable[[range, int], list[Judged]], share: float, seed: int) -> list[Row]:
    """Return the figures of piles that a function draws and judges."""
    judged = of_all(judge, scaled(PILES, share), seed, chunk=1)
    found = [one for pile in judged for one in pile.found]
    suggested = [one for pile in judged for one in pile.suggested]
    touching = [one for pile in judged for one in pile.touching]
    right = sum(is_right for _, is_right in suggested)
    rows = [
        Row(
            f"{len(judged)} piles, {len(suggested)} suggestions: right", percent(right / max(1, len(suggested))), "95 %"
        ),
        Row("  that touch print", f"{len(touching)} {sorted(set(touching))}", "0"),
        Row("  of what recurs, suggested", percent(sum(seen for _, seen in found) / max(1, len(found)))),
    ]
    for kind in sorted({kind for kind, _ in found}):
        of_kind = [seen for one, seen in found if one == kind]
        wrong = sum(not is_right for one, is_right in suggested if one == kind)
        rows.append(Row(f"    {kind}: found; suggested wrongly", f"{sum(of_kind)} of {len(of_kind)}; {wrong}"))
    return rows


def judged(pile: TruePile) -> Judged:
    """Suggest for a pile as the desk does, and compare with its truth."""
    leaves, sizes, scans_mm = [], [], []
    for capture in pile.captures:
        treatment = analyse(capture).treatment
        leaves.append(page_leaf(capture, treatment))
        head = capture.head()
        sizes.append(page_size_mm(head.width_px, head.height_px, capture.dpi, treatment))
        scans_mm.append((px_to_mm(head.width_px, capture.dpi), px_to_mm(head.height_px, capture.dpi)))
    size_mm = float(np.median([width for width, _ in sizes])), float(np.median([height for _, height in sizes]))
    laid = Pile(size_mm)
    for leaf in leaves:
        laid.add(leaf, Areas())
    suggestions = suggest_wipes(laid, leaves, scans_mm)
    matched = {
        at: [one for one in suggestions if _matches(thing, one, size_mm)] for at, thing in enumerate(pile.things)
    }
    taken = [one for ones in matched.values() for one in ones]
    taken += [one for one in suggestions if pile.dark_lid and _is_rim(one.zone) and one.kind is SharedKind.EDGE_SHADOW]
    return Judged(
        [(thing.kind, bool(matched[at])) for at, thing in enumerate(pile.things)],
        [(one.kind.value, one in taken) for one in suggestions],
        list(_touching(suggestions, pile, taken)),
    )


def _is_rim(zone: Zone) -> bool:
    return min(zone.width_mm, zone.height_mm) <= RIM_MM


def _matches(thing: Thing, suggestion: SuggestedWipe, size_mm: tuple[float, float]) -> bool:
    if suggestion.kind.value != thing.kind:
        return False
    zone = suggestion.zone
    if thing.kind == "edge_shadow":
        edges = (zone.y_mm, size_mm[0] - zone.x_mm - zone.width_mm, size_mm[1] - zone.y_mm - zone.height_mm, zone.x_mm)
        deep = zone.height_mm if int(thing.x_mm) % 2 == 0 else zone.width_mm
        return abs(edges[int(thing.x_mm)]) < 0.5 and abs(deep - thing.height_mm) < AWAY_MM
    if thing.kind == "dust_line":
        return zone.x_mm - 0.3 <= thing.x_mm + 3 <= zone.x_mm + zone.width_mm + 0.3
    if thing.kind == "fold":
        down = thing.height_mm > thing.width_mm
        middle = zone.x_mm + zone.width_mm / 2 if down else zone.y_mm + zone.height_mm / 2
        return abs(middle - (thing.x_mm if down else thing.y_mm)) <= AWAY_MM
    inside = (
        zone.x_mm <= thing.x_mm <= zone.x_mm + zone.width_mm and zone.y_mm <= thing.y_mm <= zone.y_mm + zone.height_mm
    )
    return inside and max(zone.width_mm, zone.height_mm) <= max(thing.width_mm, thing.height_mm) + 2 * AWAY_MM


def _touching(suggestions: list[SuggestedWipe], pile: TruePile, taken: list[SuggestedWipe]) -> Iterator[str]:
    for one in suggestions:
        if one.kind.value == "dust_line":
            continue
        for at, print_mm in enumerate(pile.print_mm):
            if at not in one.spares and _print_in(print_mm, one.zone) >= PRINT_MM2:
                yield one.kind.value if one in taken else f"{one.kind.value} (wrong)"
                break


def _print_in(print_mm: NDArray[np.bool_], zone: Zone) -> int:
    """Return how many mm2 of print lie in a zone, its rim of half a mm left out."""
    inner = zone.grown(-0.6) if min(zone.width_mm, zone.height_mm) > 1.4 else zone
    rows = slice(max(0, round(inner.y_mm)), max(0, round(inner.y_mm + inner.height_mm)))
    cols = slice(max(0, round(inner.x_mm)), max(0, round(inner.x_mm + inner.width_mm)))
    return int(print_mm[rows, cols].sum())
