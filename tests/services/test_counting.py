"""A person has counted the sheets: a glass loop ends by itself, and other numbers are told."""

from tests.helpers import ANNA, QUICK, QUICK_GLASS, WORDS, Drawer, desk

from papiermappe.devices.escl import Limits
from papiermappe.devices.model import TicketSettings
from papiermappe.services import receiving, runs
from papiermappe.services.run_views import RunView
from papiermappe.store.database import Store
from papiermappe.store.models import RunState


def take(store: Store, mappe: int, device: int, ticket: TicketSettings, counted: int | None) -> int:
    """Begin a run of counted sheets, and receive it as a worker would."""
    run = runs.start_run(ANNA, store, mappe, device, ticket, counted)
    receiving.receive(store, run, Limits())
    return run


def newest(store: Store, mappe: int) -> RunView:
    """Return the newest run."""
    return desk(store, mappe).runs[-1]


def told(store: Store, mappe: int) -> str:
    """Return what is told of the newest run."""
    message = newest(store, mappe).message
    return WORDS.text(message) if message else ""


def test_a_glass_loop_ends_when_all_counted_sheets_are_in(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("hail", where="glass")
    run = take(store, mappe, zaunkoenig, QUICK_GLASS, 2)
    assert (newest(store, mappe).state, newest(store, mappe).counted) == (RunState.WAITING, 2)
    runs.next_sheet(ANNA, store, run)
    receiving.receive(store, run, Limits())
    assert (newest(store, mappe).state, newest(store, mappe).sheets) == (RunState.DONE, 2)
    assert told(store, mappe) == ""


def test_a_glass_loop_that_is_ended_early_says_so(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("hail", where="glass")
    run = take(store, mappe, zaunkoenig, QUICK_GLASS, 3)
    runs.stop(ANNA, store, run)
    assert newest(store, mappe).state is RunState.DONE
    assert told(store, mappe) == "1 of 3 counted sheets came."


def test_a_pile_of_another_size_is_told_and_nothing_is_forced(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    for counted, said in ((5, "3 of 5 counted sheets came."), (2, "3 of 2 counted sheets came."), (3, ""), (None, "")):
        drawer.lay("lease")
        take(store, mappe, zaunkoenig, QUICK, counted)
        assert newest(store, mappe).state is RunState.DONE
        assert told(store, mappe) == said


def test_a_run_that_continues_expects_the_rest(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("lease", "hail")
    drawer.trouble(jam_at=3)
    run = take(store, mappe, zaunkoenig, QUICK, 4)
    drawer.clear()
    rest = runs.continue_run(ANNA, store, run)
    assert newest(store, mappe).counted == 2
    receiving.receive(store, rest, Limits())
    assert (newest(store, mappe).state, told(store, mappe)) == (RunState.DONE, "")
