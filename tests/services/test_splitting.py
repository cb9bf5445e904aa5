"""Spreads split into their pages on the desk: found, examined by themselves, one again by undo."""

import numpy as np
import pytest
from tests.helpers import ANNA, BEN, Drawer, analyse_all, desk, do, redo, scan_booklet, undo

from papiermappe.core.operations import Adjust, SetGutter, SetTone, Turn
from papiermappe.core.order.places import Side
from papiermappe.core.treatment import Tone
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Colour, Sides, Source, TicketSettings
from papiermappe.services import devices
from papiermappe.services.errors import NotPossible
from papiermappe.services.page_views import SpreadKind
from papiermappe.services.splitting import split_spreads
from papiermappe.store.database import Store

FROM_GLASS = TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=150, colour=Colour.GREY)


@pytest.fixture
def booklet(store: Store, drawer: Drawer) -> tuple[int, list[int]]:
    """The cover and two spreads of a booklet, scanned from the glass: the Mappe, and its pages."""
    kiebitz = devices.add_device(ANNA, store, drawer.escl("kiebitz"), Limits())
    drawer.lay("handbook", into="kiebitz", where="glass")
    mappe = scan_booklet(store, kiebitz, FROM_GLASS)
    return mappe, desk(store, mappe).order


def split(store: Store, mappe: int, *pages: int, right_to_left: bool = False) -> int | None:
    """Split pages, knowing all that has happened."""
    return split_spreads(ANNA, store, mappe, pages, desk(store, mappe).cursor, right_to_left=right_to_left)


def test_spreads_are_told_from_the_cover(store: Store, booklet: tuple[int, list[int]]) -> None:
    mappe, _ = booklet
    assert [page.spread for page in desk(store, mappe).pages] == [None, SpreadKind.SURE, SpreadKind.SURE]


def test_a_booklet_is_split_into_leaves_and_made_one_again(store: Store, booklet: tuple[int, list[int]]) -> None:
    """The cover's back is page 2; each page is half as wide as its spread, and is examined by itself."""
    mappe, (cover, *spreads) = booklet
    assert split(store, mappe, cover, *spreads) is not None
    now = desk(store, mappe)
    assert len(now.order) == 5
    assert [sides.count(None) for sides in now.lanes] == [0, 0, 1]
    assert now.undo == "2 spreads split into two pages each"
    analyse_all(store, mappe)
    pages = desk(store, mappe).pages
    for page in pages[1:]:
        assert page.analysed
        assert page.spread is None
        assert page.width_mm == pytest.approx(148.5, abs=4)
        assert page.height_mm == pytest.approx(210, abs=4)
    numbers = [desk(store, mappe).detail(page.id).treatment.part for page in pages]
    assert [part and part.right for part in numbers] == [None, False, True, False, True]
    undo(store, mappe)
    assert desk(store, mappe).order == [cover, *spreads]
    redo(store, mappe)
    assert len(desk(store, mappe).order) == 5


def test_read_from_right_to_left_the_right_page_comes_first(store: Store, booklet: tuple[int, list[int]]) -> None:
    mappe, (_, first, _) = booklet
    split(store, mappe, first, right_to_left=True)
    parts = [treatment.part for treatment in desk(store, mappe).treatments()]
    assert [part and part.right for part in parts] == [None, True, False, None]
    assert desk(store, mappe).pages[1].side is Side.BACK


def test_a_line_drawn_by_hand_is_the_one_that_counts(store: Store, booklet: tuple[int, list[int]]) -> None:
    mappe, (_, first, _) = booklet
    width_mm, height_mm = desk(store, mappe).pages[1].width_mm, desk(store, mappe).pages[1].height_mm
    line = ((100.0, 0.0), (100.0, height_mm))
    do(store, mappe, SetGutter(pages=(first,), gutter=line, drawn_on_mm=(width_mm, height_mm)))
    assert desk(store, mappe).pages[1].spread is SpreadKind.BY_HAND
    drawn = desk(store, mappe).detail(first).gutter
    assert drawn is not None
    assert np.abs(np.array(drawn) - line).max() <= 0.1
    split(store, mappe, first)
    analyse_all(store, mappe)
    widths_mm = [page.width_mm for page in desk(store, mappe).pages[1:3]]
    assert widths_mm == [pytest.approx(100, abs=2), pytest.approx(width_mm - 100, abs=2)]


def test_a_page_without_a_gutter_is_left_alone(store: Store, booklet: tuple[int, list[int]]) -> None:
    mappe, (cover, *_) = booklet
    with pytest.raises(NotPossible, match="no_gutter"):
        split(store, mappe, cover)


def test_what_a_colleague_has_split_meanwhile_is_not_split_again(store: Store, booklet: tuple[int, list[int]]) -> None:
    """What a spread was turned by is no conflict: it is another field."""
    mappe, (_, first, second) = booklet
    seen = desk(store, mappe).cursor
    do(store, mappe, Turn(pages=(second,), quarter_turns=2), caller=BEN)
    assert split_spreads(ANNA, store, mappe, [second], seen)
    split_spreads(BEN, store, mappe, [first], desk(store, mappe).cursor)
    with pytest.raises(NotPossible):
        split_spreads(ANNA, store, mappe, [first], seen)


def test_what_was_done_to_a_spread_is_done_to_its_pages(store: Store, booklet: tuple[int, list[int]]) -> None:
    """But for how it is framed, which is found anew."""
    mappe, (_, first, _) = booklet
    do(store, mappe, Adjust(pages=(first,), contrast=20, without_specks=True))
    do(store, mappe, SetTone(pages=(first,), tone=Tone.WHITE))
    split(store, mappe, first)
    _, left, right, _ = desk(store, mappe).treatments()
    for page in (left, right):
        assert (page.contrast, page.without_specks, page.tone) == (20, True, Tone.WHITE)
        assert page.crop is None
