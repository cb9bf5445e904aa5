"""Running a run: pulling pages from the device, one by one, until there are no more."""

from collections.abc import Callable
from functools import partial

import structlog

from papiermappe.core.picture import CapturedPicture
from papiermappe.devices.errors import DeviceBusy, FeederStuck, SettingsRefused
from papiermappe.devices.escl import EsclClient, Limits
from papiermappe.devices.model import Source, TicketSettings
from papiermappe.errors import PapiermappeError, PictureRefused
from papiermappe.message import Message
from papiermappe.services import device_jobs, keeping, runs
from papiermappe.services.caller import MACHINE
from papiermappe.services.errors import RunHeld
from papiermappe.services.patience import patiently
from papiermappe.services.runs import interruption
from papiermappe.store.database import AdvisoryLock, Store
from papiermappe.store.models import Run, RunState

log = structlog.get_logger()

LOCK_PURPOSE = 1
LOCK_PATIENCE_S = 2.0
"""A worker that lets a glass loop wait still holds the lock for a moment when the next sheet is asked for."""

Connect = Callable[[str], EsclClient]


def receive(store: Store, run_id: int, limits: Limits, connect: Connect | None = None) -> None:
    """Run a run to its end, or a glass loop to its next sheet.

    Called again for a run that a worker has left in the middle, it continues where the device still holds the job and
    no page was lost on the way; else it ends the run and says which sheets to put back.

    Args:
        store: rows and files.
        run_id: the run.
        limits: on the answers of the device.
        connect: makes the client, for tests.

    Raises:
        RunHeld: another worker is at it; try again.
        DatabaseGone: the database stayed away.
    """
    with store.advisory_lock(LOCK_PURPOSE, run_id) as lock:
        if not lock.wait(LOCK_PATIENCE_S):
            raise RunHeld("run_held")
        run, _ = runs.read_run(store, run_id)
        if run.state is not RunState.RECEIVING or run.device is None:
            return
        client = connect(run.device.url) if connect else EsclClient(run.device.url, limits)
        with client:
            try:
                _pull(store, run, client, limits, lock)
            except PapiermappeError as exc:
                log.warning("run interrupted", action="run.interrupted", run_id=run_id, cause=repr(exc))
                _give_up(store, run_id, client, exc)


def _pull(store: Store, run: Run, client: EsclClient, limits: Limits, lock: AdvisoryLock) -> None:
    ticket = TicketSettings.model_validate(run.ticket)
    run, so_far = patiently(partial(runs.read_run, store, run.id))
    job = device_jobs.resume(store, run, so_far, client) or device_jobs.begin(store, run, so_far, client, ticket)
    while True:
        if not patiently(lock.hold):
            return  # another worker took over while the database was away
        run, so_far = patiently(partial(runs.read_run, store, run.id))
        if run.stop_requested and so_far.half is None:  # of the last sheet both sides are wanted
            device_jobs.cancel(client, run)
            patiently(partial(runs.end, MACHINE, store, run.id, RunState.STOPPED))
            return
        data = client.next_page(job.url)
        if data is None:
            kept, expected = device_jobs.pages_kept(run, so_far), device_jobs.pages_expected(run)
            device_jobs.must_be_over(client, job, ticket.source, kept, expected)
            patiently(partial(runs.end, MACHINE, store, run.id, RunState.DONE))
            return
        picture = _picture(data, ticket, limits)
        patiently(partial(keeping.keep_capture, store, run.id, runs.next_place(run, so_far), picture))
        if ticket.source is Source.GLASS:
            if not patiently(partial(runs.wait_for_sheet, MACHINE, store, run.id)):
                return
            run, so_far = patiently(partial(runs.read_run, store, run.id))
            job = device_jobs.begin(store, run, so_far, client, ticket)


def _picture(data: bytes, ticket: TicketSettings, limits: Limits) -> CapturedPicture:
    """Return the picture with the resolution that its header names, or the ticket's."""
    asked = CapturedPicture(data, float(ticket.dpi), limits.page_px)
    named_dpi = asked.head().dpi
    plausible = named_dpi is not None and ticket.dpi / 4 <= named_dpi <= ticket.dpi * 4
    return CapturedPicture(data, round(named_dpi, 2), limits.page_px) if named_dpi and plausible else asked


def _give_up(store: Store, run_id: int, client: EsclClient, exc: PapiermappeError) -> None:
    run, so_far = patiently(partial(runs.read_run, store, run_id))
    source = TicketSettings.model_validate(run.ticket).source
    device_jobs.cancel(client, run)
    nothing_in = so_far.complete == 0 and so_far.half is None
    if isinstance(exc, SettingsRefused | DeviceBusy) and nothing_in:
        message = exc.message
    else:
        cause = exc.message
        if isinstance(exc, PictureRefused):
            cause = Message(code="page_refused", params={"cause": exc.message.model_dump(mode="json")})
        message = interruption(so_far, cause, source, stuck=isinstance(exc, FeederStuck))
    patiently(partial(runs.end, MACHINE, store, run_id, RunState.INTERRUPTED, message))
