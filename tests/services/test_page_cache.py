"""Pages for windows: the same with a cache as without one, however small it is."""

import pytest
from sqlalchemy import event
from tests.helpers import ANNA, do

from papiermappe.core.operations import SetAside, Turn
from papiermappe.services import mappen
from papiermappe.services.errors import NotFound
from papiermappe.services.page_cache import PageCache
from papiermappe.store.database import Store


def shown(cache: PageCache, store: Store, mappe: int) -> list[tuple[int, int, bool]]:
    """Return the pages of a Mappe, as far as this test changes them."""
    return sorted((row.view.id, row.view.revision, row.view.set_aside) for row in cache.pages_of(ANNA, store, mappe)[1])


@pytest.mark.parametrize("max_pages", [0, 1, 2, 3, 100])
def test_pages_are_as_they_are_however_few_are_kept(store: Store, mappe: int, pages: list[int], max_pages: int) -> None:
    cache = PageCache(max_pages)
    for operation in (
        Turn(pages=(pages[0],), quarter_turns=1),
        SetAside(pages=(pages[1],)),
        Turn(pages=tuple(pages), quarter_turns=2),
    ):
        do(store, mappe, operation)
        assert shown(cache, store, mappe) == shown(PageCache(), store, mappe)
    assert len(shown(cache, store, mappe)) == 3


def test_only_what_is_new_is_read_whole(store: Store, mappe: int, pages: list[int]) -> None:
    cache = PageCache()
    shown(cache, store, mappe)
    statements: list[str] = []

    def note(*arguments: object) -> None:
        statements.append(str(arguments[2]))

    event.listen(store.engine, "before_cursor_execute", note)
    try:
        shown(cache, store, mappe)
        unchanged = sum("page.treatment" in statement for statement in statements)
        do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1))
        statements.clear()
        shown(cache, store, mappe)
        changed = sum("page.treatment" in statement for statement in statements)
        do(store, mappe, SetAside(pages=tuple(pages)))
        statements.clear()
        shown(cache, store, mappe)
        moved = sum("page.treatment" in statement for statement in statements)
    finally:
        event.remove(store.engine, "before_cursor_execute", note)
    assert (unchanged, changed, moved) == (0, 1, 0)


def test_what_others_push_out_meanwhile_is_not_missed(store: Store, mappe: int, pages: list[int]) -> None:
    """Between asking which pages there are and answering, another window may fill the cache with its own."""
    cache = PageCache(len(pages))
    shown(cache, store, mappe)

    def push_out(*arguments: object) -> None:
        if "page.treatment" in str(arguments[2]):
            cache._rows.clear()  # what others do at the same time

    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1))
    event.listen(store.engine, "before_cursor_execute", push_out)
    try:
        assert len(shown(cache, store, mappe)) == len(pages)
    finally:
        event.remove(store.engine, "before_cursor_execute", push_out)


def test_a_cleared_mappe_is_shown_to_nobody(store: Store, mappe: int, pages: list[int]) -> None:
    cache = PageCache()
    assert len(shown(cache, store, mappe)) == len(pages)
    mappen.clear(ANNA, store, mappe)
    with pytest.raises(NotFound):
        cache.pages_of(ANNA, store, mappe)
