"""Processes that give way to others."""

import subprocess
import sys
from pathlib import Path

import pytest

from papiermappe.priority import giving_way

SAID = "import os; print(os.getpriority(os.PRIO_PROCESS, 0), os.getsid(0)); print(open('/proc/self/autogroup').read())"
HAS_GROUPS = Path("/proc/self/autogroup").exists()


@pytest.mark.skipif(not HAS_GROUPS, reason="this kernel has no autogroups")
@pytest.mark.parametrize(
    "command",
    [
        [*giving_way(7), sys.executable, "-c", SAID],
        [sys.executable, "-c", f"from papiermappe.priority import give_way; give_way(7); {SAID}"],
    ],
)
def test_a_process_that_gives_way_does_so_beyond_its_session(command: list[str]) -> None:
    ended = subprocess.run(command, check=True, capture_output=True, text=True)
    own, group = ended.stdout.splitlines()[:2]
    niceness, session = own.split()
    assert int(niceness) == 7 + niceness_here()
    assert int(session) != session_here()
    assert group.endswith("nice 7")
    assert ended.stderr == ""


def test_a_program_that_is_not_there_is_told_by_the_status_of_nice() -> None:
    ended = subprocess.run([*giving_way(5), "/no/such/program"], check=False, capture_output=True)
    assert ended.returncode == 127


def niceness_here() -> int:
    """Return that of the tests."""
    return int(Path("/proc/self/stat").read_text().rpartition(")")[2].split()[16])


def session_here() -> int:
    """Return that of the tests."""
    return int(Path("/proc/self/stat").read_text().rpartition(")")[2].split()[3])
