"""The processes that compute."""

import os
import signal
import struct
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from multiprocessing.connection import Connection
from pathlib import Path

import pytest
from tests.helpers import PATIENCE_S

from papiermappe.jobs import pool as pool_module
from papiermappe.jobs.call_process import ProcessDied
from papiermappe.jobs.pool import CallsUnderWay, Pools, WorkPool

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
    until_s = time.monotonic() + PATIENCE_S
    while any(running(pid) for pid in helpers):
        assert time.monotonic() < until_s, "processes were left behind"
        time.sleep(0.05)


def test_a_pool_that_lost_a_process_is_made_anew() -> None:
    pool = WorkPool(1)
    try:
        with pytest.raises(ProcessDied):
            pool(os.kill, pool(os.getpid), signal.SIGKILL)
        assert pool(abs, -3) == 3
        with pytest.raises(ValueError, match="invalid literal"):
            pool(int, "three")
    finally:
        pool.close()


kept_on_top: list[bytes] = []


def leave_a_hole() -> int:
    """Take some 60 MB in middling pieces and give them up, but for what lies on top; return the KB that are held then.

    Pieces of this size come from the heap, which only shrinks from its top.
    """
    pieces = [b"\1" * 100_000 for _ in range(600)]
    kept_on_top.append(b"\1" * 100_000)
    del pieces
    return held_kb()


def held_kb() -> int:
    """Return how much memory this process has."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return int(next(line for line in lines if line.startswith("VmRSS")).split()[1])


def test_a_process_gives_back_what_a_call_took() -> None:
    pool = WorkPool(1)
    try:
        before_kb, during_kb, after_kb = pool(held_kb), pool(leave_a_hole), pool(held_kb)
    finally:
        pool.close()
    assert during_kb > before_kb + 50_000, "no hole was left: this test shows nothing"
    assert after_kb < before_kb + 5_000


def half_an_answer() -> bytes:
    """Return something large; the process is killed when the beginning of it is sent."""

    def send(connection: Connection, _: bytes) -> None:
        os.write(connection.fileno(), struct.pack("!i", 1_000_000))  # so many bytes will follow
        os.kill(os.getpid(), signal.SIGKILL)

    Connection._send = send  # type: ignore[attr-defined]  # only in the process that is killed
    return bytes(1_000_000)


def test_a_process_that_dies_while_it_answers_leaves_nobody_waiting() -> None:
    pool = WorkPool(2)
    try:
        with ThreadPoolExecutor(2) as threads:
            ended = [threads.submit(pool, half_an_answer) for _ in range(2)]
            for call in ended:
                with pytest.raises(ProcessDied):
                    call.result(30)
        assert [pool(abs, -3) for _ in range(4)] == [3] * 4
    finally:
        pool.close()


def test_what_cannot_be_sent_back_is_an_error() -> None:
    pool = WorkPool(1)
    try:
        with pytest.raises(TypeError, match="cannot be sent back"):
            pool(threading.Lock)
        assert pool(abs, -3) == 3
    finally:
        pool.close()


def test_warming_up_starts_all_processes_and_closing_ends_them() -> None:
    pool = WorkPool(2)
    pool.warm_up()
    with ThreadPoolExecutor(2) as threads:
        pids = set(threads.map(lambda _: pool(process_id_after, 0.2), range(2)))
    assert len(pids) == 2
    pool.close()
    assert not any(running(pid) for pid in pids)


def process_id_after(seconds: float) -> int:
    """Return the number of this process, after a while."""
    time.sleep(seconds)
    return os.getpid()


def marked_and_after(marker: Path, seconds: float) -> float:
    """Leave a mark, go on for a while, and return when that was over."""
    marker.touch()
    time.sleep(seconds)
    return time.monotonic()


@pytest.mark.parametrize("asked_of", ["foreground", "background"])
def test_what_nobody_has_asked_for_waits_until_nothing_else_is_computed(
    asked_of: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(pool_module, "GIVES_WAY_S", PATIENCE_S)
    pools = Pools(1)
    try:
        with ThreadPoolExecutor(1) as threads:
            asked = threads.submit(getattr(pools, asked_of), marked_and_after, tmp_path / "begun", 0.5)
            until_s = time.monotonic() + PATIENCE_S
            while not (tmp_path / "begun").exists():
                assert time.monotonic() < until_s
                time.sleep(0.01)
            began_s = pools.idle(time.monotonic)  # one clock for all processes of a machine
            assert began_s >= asked.result()
    finally:
        pools.close()


def test_what_nobody_has_asked_for_goes_on_beside_work_that_does_not_end(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pool_module, "GIVES_WAY_S", 0.1)
    under_way = CallsUnderWay()
    idle = WorkPool(1, gives_way_to=under_way)
    try:
        with under_way.another():
            assert idle(abs, -3) == 3
    finally:
        idle.close()
