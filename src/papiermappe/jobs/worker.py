"""The worker: takes jobs from the queue; any number of workers can run, on any number of machines.

Jobs are taken in lanes, so that a long filing, ten scanners at work or a hundred pictures do not keep the others
waiting.
"""

import asyncio
import contextlib
import signal
import time
from collections.abc import Awaitable, Callable
from datetime import UTC, datetime
from typing import NamedTuple

import structlog
from procrastinate import App
from procrastinate.exceptions import ConnectorException
from psycopg_pool import PoolTimeout
from watchfiles import awatch

from papiermappe.devices.escl import Limits
from papiermappe.jobs.pool import Pools
from papiermappe.jobs.queue import ListeningConnector
from papiermappe.jobs.tasks import tasks
from papiermappe.lifeline import end_within
from papiermappe.message import SaysMessages
from papiermappe.recognition.errors import RecogniserError
from papiermappe.recognition.tesseract import Tesseract, installed
from papiermappe.services.camera import end_silent
from papiermappe.services.housekeeping import tidy_up
from papiermappe.services.importing import sweep
from papiermappe.services.reconciling import reconcile
from papiermappe.services.watching import Watcher
from papiermappe.settings import Settings
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import CONNECT_S, Store
from papiermappe.store.errors import DatabaseGone
from papiermappe.store.incoming import Incoming
from papiermappe.store.queue import JobKind
from papiermappe.store.secrets import SecretBox

log = structlog.get_logger()

HEARTBEAT_S = 2.0
DEAD_AFTER_S = 6.0
RESCUE_EVERY_S = 2.0
TIDY_EVERY_S = 3600.0
SWEEP_EVERY_S = 30.0
LOOK_EVERY_S = 2.5
SETTLE_S = 0.5
SLOW_ANSWER_S = 1.0
POLL_S = 2.0
ABORT_POLL_S = 3600.0  # what is to stop is asked for in our own tables
CONNECTIONS = 4
"""To ask for jobs and to note how they ended: milliseconds each, and a connection holds some 5 MB in PostgreSQL."""
GRACE_S = 5
LAST_S = 4 * GRACE_S


class Lane(NamedTuple):
    """Kinds of jobs that are taken together."""

    kinds: tuple[JobKind, ...]
    at_a_time: int


LANES = (
    Lane((JobKind.RECEIVE, JobKind.LOOK), 8),  # they wait for devices
    Lane((JobKind.IMPORT,), 2),
    Lane(
        (
            JobKind.RENDER,
            JobKind.RENDER_TOGETHER,
            JobKind.ANALYSE,
            JobKind.EXAMINE_FLATTENED,
            JobKind.ESTIMATE_LEVELS,
        ),
        6,
    ),
    Lane((JobKind.FIND_UPRIGHT,), 2),  # each for seconds
    Lane((JobKind.PILE, JobKind.TRY_ROUTINE), 1),
    Lane((JobKind.ROUTINE,), 1),
    Lane((JobKind.PAIR, JobKind.COMPARE_RUN), 1),
    Lane((JobKind.MAKE, JobKind.DELIVER), 3),
    Lane((JobKind.LEAF,), 1),
    Lane((JobKind.READ_AHEAD,), 1),
)


def limits_of(settings: Settings) -> Limits:
    """Return the limits on what devices may send."""
    return Limits(page_bytes=settings.max_page_bytes, page_px=settings.max_pixels)


async def run_worker(settings: Settings, database_url: str, words: SaysMessages) -> None:
    """Work until SIGINT or SIGTERM.

    Args:
        settings: of the desk.
        database_url: of PostgreSQL.
        words: for slips, and for what is written beside files that cannot be read.
    """
    pools = Pools(settings.worker_processes)
    store = Store(database_url, Blobs.in_folder(settings.blob_dir))
    app = App(
        connector=ListeningConnector(
            conninfo=database_url, min_size=2, max_size=CONNECTIONS, kwargs={"connect_timeout": CONNECT_S}
        )
    )
    incoming = Incoming(settings.incoming_dir)
    secrets = SecretBox.kept(settings.data_dir, settings.secret_key)
    limits, ahead = limits_of(settings), _ahead(settings)
    bound = tasks(store, incoming, secrets, pools, _recogniser(), limits, ahead, words)
    app.add_tasks_from(bound, namespace="")
    await asyncio.to_thread(pools.warm_up)
    try:
        async with app.open_async():
            await _until_signal(
                [
                    *(_take_jobs(app, lane) for lane in LANES),
                    _every(RESCUE_EVERY_S, "job.rescue", lambda: _rescue(app, store)),
                    _every(TIDY_EVERY_S, "files.tidy", lambda: asyncio.to_thread(tidy_up, store, datetime.now(UTC))),
                    _watch(Watcher(store, incoming, words.text)),
                    _every(SWEEP_EVERY_S, "files.sweep", lambda: _swept(store, incoming)),
                ]
            )
    except PoolTimeout as exc:
        raise DatabaseGone("database_gone") from exc
    finally:
        pools.close()
        store.close()


async def _until_signal(parts: list[Awaitable[None]]) -> None:
    """Run parts side by side until a signal comes, or one of them fails."""
    stop = asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    running = [asyncio.ensure_future(part) for part in (*parts, stop.wait())]
    done, _ = await asyncio.wait(running, return_when=asyncio.FIRST_COMPLETED)
    end_within(LAST_S)  # nobody may be there to kill what hangs: the desk may have been killed itself
    for part in running:
        part.cancel()
    with contextlib.suppress(TimeoutError):
        async with asyncio.timeout(GRACE_S + 1):
            await asyncio.gather(*running, return_exceptions=True)
    for part in done:
        part.result()


async def _take_jobs(app: App, lane: Lane) -> None:
    """Take the jobs of a lane; where the database goes away, begin anew when it is back.

    The jobs that ran meanwhile are given back to the queue as those of a dead worker are.
    """
    while True:
        try:
            await app.run_worker_async(
                queues=[kind.value for kind in lane.kinds],
                concurrency=lane.at_a_time,
                delete_jobs="successful",
                fetch_job_polling_interval=POLL_S,
                abort_job_polling_interval=ABORT_POLL_S,
                update_heartbeat_interval=HEARTBEAT_S,
                stalled_worker_timeout=DEAD_AFTER_S,
                shutdown_graceful_timeout=GRACE_S,
                install_signal_handlers=False,
            )
        except ConnectorException as exc:
            log.warning("the database does not answer", action="worker.lost", cause=repr(exc.__cause__))
            await asyncio.sleep(POLL_S)


async def _watch(watcher: Watcher) -> None:
    """Look at the watched folders when something happens there, and now and then: not every folder tells."""
    while True:
        try:
            there = await asyncio.to_thread(watcher.look, time.monotonic())
        except Exception as exc:  # noqa: BLE001 (whatever it is, the next look tries again)
            log.warning("a look failed", action="folder.look", cause=repr(exc))
            there = []
        if not there:
            await asyncio.sleep(LOOK_EVERY_S)
            continue
        looks = awatch(*there, debounce=300, step=50, rust_timeout=round(1000 * LOOK_EVERY_S), yield_on_timeout=True)
        with contextlib.suppress(OSError, RuntimeError):  # a folder has gone, or cannot be watched: looking goes on
            async with contextlib.aclosing(looks):
                await anext(looks)
        await asyncio.sleep(SETTLE_S)


async def _swept(store: Store, incoming: Incoming) -> None:
    await asyncio.to_thread(sweep, store, incoming)
    await asyncio.to_thread(end_silent, store)


def _ahead(settings: Settings) -> int:
    """Return how many pages are read ahead side by side."""
    return settings.worker_processes if settings.reads_ahead else 0


def _recogniser() -> Tesseract | None:
    """Return the recogniser of this machine; without it pages whose way up is not clear stay as they lie."""
    try:
        return installed()
    except RecogniserError as exc:
        log.warning("no recogniser", action="worker.start", cause=str(exc))
        return None


async def _every(interval_s: float, action: str, do: Callable[[], Awaitable[None]]) -> None:
    """Do something again and again; where it fails, the next round tries again."""
    while True:
        await asyncio.sleep(min(interval_s, DEAD_AFTER_S))
        try:
            await do()
        except Exception as exc:  # noqa: BLE001 (whatever it is, the next round tries again)
            log.warning("a round failed", action=action, cause=repr(exc))
            await asyncio.sleep(DEAD_AFTER_S)
        await asyncio.sleep(max(0.0, interval_s - DEAD_AFTER_S))


async def _rescue(app: App, store: Store) -> None:
    """Give the jobs of workers that have died back to the queue, then see to what has no job at all.

    When the database was away, no worker could say that it lives: then all are given time to say so first.
    """
    asked_s = time.monotonic()
    stalled = list(await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=DEAD_AFTER_S))
    if time.monotonic() - asked_s > SLOW_ANSWER_S:
        await asyncio.sleep(DEAD_AFTER_S)
        return
    for job in stalled:
        log.warning("job taken over from a dead worker", action="job.rescued", job=job.id, task=job.task_name)
        await app.job_manager.retry_job(job)
    await asyncio.to_thread(reconcile, store)
