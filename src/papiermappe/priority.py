"""Giving way to other processes (Linux).

Where the kernel shares the cores out among sessions first (autogroups, sched(7)), niceness counts only within one: two
recognisers at the lowest priority take half of every core from a browser. So who gives way leads a session of its own,
which gives way as well.
"""

import contextlib
import os
import time
from pathlib import Path

TRIES, TRY_AGAIN_S = 5, 0.12
"""The kernel lets those who do not administer the machine change one group in a tenth of a second, all together."""


def give_way(pid: int, niceness: int) -> None:
    """Lower the priority of a process that leads a session, and that of its session.

    Args:
        pid: of the process, which may have ended.
        niceness: from 1 to 19; higher yields to other processes.
    """
    with contextlib.suppress(ProcessLookupError):
        os.setpriority(os.PRIO_PROCESS, pid, max(niceness, os.getpriority(os.PRIO_PROCESS, pid)))
    for _ in range(TRIES):
        try:
            Path(f"/proc/{pid}/autogroup").write_text(str(niceness))
        except BlockingIOError:
            time.sleep(TRY_AGAIN_S)
        except OSError:  # it has ended, or the kernel has no such groups
            return
        else:
            return
