"""Processes that give way to others."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from papiermappe.priority import give_way


def test_a_process_gives_way_with_its_session() -> None:
    waiting = [sys.executable, "-c", "import sys; sys.stdin.read()"]
    with subprocess.Popen(waiting, stdin=subprocess.PIPE, start_new_session=True) as child:
        give_way(child.pid, 7)
        assert os.getpriority(os.PRIO_PROCESS, child.pid) == max(7, os.getpriority(os.PRIO_PROCESS, 0))
        group = Path(f"/proc/{child.pid}/autogroup")
        assert not group.exists() or group.read_text().rstrip().endswith("nice 7")  # not every kernel has them


def test_what_has_ended_need_not_give_way() -> None:
    with subprocess.Popen(["true"], start_new_session=True) as child:
        pass
    give_way(child.pid, 7)


def test_where_the_kernel_asks_for_patience_it_is_told_again(monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[str] = []

    def write(_: Path, text: str) -> int:
        told.append(text)
        if len(told) < 3:
            raise BlockingIOError
        return len(text)

    monkeypatch.setattr(Path, "write_text", write)
    monkeypatch.setattr("papiermappe.priority.TRY_AGAIN_S", 0.01)
    with subprocess.Popen(["sleep", "60"], start_new_session=True) as child:
        give_way(child.pid, 7)
        child.kill()
    assert told == ["7", "7", "7"]
