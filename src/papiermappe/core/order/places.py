"""Where pages lie in a Mappe, and moving them.

A page's place is the rank of its sheet and its side. Pages of one rank are one sheet; sheets lie by rank. Ranks are
decimals, so that between any two there is always room and a move changes nothing but the pages moved.
"""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from decimal import ROUND_FLOOR, Decimal, localcontext
from enum import StrEnum
from itertools import groupby

MAX_DIGITS = 16_000  # PostgreSQL keeps 16383 behind the point; ranks this close never come about


class Side(StrEnum):
    """A side of a sheet."""

    FRONT = "front"
    BACK = "back"


@dataclass(frozen=True)
class Place:
    """Where one page lies."""

    page_id: int
    rank: Decimal
    side: Side
    set_aside: bool = False


def reading_order(places: Iterable[Place]) -> list[Place]:
    """Return the places sheet by sheet, front before back."""
    return sorted(places, key=lambda place: (place.rank, place.side is Side.BACK))


def sheets(places: Iterable[Place]) -> list[list[Place]]:
    """Return the pages that are not set aside, by sheet, in reading order."""
    shown = (place for place in reading_order(places) if not place.set_aside)
    return [list(pages) for _, pages in groupby(shown, key=lambda place: place.rank)]


def ranks_between(low: Decimal | None, high: Decimal | None, count: int) -> list[Decimal]:
    """Return `count` rising ranks strictly between two; None is no bound.

    Raises:
        ValueError: `low` is not below `high`.
    """
    if low is not None and high is not None and low >= high:
        raise ValueError(f"{low} is not below {high}")
    with localcontext(prec=MAX_DIGITS):
        if low is None:
            low = (Decimal(0) if high is None else high.to_integral_value(ROUND_FLOOR)) - count - 1
        if high is None:
            return [low.to_integral_value(ROUND_FLOOR) + step for step in range(1, count + 1)]
        step = Decimal(1)
        while low + step * (count + 1) > high:
            step /= 10
        return [low + step * at for at in range(1, count + 1)]


def move(places: Sequence[Place], chosen: Collection[int], gap: int) -> list[Place]:
    """Move pages into the gap before sheet number `gap` (0 is the very front, the number of sheets the end).

    Where all pages of a sheet are chosen it moves whole, what is set aside of it included; a page chosen without its
    other side becomes a sheet of its own and keeps its side.

    Returns:
        The new places of the pages that have moved; empty where all lie there already.
    """
    lanes = sheets(places)
    gap = max(0, min(gap, len(lanes)))
    moving: list[list[Place]] = []
    chosen = frozenset(chosen)
    by_rank = {rank: list(group) for rank, group in groupby(reading_order(places), key=lambda place: place.rank)}
    for sheet in lanes:
        group = [place for place in sheet if place.page_id in chosen]
        if len(group) == len(sheet):
            group = by_rank[sheet[0].rank]
        if group:
            moving.append(group)
    if not moving or _lie_there(lanes, moving, gap):
        return []
    low = lanes[gap - 1][0].rank if gap else None
    above = {place.rank for place in places if low is None or place.rank > low}
    new_ranks = ranks_between(low, min(above, default=None), len(moving))
    return [
        Place(place.page_id, rank, place.side, place.set_aside)
        for rank, group in zip(new_ranks, moving, strict=True)
        for place in group
    ]


def nudge(places: Sequence[Place], chosen: Collection[int], by: int) -> list[Place]:
    """Move pages by one sheet: `by` -1 towards the front, +1 towards the end. Returns as `move` does.

    A page that leaves its other side behind goes into the gap beside its sheet.
    """
    lanes = sheets(places)
    touched = [at for at, sheet in enumerate(lanes) if any(place.page_id in chosen for place in sheet)]
    if not touched:
        return []
    edge = touched[0] if by < 0 else touched[-1]
    whole = all(place.page_id in chosen for place in lanes[edge])
    if by < 0:
        return move(places, chosen, edge - 1 if whole else edge)
    return move(places, chosen, edge + 2 if whole else edge + 1)


def arranged(places: Sequence[Place], order: Sequence[int]) -> list[Place]:
    """Lay whole sheets, what is set aside of them included, in another order.

    Args:
        places: of all pages.
        order: of the sheets that hold a page that is not set aside: which one, by its place now, comes first, second...

    Returns:
        The new places of the pages that have moved.
    """
    ranks = [sheet[0].rank for sheet in sheets(places)]
    new_ranks = {ranks[at]: rank for at, rank in zip(order, ranks, strict=True)}
    return [
        replace(place, rank=new_ranks[place.rank])
        for place in places
        if new_ranks.get(place.rank, place.rank) != place.rank
    ]


def grouped(places: Sequence[Place], chosen: Collection[int]) -> list[list[Place]]:
    """Return what moves together when chosen pages change places, sheet by sheet; all sheets where none is chosen.

    Where one page of each sheet is chosen, as where all are backs, these pages move by themselves. Otherwise whole
    sheets do, what is set aside of them included.
    """
    wanted = frozenset(chosen)
    lanes = [sheet for sheet in sheets(places) if not wanted or any(place.page_id in wanted for place in sheet)]
    single = [[place for place in sheet if place.page_id in wanted] for sheet in lanes]
    if wanted and all(len(group) == 1 for group in single):
        return single
    by_rank = {rank: list(group) for rank, group in groupby(reading_order(places), key=lambda place: place.rank)}
    return [by_rank[sheet[0].rank] for sheet in lanes]


def permuted(groups: Sequence[Sequence[Place]], order: Sequence[int]) -> list[Place]:
    """Lay groups of pages into each other's places.

    Args:
        groups: as from `grouped`.
        order: which group comes first, second...

    Returns:
        The new places of the pages that have moved. Pages that move by themselves also take the other one's side.
    """
    alone = all(len(group) == 1 for group in groups)
    moved = []
    for group, into in ((groups[at], groups[to]) for to, at in enumerate(order) if at != to):
        sides = {into[0].side} if alone else set()
        moved += [replace(place, rank=into[0].rank, side=next(iter(sides), place.side)) for place in group]
    return moved


def _lie_there(lanes: list[list[Place]], moving: list[list[Place]], gap: int) -> bool:
    """Whether the moving groups are whole neighbouring sheets that have the gap at one of their ends or inside."""
    lane_of = {sheet[0].rank: number for number, sheet in enumerate(lanes)}
    at = [lane_of[group[0].rank] for group in moving]
    whole = all({p.page_id for p in lanes[i]} <= {p.page_id for p in g} for i, g in zip(at, moving, strict=True))
    return whole and at == list(range(at[0], at[0] + len(at))) and at[0] <= gap <= at[-1] + 1
