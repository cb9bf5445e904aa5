"""A look at the glass, and areas of it that become a page each."""

import pytest
from tests.helpers import ANNA, QUICK_GLASS, Drawer, analyse_all, desk, here, scan

from papiermappe.core.zones import Zone
from papiermappe.devices.escl import EsclClient, Limits
from papiermappe.services import devices, looking, receiving, runs
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.store.database import Store
from papiermappe.store.models import RunState

LIMITS = Limits()
AT_300 = QUICK_GLASS.model_copy(update={"dpi": 300})
SMALL = ("weigh-2041", "card", "receipt")
SIZES_MM = {"weigh-2041": (148, 210), "card": (85.6, 54), "receipt": (80, 200)}


@pytest.fixture
def kiebitz(store: Store, drawer: Drawer) -> int:
    """The flatbed."""
    drawer.reset("kiebitz")
    return devices.add_device(ANNA, store, drawer.escl("kiebitz"), Limits())


def look(store: Store, device: int, limits: Limits = LIMITS) -> looking.Look:
    """Look at the glass, as a worker does. Raises NotPossible: something is in the way."""
    name = looking.request_look(ANNA, store, device)
    assert looking.look_seen(store, name) is None
    looking.look_at_glass(store, device, name, here, limits)
    outcome = looking.look_seen(store, name)
    assert outcome is not None
    if outcome.problem is not None:
        raise NotPossible(outcome.problem.code)
    assert outcome.look is not None
    return outcome.look


@pytest.mark.parametrize("papers", [SMALL[:1], SMALL[:2], SMALL, ("card",) * 6])
def test_the_originals_are_found_and_none_is_cut_into(
    papers: tuple[str, ...], store: Store, mappe: int, kiebitz: int, drawer: Drawer
) -> None:
    drawer.lay(*papers, into="kiebitz", where="glass")
    seen = look(store, kiebitz)
    assert (round(seen.width_mm), round(seen.height_mm)) == (230, 330)
    assert len(seen.originals) == drawer.on_glass("kiebitz")
    for box in seen.originals:
        widths = sorted((box.width_mm, box.height_mm))
        assert any(
            small <= widths[0] + 0.7 and large <= widths[1] + 0.7 and widths[0] < small + 15
            for small, large in (sorted(SIZES_MM[name]) for name in papers)
        )
    assert desk(store, mappe).order == []  # a look is never a page


def test_an_empty_glass_shows_nothing(store: Store, kiebitz: int, drawer: Drawer) -> None:
    assert look(store, kiebitz).originals == []


@pytest.mark.parametrize("papers", [(), ("weigh-2041",), SMALL])
def test_light_under_a_raised_lid_is_said(papers: tuple[str, ...], store: Store, kiebitz: int, drawer: Drawer) -> None:
    if papers:
        drawer.lay(*papers, into="kiebitz", where="glass")
    assert not look(store, kiebitz).light_gets_in
    drawer.trouble("kiebitz", lid_raised=True)
    seen = look(store, kiebitz)
    assert seen.light_gets_in
    assert len(seen.originals) <= len(papers)  # the bright strip is none


def test_a_look_waits_for_nobody_and_says_what_is_wrong(
    store: Store, mappe: int, kiebitz: int, zaunkoenig: int, drawer: Drawer
) -> None:
    scan(store, mappe, kiebitz, QUICK_GLASS)
    with pytest.raises(NotPossible, match="device_at_work_now"):
        look(store, kiebitz)
    runs.stop(ANNA, store, desk(store, mappe).runs[0].id)
    look(store, kiebitz)
    with EsclClient(drawer.escl("kiebitz"), Limits()) as client:
        assert not any(job.under_way for job in client.status().jobs)
    with pytest.raises(NotFound):
        look(store, 999)
    drawer.trouble("kiebitz", gone=True)
    with pytest.raises(NotPossible, match="device_unreachable"):
        look(store, kiebitz, Limits(connect_s=0.5, answer_s=0.5, busy_s=0))


def test_a_look_that_a_worker_left_is_taken_by_the_next_and_done_once(
    store: Store, kiebitz: int, drawer: Drawer
) -> None:
    drawer.lay("card", into="kiebitz", where="glass")
    name = looking.request_look(ANNA, store, kiebitz)
    looking.look_at_glass(store, kiebitz, name, here, Limits())
    first = looking.look_seen(store, name)
    drawer.trouble("kiebitz", gone=True)
    looking.look_at_glass(store, kiebitz, name, here, Limits())
    assert looking.look_seen(store, name) == first


def test_several_areas_become_a_page_each_in_one_go(store: Store, mappe: int, kiebitz: int, drawer: Drawer) -> None:
    drawer.lay("weigh-2041", "card", into="kiebitz", where="glass")
    seen = look(store, kiebitz)
    assert len(seen.originals) == 2
    areas = [area.grown(3.0) for area in seen.originals]
    run = runs.start_run(ANNA, store, mappe, kiebitz, AT_300, areas=areas)
    receiving.receive(store, run, Limits())
    now = desk(store, mappe)
    assert (now.runs[0].state, now.runs[0].sheets) == (RunState.DONE, 2)
    for page, area in zip(now.pages, areas, strict=True):
        cut_off_mm = min(area.x_mm, 0.0), min(area.y_mm, 0.0)
        assert page.width_mm == pytest.approx(area.width_mm + cut_off_mm[0], abs=0.6)
        assert page.height_mm == pytest.approx(area.height_mm + cut_off_mm[1], abs=0.6)
    analyse_all(store, mappe)
    sizes = [sorted((page.width_mm, page.height_mm)) for page in desk(store, mappe).pages]
    for size, paper in zip(sizes, ("weigh-2041", "card"), strict=True):
        assert size == pytest.approx(sorted(SIZES_MM[paper]), abs=2.0)  # a small original keeps its size


def test_areas_go_on_where_a_worker_died(store: Store, mappe: int, kiebitz: int, drawer: Drawer) -> None:
    class Interrupted(BaseException):
        pass

    class DiesAtTheSecond(EsclClient):
        started = 0

        def start(self, ticket: object, area: object = None) -> str:
            DiesAtTheSecond.started += 1
            if DiesAtTheSecond.started == 2:
                raise Interrupted
            return super().start(ticket, area)  # type: ignore[arg-type]  # passed on

    areas = [Zone(x_mm=10 * number, y_mm=5, width_mm=50, height_mm=40) for number in range(3)]
    run = runs.start_run(ANNA, store, mappe, kiebitz, QUICK_GLASS, areas=areas)
    with pytest.raises(Interrupted):
        receiving.receive(store, run, Limits(), DiesAtTheSecond)
    receiving.receive(store, run, Limits())
    now = desk(store, mappe)
    assert (now.runs[0].state, len(now.order)) == (RunState.DONE, 3)


def test_an_area_beyond_the_glass_is_cut_to_it(store: Store, mappe: int, kiebitz: int, drawer: Drawer) -> None:
    areas = [Zone(x_mm=-5, y_mm=300, width_mm=500, height_mm=100)]
    run = runs.start_run(ANNA, store, mappe, kiebitz, QUICK_GLASS, areas=areas)
    receiving.receive(store, run, Limits())
    (page,) = desk(store, mappe).pages
    assert (page.width_mm, page.height_mm) == pytest.approx((230, 30), abs=0.6)
