"""What processes have taken of the machine (Linux)."""

import os
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from pathlib import Path

KB, MB = 1024, 1_000_000
"""What Linux calls a kB, and a megabyte."""
TICKS_S = os.sysconf("SC_CLK_TCK")
OWN, OF_ENDED, NICE = (11, 12), (13, 14), 16
"""Fields of proc(5) stat, counted from behind the name."""


def family(pids: Sequence[int]) -> Iterator[int]:
    """Yield processes and all below them."""
    waiting = list(pids)
    while waiting:
        pid = waiting.pop()
        waiting += children_of(pid)
        yield pid


def children_of(pid: int) -> list[int]:
    """Return the processes that a process has started; none where it has ended."""
    with suppress(OSError):
        tasks = list(Path(f"/proc/{pid}/task").iterdir())
        return [int(child) for task in tasks for child in (task / "children").read_text().split()]
    return []


def proportional_mb(pids: Sequence[int]) -> float:
    """Return the memory of processes and all below them; what several share is counted once."""
    total_kb = 0
    for pid in family(pids):
        with suppress(OSError):
            rollup = Path(f"/proc/{pid}/smaps_rollup").read_text()
            total_kb += sum(int(line.split()[1]) for line in rollup.splitlines() if line.startswith("Pss:"))
    return total_kb * KB / MB


def cpu_used_s(named: Mapping[str, int]) -> dict[str, float]:
    """Return the seconds of a core that processes have taken, those below them told apart.

    Args:
        named: processes by what they are called. What is below them is told as ``x: computing``, where it gives way to
            others ``x: computing, nice 10``, and what has ended ``x: programs it ran``.
    """
    used: dict[str, float] = defaultdict(float)
    for name, parent in named.items():
        for pid in family([parent]):
            with suppress(OSError):
                fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
                own_s, of_ended_s = (sum(int(fields[at]) for at in which) / TICKS_S for which in (OWN, OF_ENDED))
                niceness = int(fields[NICE])
                below = f"{name}: computing" + (f", nice {niceness}" if niceness else "")
                used[name if pid == parent else below] += own_s
                used[f"{name}: programs it ran"] += of_ended_s
    return used
