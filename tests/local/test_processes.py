"""Processes that die are started again, unless they keep dying."""

import subprocess
import tempfile
import time
from pathlib import Path

import pytest

from papiermappe.local import processes
from papiermappe.local.errors import CannotStart
from papiermappe.local.processes import MAX_RESTARTS, WITHIN_S, Child, Supervisor


class Mortal(Child):
    """A process that ends at once."""

    def start(self) -> None:
        """Start it and wait for its end."""
        self.process = subprocess.Popen(["true"])
        self.process.wait()


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> list[float]:
    """What time it is, in s; nobody waits."""
    now = [1000.0]
    monkeypatch.setattr(time, "monotonic", lambda: now[0])
    monkeypatch.setattr(processes, "AGAIN_S", 0.0)
    return now


@pytest.fixture
def supervisor(tmp_path: Path) -> Supervisor:
    """Looks after a worker that does not live long."""
    found = Supervisor([Mortal("worker", [], {}, tmp_path / "worker.log")], lambda _: None)
    found.start()
    return found


def test_a_process_that_keeps_dying_ends_the_desk(supervisor: Supervisor, clock: list[float]) -> None:
    for _ in range(MAX_RESTARTS):
        supervisor.look_after()
        clock[0] += 1
    with pytest.raises(CannotStart, match="process_dies"):
        supervisor.look_after()


def test_a_process_that_dies_now_and_then_is_started_again_for_ever(supervisor: Supervisor, clock: list[float]) -> None:
    for _ in range(10 * MAX_RESTARTS):
        supervisor.look_after()
        clock[0] += WITHIN_S / MAX_RESTARTS + 1


def test_temporary_files_of_a_process_that_was_killed_are_removed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    monkeypatch.setattr(processes, "AGAIN_S", 0.0)
    child = Child("worker", ["--help"], {}, tmp_path / "worker.log")
    supervisor = Supervisor([child], lambda _: None)
    supervisor.start()
    assert child.process is not None
    assert child.temporary is not None
    (left := child.temporary / "listener-1").touch()
    child.process.kill()
    child.process.wait()
    supervisor.look_after()
    assert not left.exists()
    supervisor.stop()
    assert [entry.name for entry in tmp_path.iterdir()] == ["worker.log"]
