"""Giving way to other processes (Linux).

Where the kernel shares the cores out among sessions first (autogroups, sched(7)), niceness counts only within one: two
recognisers at the lowest priority take half of every core from a browser. So who gives way leads a session of its own,
which gives way as well.
"""

import contextlib
import os
from pathlib import Path


def give_way(pid: int, niceness: int) -> None:
    """Lower the priority of a process that leads a session, and that of its session.

    Args:
        pid: of the process, which may have ended.
        niceness: from 1 to 19; higher yields to other processes.
    """
    with contextlib.suppress(ProcessLookupError):
        os.setpriority(os.PRIO_PROCESS, pid, max(niceness, os.getpriority(os.PRIO_PROCESS, pid)))
    with contextlib.suppress(OSError):  # it has ended, or there are no such groups, or one changed just now
        Path(f"/proc/{pid}/autogroup").write_text(str(niceness))
