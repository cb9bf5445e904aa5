"""What workers do: each task calls one service."""

from procrastinate import Blueprint, RetryStrategy

from papiermappe.compute import Compute
from papiermappe.devices.escl import Limits
from papiermappe.recognition.model import Recogniser
from papiermappe.services import filing, intake, levels, pictures, reading
from papiermappe.store.database import Store
from papiermappe.store.queue import Work

PATIENT = RetryStrategy(max_attempts=6, exponential_wait=2)


def tasks(store: Store, compute: Compute, recogniser: Recogniser | None, limits: Limits, ahead: int) -> Blueprint:
    """Return the tasks, bound to what they work with. All may run twice without harm.

    Args:
        store: rows and files.
        compute: runs what takes long.
        recogniser: None where none is installed.
        limits: what is accepted of devices.
        ahead: so many pages are read side by side before anybody asks for it; 0: none.
    """
    blueprint = Blueprint()

    @blueprint.task(name=Work.TAKE_IN, retry=PATIENT)
    def take_in(pass_id: int) -> None:
        intake.take_in(store, pass_id, limits)

    @blueprint.task(name=Work.LOOK_AT, retry=PATIENT)
    def look_at(page_id: int) -> None:
        pictures.look_at_page(store, page_id, compute, limits.page_px)

    @blueprint.task(name=Work.FIND_UPRIGHT, retry=PATIENT)
    def find_upright(page_id: int) -> None:
        pictures.find_upright(store, page_id, compute, recogniser, limits.page_px)

    @blueprint.task(name=Work.RENDER, retry=PATIENT)
    def render(page_id: int, picture: str, width_px: int) -> None:
        pictures.make_picture(store, page_id, picture, width_px, compute, limits.page_px)

    @blueprint.task(name=Work.TRY_LEVELS, retry=PATIENT)
    def try_levels(mappe_id: int, page_id: int) -> None:
        levels.try_levels(store, mappe_id, page_id, compute, limits.page_px)

    @blueprint.task(name=Work.READ_AHEAD, retry=PATIENT)
    def read_ahead(mappe_id: int, not_again: list[int]) -> None:
        if ahead:
            reading.read_ahead(store, mappe_id, not_again, compute, recogniser, limits.page_px, ahead)

    @blueprint.task(name=Work.FILE, retry=PATIENT)
    def file(filing_id: int) -> None:
        filing.make_document(store, filing_id, compute, recogniser, limits.page_px)

    return blueprint
