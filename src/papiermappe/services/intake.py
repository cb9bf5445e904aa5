"""Running a pass: pulling pages from the device, one by one, until there are no more."""

import time
from collections.abc import Callable
from functools import partial
from typing import TypeVar

import structlog

from papiermappe.core.picture import CapturedPicture
from papiermappe.devices.errors import DeviceBusy, DeviceError, FeederStuck, SettingsRefused
from papiermappe.devices.escl import EsclClient, Limits
from papiermappe.devices.model import Source, TicketSettings
from papiermappe.errors import PapiermappeError, PictureRefused
from papiermappe.services import passes
from papiermappe.services.passes import trouble_message
from papiermappe.store.database import SoleLock, Store
from papiermappe.store.errors import DatabaseGone
from papiermappe.store.models import Pass, PassState

log = structlog.get_logger()

LOCK_PURPOSE = 1
DATABASE_PATIENCE_S = 120.0

Connect = Callable[[str], EsclClient]
T = TypeVar("T")


def take_in(store: Store, pass_id: int, limits: Limits, connect: Connect | None = None) -> None:
    """Run a pass to its end, or a glass loop to its next sheet.

    Called again for a pass that a worker has left in the middle, it goes on where the device still holds the job and
    no page was lost on the way; else it ends the pass and says which sheets to put back.

    Args:
        store: rows and files.
        pass_id: the pass.
        limits: what is accepted of the device.
        connect: makes the client, for tests.
    """
    with store.sole(LOCK_PURPOSE, pass_id) as lock:
        if not lock.hold():
            return
        current = passes.read_pass(store, pass_id)
        if current.state is not PassState.TAKING:
            return
        ticket = TicketSettings.model_validate(current.ticket)
        client = connect(current.device.url) if connect else EsclClient(current.device.url, limits)
        with client:
            try:
                _run(store, current, ticket, client, limits, lock)
            except PapiermappeError as exc:
                log.warning("pass broken off", action="pass.broken", pass_id=pass_id, cause=repr(exc))
                _give_up(store, pass_id, ticket, client, exc)


def _run(
    store: Store, current: Pass, ticket: TicketSettings, client: EsclClient, limits: Limits, lock: SoleLock
) -> None:
    job_url = _resumed_job(current, client) if current.job_url else None
    if job_url is None:
        job_url = client.start(ticket)
        _patiently(partial(passes.begin_job, store, current.id, job_url))
    while True:
        if not _patiently(lock.hold):
            return  # while the database was away, another worker has taken over
        so_far = _patiently(partial(passes.read_pass, store, current.id))
        if so_far.stop_wanted:
            _cancel(client, job_url)
            _patiently(partial(passes.end, store, current.id, PassState.STOPPED))
            return
        data = client.next_page(job_url)
        if data is None:
            break
        picture = _picture(data, ticket, limits)
        _patiently(partial(passes.keep_capture, store, current.id, passes.next_place(so_far), picture))
        if ticket.source is Source.GLASS:
            _patiently(partial(passes.wait_for_sheet, store, current.id))
            return
    _patiently(partial(passes.end, store, current.id, PassState.DONE))


class CutOff(PapiermappeError):
    """The pass was left in the middle, and it is not certain that no page was lost on the way."""


def _resumed_job(current: Pass, client: EsclClient) -> str | None:
    """Return the job of a pass that was left in the middle, where the device has given out no more than is kept."""
    if current.job_url is None:
        return None
    job = client.job_status(current.job_url)
    if job is not None and job.state == "Processing" and job.images_completed == len(current.captures):
        return current.job_url
    if job is not None and job.state == "Completed" and job.images_completed == len(current.captures) > 0:
        return current.job_url
    raise CutOff("The pass was cut off.")


def _picture(data: bytes, ticket: TicketSettings, limits: Limits) -> CapturedPicture:
    """Return the picture with the resolution that its head names, or else the ticket."""
    asked = CapturedPicture(data, float(ticket.dpi), limits.page_px)
    named_dpi = asked.head().dpi
    plausible = named_dpi is not None and ticket.dpi / 4 <= named_dpi <= ticket.dpi * 4
    return CapturedPicture(data, round(named_dpi, 2), limits.page_px) if named_dpi and plausible else asked


def _patiently(step: Callable[[], T]) -> T:
    """Do a step; while the database does not answer, try again for two minutes. A page waits in memory and on disk."""
    until_s = time.monotonic() + DATABASE_PATIENCE_S
    while True:
        try:
            return step()
        except DatabaseGone:
            if time.monotonic() > until_s:
                raise
            time.sleep(0.5)


def _cancel(client: EsclClient, job_url: str) -> None:
    try:
        client.cancel(job_url)
    except DeviceError as exc:
        log.info("device did not take the cancelling", action="pass.cancel", cause=repr(exc))


def _give_up(store: Store, pass_id: int, ticket: TicketSettings, client: EsclClient, exc: PapiermappeError) -> None:
    current = _patiently(partial(passes.read_pass, store, pass_id))
    if current.job_url:
        _cancel(client, current.job_url)
    from_feeder = ticket.source is Source.FEEDER
    if isinstance(exc, SettingsRefused | DeviceBusy) and not current.captures:
        message = exc.message
    else:
        what = (
            f"The scanner sent a page that is not taken: {exc.message}"
            if isinstance(exc, PictureRefused)
            else exc.message
        )
        message = trouble_message(passes.sheets_in(current), what, from_feeder, isinstance(exc, FeederStuck))
    _patiently(partial(passes.end, store, pass_id, PassState.FAILED, message))
