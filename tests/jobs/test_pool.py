"""The processes that compute."""

import os
import signal
import subprocess
import sys
import time
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path

import pytest

from papiermappe.jobs.pool import WorkPool

HOLD = """
import os, time
from papiermappe.jobs.pool import WorkPool
pool = WorkPool(2)
print(*{pool(os.getpid) for _ in range(20)}, pool(os.getppid), flush=True)
time.sleep(60)
"""


def running(pid: int) -> bool:
    """Whether a process is there and is not only waiting to be buried."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except FileNotFoundError:
        return False


def test_a_killed_worker_leaves_no_process_behind(environment: dict[str, str]) -> None:
    with subprocess.Popen([sys.executable, "-c", HOLD], stdout=subprocess.PIPE, text=True, env=environment) as worker:
        assert worker.stdout is not None
        helpers = [int(pid) for pid in worker.stdout.readline().split()]
        assert len(helpers) >= 2
        assert all(running(pid) for pid in helpers)
        worker.send_signal(signal.SIGKILL)
        worker.wait()
    until_s = time.monotonic() + 10
    while any(running(pid) for pid in helpers):
        assert time.monotonic() < until_s, "processes were left behind"
        time.sleep(0.05)


def test_a_pool_that_lost_a_process_is_made_anew() -> None:
    pool = WorkPool(1)
    try:
        with pytest.raises(BrokenProcessPool):
            pool(os.kill, pool(os.getpid), signal.SIGKILL)
        assert pool(abs, -3) == 3
        with pytest.raises(ValueError, match="invalid literal"):
            pool(int, "three")
    finally:
        pool.close()
