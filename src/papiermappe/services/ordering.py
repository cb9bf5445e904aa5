"""The station Order: which page where."""

from collections.abc import Callable, Collection
from typing import Literal

from papiermappe.core.order.places import Place, arranged, move, nudge
from papiermappe.services.errors import NotPossible
from papiermappe.services.journal import edit, locked_mappe, pages_of, place_of
from papiermappe.services.printed import printed_numbers
from papiermappe.services.words import count
from papiermappe.store.database import Store
from papiermappe.store.models import Page


def move_pages(store: Store, mappe_id: int, page_ids: Collection[int], gap: int, seen: int) -> int | None:
    """Move pages into the gap before sheet number `gap`. Returns the new journal entry; None where they lie there."""
    return _moved(store, mappe_id, page_ids, seen, lambda places: move(places, page_ids, gap))


def nudge_pages(store: Store, mappe_id: int, page_ids: Collection[int], by: Literal[-1, 1], seen: int) -> int | None:
    """Move pages by one sheet towards the front (-1) or the end (+1)."""
    return _moved(store, mappe_id, page_ids, seen, lambda places: nudge(places, page_ids, by))


def put_in_printed_order(store: Store, mappe_id: int, seen: int) -> int:
    """Put the sheets in the order of their printed page numbers. Raises NotPossible where they lie in it."""
    with store.begin() as session:
        mappe = locked_mappe(session, mappe_id)
        pages = pages_of(session, mappe_id)
        told = printed_numbers(pages).told
        if told is None or not told.out_of_place:
            raise NotPossible("The sheets lie in the order of their page numbers, as far as these are known.")
        places = [place_of(page) for page in pages]
        changes = {place.page_id: {"rank": str(place.rank)} for place in arranged(places, told.order)}
        return edit(session, mappe, f"{count(told.out_of_place, 'sheet')} put in printed order", changes, seen)


def _moved(
    store: Store,
    mappe_id: int,
    page_ids: Collection[int],
    seen: int,
    moving: Callable[[list[Place]], list[Place]],
) -> int | None:
    with store.begin() as session:
        mappe = locked_mappe(session, mappe_id)
        moved = moving([place_of(page) for page in pages_of(session, mappe_id)])
        if not moved:
            return None
        changes = {place.page_id: {"rank": str(place.rank)} for place in moved}
        return edit(session, mappe, f"{count(len(page_ids), 'page')} moved", changes, seen)


def put_away(store: Store, mappe_id: int, page_ids: Collection[int], seen: int) -> int:
    """Put pages away: they are kept, but not filed. Raises NotPossible where none of them lies in the lanes."""
    return _set_away(store, mappe_id, page_ids, seen, away=True)


def bring_back(store: Store, mappe_id: int, page_ids: Collection[int], seen: int) -> int:
    """Bring pages back to where they lay."""
    return _set_away(store, mappe_id, page_ids, seen, away=False)


def _set_away(store: Store, mappe_id: int, page_ids: Collection[int], seen: int, away: bool) -> int:
    def concerned(page: Page) -> bool:
        return page.id in page_ids and page.put_away is not away

    with store.begin() as session:
        mappe = locked_mappe(session, mappe_id)
        changes = {page.id: {"put_away": away} for page in pages_of(session, mappe_id) if concerned(page)}
        if not changes:
            raise NotPossible("There is no page to put away." if away else "There is no page to bring back.")
        return edit(
            session,
            mappe,
            f"{count(len(changes), 'page')} {'put away' if away else 'brought back'}",
            changes,
            seen,
        )
