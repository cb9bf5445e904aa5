"""The worker goes on by itself when the database was away."""

import asyncio
from typing import Any

import pytest
from procrastinate.exceptions import ConnectorException

from papiermappe.jobs import worker
from papiermappe.store.queue import JobKind


class Lost:
    """An application of the queue whose database goes away some times, in the middle of asking for work."""

    def __init__(self, times: int) -> None:
        self.times = times
        self.begun = 0

    async def run_worker_async(self, **_: Any) -> None:
        """Work until the database goes away, the last time until it is asked to end."""
        self.begun += 1
        if self.begun <= self.times:
            raise ConnectorException
        raise asyncio.CancelledError


@pytest.mark.anyio
@pytest.mark.parametrize("times", [0, 1, 3])
async def test_work_begins_anew_when_the_database_is_back(times: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(worker, "POLL_S", 0.01)
    lost = Lost(times)
    with pytest.raises(asyncio.CancelledError):
        await worker._take_jobs(lost, worker.LANES[0])  # type: ignore[arg-type]  # it does what is needed of one
    assert lost.begun == times + 1


@pytest.mark.anyio
async def test_other_trouble_ends_the_worker() -> None:
    class Broken(Lost):
        async def run_worker_async(self, **_: Any) -> None:
            raise RuntimeError("a fault of ours")

    with pytest.raises(RuntimeError, match="a fault of ours"):
        await worker._take_jobs(Broken(1), worker.LANES[0])  # type: ignore[arg-type]  # as above


def test_every_kind_of_job_is_taken_in_one_lane() -> None:
    kinds = [kind for lane in worker.LANES for kind in lane.kinds]
    assert sorted(kinds) == sorted(JobKind)
