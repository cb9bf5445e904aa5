"""The queue as workers need it: a listener that does not die, and jobs that are tried again as long as it helps."""

import asyncio
from collections.abc import Iterable

import structlog
from procrastinate import BaseRetryStrategy, PsycopgConnector, RetryDecision
from procrastinate.connector import Notify
from procrastinate.exceptions import ConnectorException
from procrastinate.jobs import Job

from papiermappe.services.errors import RunHeld
from papiermappe.store.errors import DatabaseGone, TransactionLost

log = structlog.get_logger()

TRY_AGAIN_S = 1
TRIES = 5
TRIES_WHILE_AWAY = 120
"""For what passes by itself: the database is away, or another worker is at the same run."""
LISTEN_AGAIN_S = 0.5


class ListeningConnector(PsycopgConnector):
    """Listens for new jobs, and listens again after the database was away; else jobs would be found by polling only."""

    async def listen_notify(self, on_notification: Notify, channels: Iterable[str]) -> None:
        """Listen until cancelled."""
        names = list(channels)
        while True:
            try:
                await super().listen_notify(on_notification, names)
            except ConnectorException as exc:
                log.warning("cannot listen for jobs", action="worker.listen", cause=repr(exc.__cause__))
            await asyncio.sleep(LISTEN_AGAIN_S)


class TriedAgain(BaseRetryStrategy):
    """Tries a job that failed again: some times, or for two minutes where the cause passes by itself."""

    def get_retry_decision(self, *, exception: BaseException, job: Job) -> RetryDecision | None:
        """Return when to try again; None to give up."""
        passes = isinstance(exception, DatabaseGone | TransactionLost | RunHeld)
        if job.attempts >= (TRIES_WHILE_AWAY if passes else TRIES):
            return None
        return RetryDecision(retry_in={"seconds": TRY_AGAIN_S})
