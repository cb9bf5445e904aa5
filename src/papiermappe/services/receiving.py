"""Running a run: pulling pages from the device, one by one, until there are no more."""

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
from papiermappe.message import Message
from papiermappe.services import runs
from papiermappe.services.caller import MACHINE
from papiermappe.services.runs import SheetsIn, interruption, is_two_sided
from papiermappe.store.database import AdvisoryLock, Store
from papiermappe.store.errors import DatabaseGone
from papiermappe.store.models import Run, RunState

log = structlog.get_logger()

LOCK_PURPOSE = 1
DATABASE_PATIENCE_S = 120.0

Connect = Callable[[str], EsclClient]
T = TypeVar("T")


class RunCutOff(PapiermappeError):
    """The run was left in the middle, and it is not certain that no page was lost on the way."""


def receive(store: Store, run_id: int, limits: Limits, connect: Connect | None = None) -> None:
    """Run a run to its end, or a glass loop to its next sheet.

    Called again for a run that a worker has left in the middle, it goes on where the device still holds the job and no
    page was lost on the way; else it ends the run and says which sheets to put back.

    Args:
        store: rows and files.
        run_id: the run.
        limits: what is accepted of the device.
        connect: makes the client, for tests.
    """
    with store.advisory_lock(LOCK_PURPOSE, run_id) as lock:
        if not lock.hold():
            return
        run, so_far = runs.read_run(store, run_id)
        if run.state is not RunState.RECEIVING or run.device is None:
            return
        ticket = TicketSettings.model_validate(run.ticket)
        client = connect(run.device.url) if connect else EsclClient(run.device.url, limits)
        with client:
            try:
                _pull(store, run, so_far, ticket, client, limits, lock)
            except PapiermappeError as exc:
                log.warning("run interrupted", action="run.interrupted", run_id=run_id, cause=repr(exc))
                _give_up(store, run_id, ticket, client, exc)


def _pull(
    store: Store,
    run: Run,
    so_far: SheetsIn,
    ticket: TicketSettings,
    client: EsclClient,
    limits: Limits,
    lock: AdvisoryLock,
) -> None:
    job_url = _resumed_job(run, so_far, client) if run.job_url else None
    if job_url is None:
        job_url = client.start(ticket)
        _patiently(partial(runs.note_job, MACHINE, store, run.id, job_url))
    while True:
        if not _patiently(lock.hold):
            return  # another worker took over while the database was away
        run, so_far = _patiently(partial(runs.read_run, store, run.id))
        if run.stop_requested:
            _cancel(client, job_url)
            _patiently(partial(runs.end, MACHINE, store, run.id, RunState.STOPPED))
            return
        data = client.next_page(job_url)
        if data is None:
            break
        picture = _picture(data, ticket, limits)
        _patiently(partial(runs.keep_capture, store, run.id, runs.next_place(so_far), picture))
        if ticket.source is Source.GLASS:
            _patiently(partial(runs.wait_for_sheet, MACHINE, store, run.id))
            return
    _patiently(partial(runs.end, MACHINE, store, run.id, RunState.DONE))


def _resumed_job(run: Run, so_far: SheetsIn, client: EsclClient) -> str | None:
    """Return the job of a run that was left in the middle, where the device has given out no more than is kept."""
    if run.job_url is None:
        return None
    pages_in = so_far.complete * (2 if is_two_sided(run) else 1) + (so_far.half is not None)
    kept = pages_in - run.pages_before_job
    job = client.job_status(run.job_url)
    if job is not None and job.state == "Processing" and job.images_completed == kept:
        return run.job_url
    if job is not None and job.state == "Completed" and job.images_completed == kept > 0:
        return run.job_url
    raise RunCutOff("run_cut_off")


def _picture(data: bytes, ticket: TicketSettings, limits: Limits) -> CapturedPicture:
    """Return the picture with the resolution that its header names, or the ticket's."""
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
        log.info("device did not take the cancelling", action="run.cancel", cause=repr(exc))


def _give_up(store: Store, run_id: int, ticket: TicketSettings, client: EsclClient, exc: PapiermappeError) -> None:
    run, so_far = _patiently(partial(runs.read_run, store, run_id))
    if run.job_url:
        _cancel(client, run.job_url)
    nothing_in = so_far.complete == 0 and so_far.half is None
    if isinstance(exc, SettingsRefused | DeviceBusy) and nothing_in:
        message = exc.message
    else:
        cause = exc.message
        if isinstance(exc, PictureRefused):
            cause = Message(code="page_refused", params={"cause": exc.message.model_dump(mode="json")})
        message = interruption(so_far, cause, ticket.source, stuck=isinstance(exc, FeederStuck))
    _patiently(partial(runs.end, MACHINE, store, run_id, RunState.INTERRUPTED, message))
