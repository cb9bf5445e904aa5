"""Pages over one another: laid in the background, shown as they come, wiped together, undone together."""

import io
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from PIL import Image
from sqlalchemy import text
from tests.helpers import ANNA, Desk, Drawer, analyse_all, desk, do, here, scan, undo

from papiermappe.core.clean.pile import SharedKind, SuggestedWipe
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import DrawnZone, PutZones, RemoveZones
from papiermappe.core.order.places import Side
from papiermappe.core.pages import pile_part
from papiermappe.core.zones import SheetZone, Zone, ZoneKind
from papiermappe.services import mappen, piles
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.page_details import page_detail
from papiermappe.services.piles import PileSeen
from papiermappe.store.database import Store

HEAD = Zone(x_mm=20, y_mm=10, width_mm=100, height_mm=20)


@pytest.fixture
def lease(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> Desk:
    """Three sheets of a lease, both sides."""
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig)
    analyse_all(store, mappe)
    return desk(store, mappe)


def laid(store: Store, mappe: int, pages: list[int]) -> tuple[str, PileSeen]:
    """Have pages laid over one another, as a worker does."""
    name = piles.request_pile(ANNA, store, mappe, pages)
    piles.lay_pile(store, mappe, name, pages, here, DEFAULT_LIMIT_PX)
    seen = piles.pile_seen(ANNA, store, mappe, name)
    assert seen is not None
    assert seen.whole
    return name, seen


def test_fronts_and_backs_lie_apart_and_are_shown(store: Store, mappe: int, lease: Desk) -> None:
    name, seen = laid(store, mappe, lease.order)
    assert [(side.side, side.done, side.pages) for side in seen.sides] == [
        (Side.FRONT, 3, lease.order[::2]),
        (Side.BACK, 3, lease.order[1::2]),
    ]
    for side in seen.sides:
        assert (side.width_mm, side.height_mm) == pytest.approx((210.0, 297.0), abs=0.6)
        picture = np.asarray(Image.open(io.BytesIO(piles.pile_picture(ANNA, store, mappe, name, side.side))))
        assert picture.shape == pytest.approx((877, 620), abs=3)
        assert picture.min() < 60  # something of them lies at the same place
        assert picture.max() == 255


def test_only_pages_of_the_scope_lie_there(store: Store, mappe: int, lease: Desk) -> None:
    _, seen = laid(store, mappe, lease.order[1:2])
    assert [(side.side, side.pages, side.suggestions) for side in seen.sides] == [(Side.BACK, lease.order[1:2], [])]


def test_what_is_kept_of_a_page_serves_again_when_zones_change(store: Store, mappe: int, lease: Desk) -> None:
    name, _ = laid(store, mappe, lease.order)
    drawn = DrawnZone(name="head", does=ZoneKind.WIPE, zone=HEAD)
    do(store, mappe, PutZones(pages=tuple(lease.order[::2]), zones=(drawn,), drawn_on_mm=(210, 297)))
    for key, _, _ in list(store.blobs.list_keys("captures")):  # nothing can be decoded now
        store.blobs.remove(key)
    again, seen = laid(store, mappe, lease.order)
    assert again != name
    picture = np.asarray(Image.open(io.BytesIO(piles.pile_picture(ANNA, store, mappe, again, Side.FRONT))))
    at = 75 / 25.4
    assert picture[round(12 * at) : round(28 * at), round(22 * at) : round(118 * at)].min() == 255
    assert seen.sides[0].done == 3


def test_what_the_pile_needs_of_a_page_is_made_before_anybody_asks(store: Store, mappe: int, lease: Desk) -> None:
    """Then no capture is decoded for the pile; the second time nothing is done."""
    with store.begin() as session:
        waiting = session.scalars(
            text(
                "select (args ->> 'page_id')::int from procrastinate_jobs where task_name = 'leaf' and status = 'todo'"
            )
        ).all()
    assert sorted(waiting) == sorted(lease.order)
    computed: list[str] = []

    def counting(function: Callable[..., Any], /, *arguments: object) -> Any:
        computed.append(function.__name__)
        return function(*arguments)

    for page in (*waiting, waiting[0], 999_999):
        piles.keep_leaf(store, page, counting, DEFAULT_LIMIT_PX)
    assert computed == ["page_leaf"] * 6
    name = piles.request_pile(ANNA, store, mappe, lease.order)
    given: list[bool] = []

    def watching(function: Callable[..., Any], /, *arguments: Any) -> Any:
        if function is pile_part:
            given.extend(page.capture is None for page in arguments[1])
        return function(*arguments)

    piles.lay_pile(store, mappe, name, lease.order, watching, DEFAULT_LIMIT_PX)
    assert given == [True] * 6


def test_a_page_that_cannot_be_read_is_left_off_and_a_torn_leaf_is_made_again(
    store: Store, mappe: int, lease: Desk
) -> None:
    laid(store, mappe, lease.order)
    leaves = [key for key, _, _ in store.blobs.list_keys("leaves")]
    assert len(leaves) == 6
    for key in leaves[:3]:
        store.blobs.cache(key, b"torn")
    captures = [key for key, _, _ in store.blobs.list_keys("captures")]
    store.blobs.keep(captures[0], b"no picture")
    for key in leaves[3:]:
        store.blobs.remove(key)
    do(
        store,
        mappe,
        PutZones(
            pages=(lease.order[0],), zones=(DrawnZone(name="a", does=ZoneKind.WIPE, zone=HEAD),), drawn_on_mm=(210, 297)
        ),
    )
    _, seen = laid(store, mappe, lease.order)
    assert sum(side.done for side in seen.sides) == 5


def test_print_under_a_zone_is_told_by_page(store: Store, mappe: int, lease: Desk) -> None:
    name, _ = laid(store, mappe, lease.order)
    text = Zone(x_mm=25, y_mm=60, width_mm=150, height_mm=100)
    rim = Zone(x_mm=193, y_mm=100, width_mm=10, height_mm=40)
    assert set(piles.printed_pages(ANNA, store, mappe, name, Side.FRONT, text)) <= set(lease.order[::2])
    assert piles.printed_pages(ANNA, store, mappe, name, Side.FRONT, text)
    assert piles.printed_pages(ANNA, store, mappe, name, Side.FRONT, rim) == []
    assert piles.printed_pages(ANNA, store, mappe, "0" * 32, Side.FRONT, text) == []


def test_zones_are_told_with_a_page_where_it_shows_them_and_undone_in_one_step(
    store: Store, mappe: int, lease: Desk
) -> None:
    pages = tuple(lease.order)
    line = SheetZone(name="dust", kind=ZoneKind.WIPE, corners=((50, 0), (50.5, 0), (50.5, 300), (50, 300)))
    drawn = DrawnZone(name="head", does=ZoneKind.KEEP, zone=HEAD)
    entry = do(store, mappe, PutZones(pages=pages, zones=(drawn,), on_scan=(line,), drawn_on_mm=(210, 297)))
    head, dust = page_detail(ANNA, store, pages[0]).zones
    assert (head.name, head.kind, head.pages) == ("head", ZoneKind.KEEP, list(pages))
    assert np.allclose(head.corners, HEAD.corners(), atol=0.6)
    assert (dust.name, dust.pages) == ("dust", list(pages))
    do(store, mappe, RemoveZones(pages=pages[:1], names=("dust",)))
    assert [zone.name for zone in page_detail(ANNA, store, pages[0]).zones] == ["head"]
    assert page_detail(ANNA, store, pages[1]).zones[1].pages == list(pages[1:])
    undo(store, mappe)
    undo(store, mappe)
    assert entry
    assert all(not page_detail(ANNA, store, page).zones for page in pages)


def test_a_pile_of_nothing_or_of_another_mappe_is_refused(store: Store, mappe: int, lease: Desk) -> None:
    other = mappen.open_mappe(ANNA, store, "Other")
    with pytest.raises(NotPossible):
        piles.request_pile(ANNA, store, other, lease.order)
    with pytest.raises(NotFound):
        piles.request_pile(ANNA, store, 999, lease.order)
    with pytest.raises(NotFound):
        piles.pile_picture(ANNA, store, mappe, "0" * 32, Side.FRONT)
    assert piles.pile_seen(ANNA, store, mappe, "0" * 32) is None


def test_a_pile_whose_pages_have_changed_meanwhile_is_not_laid_under_the_old_name(
    store: Store, mappe: int, lease: Desk
) -> None:
    name = piles.request_pile(ANNA, store, mappe, lease.order)
    drawn = DrawnZone(name="head", does=ZoneKind.WIPE, zone=HEAD)
    do(store, mappe, PutZones(pages=tuple(lease.order), zones=(drawn,), drawn_on_mm=(210, 297)))
    piles.lay_pile(store, mappe, name, lease.order, here, DEFAULT_LIMIT_PX)
    assert piles.pile_seen(ANNA, store, mappe, name) is None


def test_while_pages_come_no_piles_wait_that_nobody_wants_any_more(store: Store, mappe: int, lease: Desk) -> None:
    for count in (2, 4, 6):
        piles.request_pile(ANNA, store, mappe, lease.order[:count])
    with store.begin() as session:
        waiting = session.execute(text("select args -> 'pages' from procrastinate_jobs where task_name = 'pile'"))
        assert [sorted(pages) for (pages,) in waiting] == [sorted(lease.order)]


def test_a_line_of_dust_is_told_on_the_pile_and_on_the_scans(store: Store, mappe: int, lease: Desk) -> None:
    _, seen = laid(store, mappe, lease.order)
    (line,) = [one for one in seen.sides[0].suggestions if one.kind is SharedKind.DUST_LINE]
    assert line.on_scan is not None
    assert line.pages == 3
    # the sheets begin some way from the left of the scans, and reach from their top to their foot
    assert 0 < line.on_scan.x_mm - line.zone.x_mm < 10
    assert line.zone.height_mm == pytest.approx(seen.sides[0].height_mm, abs=0.1)
    assert all(one.on_scan is None for one in seen.sides[0].suggestions if one.kind is not SharedKind.DUST_LINE)


def test_pages_that_a_suggestion_spares_are_told_by_their_ids(
    store: Store, mappe: int, lease: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    strip = Zone(x_mm=0, y_mm=0, width_mm=5, height_mm=297)
    shadow = SuggestedWipe(SharedKind.EDGE_SHADOW, strip, pages=2, spares=(1,))
    monkeypatch.setattr(piles, "suggest_wipes", lambda *_: [shadow])
    _, seen = laid(store, mappe, lease.order)
    for side in seen.sides:
        assert [one.spares for one in side.suggestions] == [[side.pages[1]]]
