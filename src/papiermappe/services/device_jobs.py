"""The job that a device does for a run: begun once, found again after a crash, and over only when that is certain.

What happens at each step, for each fault, stands in docs/decisions/0018-ends-are-known.md.
"""

import time
from datetime import UTC, datetime
from functools import partial
from typing import NamedTuple

import structlog

from papiermappe.devices.errors import DeviceError, FeederStuck
from papiermappe.devices.escl import STUCK_CODES, EsclClient
from papiermappe.devices.model import DeviceState, DeviceStatus, JobStatus, Source, TicketSettings, job_name
from papiermappe.errors import PapiermappeError
from papiermappe.services import runs
from papiermappe.services.caller import MACHINE
from papiermappe.services.patience import patiently
from papiermappe.services.runs import SheetsIn, is_two_sided, next_area
from papiermappe.store.database import Store
from papiermappe.store.models import Run

log = structlog.get_logger()

SETTLES_S = 5.0
"""How long a job may still be called under way after its last page."""
ASK_EVERY_S = 0.25
AGE_SLACK_S = 3.0


class RunCutOff(PapiermappeError):
    """The run ended in the middle, or it is not certain that no page was lost on the way."""


class DeviceJob(NamedTuple):
    """A job on the device."""

    url: str
    listed: bool
    """Whether the device lists its jobs in its status; only then it can be asked how this one ended."""


def begin(store: Store, run: Run, so_far: SheetsIn, client: EsclClient, ticket: TicketSettings) -> DeviceJob:
    """Begin a job on the device, for the run's next area where it has areas.

    The intention is noted first, so that a crash leaves no job that nobody knows of.

    Raises:
        DeviceError: the device did not begin it.
        DatabaseGone: the database stayed away.
    """
    known = [job_name(job.uri) for job in client.status().jobs]
    patiently(partial(runs.note_intention, MACHINE, store, run.id, known, datetime.now(UTC)))
    url = client.start(ticket, next_area(run, so_far))
    patiently(partial(runs.note_job, MACHINE, store, run.id, url))
    return DeviceJob(url, client.job_status(url) is not None)


def resume(store: Store, run: Run, so_far: SheetsIn, client: EsclClient) -> DeviceJob | None:
    """Return the job of a run that a worker has left in the middle; None if none had begun.

    Raises:
        RunCutOff: a page may have been lost on the way.
        DeviceError: the device cannot be asked.
        DatabaseGone: the database stayed away.
    """
    if run.job_url is not None:
        job, kept = client.job_status(run.job_url), pages_kept(run, so_far)
        if job is not None and job.images_completed == kept and (job.under_way or (job.completed and kept > 0)):
            return DeviceJob(run.job_url, listed=True)
        raise RunCutOff("run_cut_off")
    orphan = _orphan(run, client.status())
    if orphan is None:
        return None
    if not orphan.under_way or orphan.images_completed:
        raise RunCutOff("run_cut_off")
    url = client.job_url(orphan)
    patiently(partial(runs.note_job, MACHINE, store, run.id, url))
    return DeviceJob(url, listed=True)


def _orphan(run: Run, status: DeviceStatus) -> JobStatus | None:
    """Return the job that a run meant to begin but has not noted: one that was not there when it was about to."""
    if run.job_intention is None:
        return None
    known = set(run.job_intention["known"])
    elapsed_s = (datetime.now(UTC) - datetime.fromisoformat(run.job_intention["at"])).total_seconds()
    new = [job for job in status.jobs if job_name(job.uri) not in known]
    young = [job for job in new if job.age_s is None or job.age_s <= elapsed_s + AGE_SLACK_S]
    return next((job for job in young if job.under_way), next(iter(young), None))


def pages_kept(run: Run, so_far: SheetsIn) -> int:
    """Return how many pages of the present job are kept."""
    return so_far.captures - run.captures_before_job


def pages_expected(run: Run) -> int | None:
    """Return how many pages of the present job a person has counted; None if nobody has."""
    if run.expected_sheets is None:
        return None
    return run.expected_sheets * (2 if is_two_sided(run) else 1) - run.captures_before_job


def must_be_over(client: EsclClient, job: DeviceJob, source: Source, kept: int, expected: int | None = None) -> None:
    """Check that a job which delivers no more pages has come to its end, and that every page of it is kept.

    Args:
        client: of the device.
        job: the job.
        source: where the paper is.
        kept: how many pages of the job are kept.
        expected: how many a person has counted, if so.

    Raises:
        FeederStuck: a sheet is stuck.
        RunCutOff: the job ended early, the device knows it no more, or it delivered pages that are not kept.
        DeviceError: the device cannot be asked.
    """
    status, told = _settled(client, job)
    if status.adf_state in STUCK_CODES:
        raise FeederStuck(STUCK_CODES[status.adf_state], status.adf_state)
    if told is None:
        at_rest = status.state is DeviceState.IDLE and status.paper_loaded is not True
        if not at_rest or kept == 0 or (job.listed and kept != expected):
            raise RunCutOff("job_forgotten")
    elif not told.completed:
        raise RunCutOff("job_ended_early")
    elif told.images_completed is not None and told.images_completed > kept:
        raise RunCutOff("pages_missing")
    elif kept == 0:
        raise RunCutOff("nothing_scanned" if source is Source.FEEDER else "job_ended_early")


def _settled(client: EsclClient, job: DeviceJob) -> tuple[DeviceStatus, JobStatus | None]:
    """Return the status of a device and of a job; wait a moment while the job still counts as under way."""
    until_s = time.monotonic() + SETTLES_S
    while True:
        status = client.status()
        told = status.job(job.url)
        if told is None or not told.under_way or time.monotonic() > until_s:
            return status, told
        time.sleep(ASK_EVERY_S)


def cancel(client: EsclClient, run: Run) -> None:
    """Have the device end the job of a run, noted or not; a device that cannot be asked is left alone."""
    try:
        url = run.job_url
        if url is None and (orphan := _orphan(run, client.status())) and orphan.under_way:
            url = client.job_url(orphan)
        if url is not None:
            client.cancel(url)
    except DeviceError as exc:
        log.info("device did not take the cancelling", action="run.cancel", run_id=run.id, cause=repr(exc))
