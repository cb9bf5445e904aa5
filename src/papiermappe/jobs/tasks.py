"""What workers do: each task calls one service."""

from procrastinate import Blueprint
from pydantic import JsonValue

from papiermappe.core.order.landing import BacksOrder
from papiermappe.devices.escl import Limits
from papiermappe.jobs.pool import Pools
from papiermappe.jobs.queue import TriedAgain
from papiermappe.message import SaysMessages
from papiermappe.recognition.model import Recogniser
from papiermappe.services import (
    analysing,
    comparing,
    delivering,
    flattening,
    levels,
    looking,
    making,
    pairing,
    pictures,
    piles,
    reading,
    reading_files,
    receiving,
    running_routines,
    trying_routines,
)
from papiermappe.services.pictures import PictureSize
from papiermappe.services.routine_runs import RoutineWanted
from papiermappe.store.database import Store
from papiermappe.store.incoming import Incoming
from papiermappe.store.queue import JobKind
from papiermappe.store.secrets import SecretBox

RETRIED = TriedAgain()


def tasks(
    store: Store,
    incoming: Incoming,
    secrets: SecretBox,
    pools: Pools,
    recogniser: Recogniser | None,
    limits: Limits,
    ahead: int,
    words: SaysMessages,
) -> Blueprint:
    """Return the tasks, bound to what they work with. All may run twice without harm.

    Args:
        store: rows and files.
        incoming: files that are brought in.
        secrets: opens the passwords of destinations.
        pools: for long computations.
        recogniser: None where none is installed.
        limits: what is accepted of devices.
        ahead: how many pages are read at once before anybody asks for them; 0 for none.
        words: puts slips into words.
    """
    blueprint = Blueprint()
    max_px = limits.page_px
    tools = making.Tools(pools.background, recogniser, max_px, secrets, words)
    _arriving(blueprint, store, incoming, limits, pools)
    _pairing(blueprint, store, pools, max_px)
    _running(blueprint, store, pools, max_px)
    _examining(blueprint, store, pools, recogniser, max_px)

    @blueprint.task(name=JobKind.RENDER, retry=RETRIED)
    def render(page_id: int, picture: str, size: str) -> None:
        pictures.make_picture(store, page_id, picture, PictureSize(size), pools.foreground, max_px)

    @blueprint.task(name=JobKind.RENDER_TOGETHER, retry=RETRIED)
    def render_together(page_ids: list[int], size: str) -> None:
        pictures.make_pictures(store, page_ids, PictureSize(size), pools.foreground, max_px)

    @blueprint.task(name=JobKind.ESTIMATE_LEVELS, retry=RETRIED)
    def estimate_levels(mappe_id: int, page_id: int, spot: list[float] | None = None) -> None:
        where = levels.Spot(*spot) if spot else None
        levels.estimate_levels(store, mappe_id, page_id, where, pools.foreground, pools.background, max_px)

    @blueprint.task(name=JobKind.READ_AHEAD, retry=RETRIED)
    def read_ahead(mappe_id: int, excluded: list[int]) -> None:
        if ahead:
            reading.read_ahead(store, mappe_id, excluded, pools.idle, recogniser, max_px, ahead)

    @blueprint.task(name=JobKind.MAKE, retry=RETRIED)
    def make(filing_id: int) -> None:
        making.make_documents(store, filing_id, tools)

    @blueprint.task(name=JobKind.DELIVER, retry=RETRIED)
    def deliver(delivery_id: int) -> None:
        delivering.deliver(store, delivery_id, secrets, words)

    return blueprint


def _arriving(blueprint: Blueprint, store: Store, incoming: Incoming, limits: Limits, pools: Pools) -> None:
    """Add the tasks that bring pages in, or look what lies on a glass."""

    @blueprint.task(name=JobKind.RECEIVE, retry=RETRIED)
    def receive(run_id: int) -> None:
        receiving.receive(store, run_id, limits)

    @blueprint.task(name=JobKind.LOOK, retry=RETRIED)
    def look(device_id: int, name: str) -> None:
        looking.look_at_glass(store, device_id, name, pools.foreground, limits)

    @blueprint.task(name=JobKind.IMPORT, retry=RETRIED)
    def import_files(run_id: int) -> None:
        reading_files.import_files(store, incoming, run_id, limits.page_px)


def _examining(blueprint: Blueprint, store: Store, pools: Pools, recogniser: Recogniser | None, max_px: int) -> None:
    """Add the tasks that look at single pages."""

    @blueprint.task(name=JobKind.ANALYSE, retry=RETRIED)
    def analyse(page_id: int) -> None:
        analysing.analyse_page(store, page_id, pools.foreground, max_px)

    @blueprint.task(name=JobKind.EXAMINE_FLATTENED, retry=RETRIED)
    def examine_flattened(page_id: int) -> None:
        flattening.examine_flattened(store, page_id, pools.foreground, max_px)

    @blueprint.task(name=JobKind.FIND_UPRIGHT, retry=RETRIED)
    def find_upright(page_id: int) -> None:
        analysing.find_upright(store, page_id, pools.background, recogniser, max_px)


def _running(blueprint: Blueprint, store: Store, pools: Pools, max_px: int) -> None:
    """Add the tasks that run routines, or try them."""

    @blueprint.task(name=JobKind.ROUTINE, retry=RETRIED)
    def routine(mappe_id: int, name: str, wanted: dict[str, JsonValue], author: str, seen: int) -> None:
        asked = RoutineWanted.model_validate(wanted)
        running_routines.run_routine(store, mappe_id, name, asked, author, seen, pools.foreground, max_px)

    @blueprint.task(name=JobKind.TRY_ROUTINE, retry=RETRIED)
    def try_routine(mappe_id: int, name: str, wanted: dict[str, JsonValue]) -> None:
        asked = RoutineWanted.model_validate(wanted)
        trying_routines.try_routine(store, mappe_id, name, asked, pools.foreground, max_px)


def _pairing(blueprint: Blueprint, store: Store, pools: Pools, max_px: int) -> None:
    """Add the tasks that look at many pages at once: which are of one sheet, and what all of them show."""

    @blueprint.task(name=JobKind.PAIR, retry=RETRIED)
    def pair(mappe_id: int, name: str, fronts: list[int], backs: list[int], order: str | None) -> None:
        known = BacksOrder(order) if order else None
        pairing.pair(store, mappe_id, name, fronts, backs, known, pools.foreground, max_px)

    @blueprint.task(name=JobKind.PILE, retry=RETRIED)
    def pile(mappe_id: int, name: str, pages: list[int]) -> None:
        piles.lay_pile(store, mappe_id, name, pages, pools.foreground, max_px)

    @blueprint.task(name=JobKind.LEAF, retry=RETRIED)
    def leaf(page_id: int) -> None:
        piles.keep_leaf(store, page_id, pools.idle, max_px)

    @blueprint.task(name=JobKind.COMPARE_RUN, retry=RETRIED)
    def compare_run(run_id: int) -> None:
        comparing.compare_run(store, run_id, pools.foreground, max_px)
