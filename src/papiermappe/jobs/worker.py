"""The worker: takes jobs from the queue; any number of workers can run, on any number of machines."""

import asyncio
import contextlib
import time

import structlog
from procrastinate import App, PsycopgConnector
from procrastinate.exceptions import ConnectorException
from psycopg_pool import PoolTimeout

from papiermappe.devices.escl import Limits
from papiermappe.jobs.pool import WorkPool
from papiermappe.jobs.tasks import tasks
from papiermappe.recognition.errors import RecogniserError
from papiermappe.recognition.tesseract import Tesseract, installed
from papiermappe.settings import Settings
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.errors import DatabaseGone

log = structlog.get_logger()

HEARTBEAT_S = 2.0
DEAD_AFTER_S = 6.0
RESCUE_EVERY_S = 2.0
SLOW_ANSWER_S = 1.0
POLL_S = 2.0
JOBS_AT_A_TIME = 10  # most of them wait for a device or for the processes of the pool


def limits_of(settings: Settings) -> Limits:
    """Return what is accepted of devices."""
    return Limits(page_bytes=settings.most_page_bytes, page_px=settings.most_pixels)


async def run_worker(settings: Settings, database_url: str) -> None:
    """Work until SIGINT or SIGTERM."""
    pool = WorkPool(settings.worker_processes)
    store = Store(database_url, Blobs.in_folder(settings.blob_dir))
    app = App(connector=PsycopgConnector(conninfo=database_url, min_size=2, max_size=12, kwargs={"connect_timeout": 5}))
    app.add_tasks_from(tasks(store, pool, _recogniser(), limits_of(settings), _ahead(settings)), namespace="")
    await asyncio.to_thread(pool.warm_up)
    try:
        async with app.open_async():
            rescuing = asyncio.create_task(_rescue(app))
            try:
                await _work(app)
            finally:
                rescuing.cancel()
                with contextlib.suppress(asyncio.CancelledError):
                    await rescuing
    except PoolTimeout as exc:
        raise DatabaseGone(
            "The database does not answer. The worker ends; jobs wait until it is started again."
        ) from exc
    finally:
        pool.close()
        store.close()


async def _work(app: App) -> None:
    """Work until it is asked to end; where the database goes away, begin anew when it is back.

    The jobs that ran meanwhile are given back to the queue as those of a dead worker are.
    """
    while True:
        try:
            await app.run_worker_async(
                concurrency=JOBS_AT_A_TIME,
                delete_jobs="successful",
                fetch_job_polling_interval=POLL_S,
                abort_job_polling_interval=POLL_S,
                update_heartbeat_interval=HEARTBEAT_S,
                stalled_worker_timeout=DEAD_AFTER_S,
                shutdown_graceful_timeout=5,
            )
        except ConnectorException as exc:
            log.warning("the database does not answer", action="worker.lost", cause=repr(exc.__cause__))
            await asyncio.sleep(POLL_S)
        else:
            return


def _ahead(settings: Settings) -> int:
    """Return how many pages are read ahead side by side."""
    return settings.worker_processes if settings.reads_ahead else 0


def _recogniser() -> Tesseract | None:
    """Return the recogniser of this machine; without it pages whose way up is not clear stay as they lie."""
    try:
        return installed()
    except RecogniserError as exc:
        log.warning("no recogniser", action="worker.start", cause=exc.message)
        return None


async def _rescue(app: App) -> None:
    """Give the jobs of workers that have died back to the queue.

    When the database was away, no worker could say that it lives: then all are given time to say so first.
    """
    while True:
        await asyncio.sleep(RESCUE_EVERY_S)
        asked_s = time.monotonic()
        try:
            stalled = list(await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=DEAD_AFTER_S))
            if time.monotonic() - asked_s > SLOW_ANSWER_S:
                await asyncio.sleep(DEAD_AFTER_S)
                continue
            for job in stalled:
                log.warning("job taken over from a dead worker", action="job.rescued", job=job.id, task=job.task_name)
                await app.job_manager.retry_job(job)
        except Exception as exc:  # noqa: BLE001 (whatever it is, the next round tries again)
            log.warning("could not look for dead workers", action="job.rescue", cause=repr(exc))
            await asyncio.sleep(DEAD_AFTER_S)
