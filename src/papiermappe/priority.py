"""Giving way to other processes (Linux).

Where the kernel shares the cores out among sessions first (autogroups, sched(7)), niceness counts only within one: two
recognisers at the lowest priority take half of every core from a browser. Who gives way does so in a session of its
own.
"""

import contextlib
import os
from pathlib import Path

_GROUP = Path("/proc/self/autogroup")


def give_way(niceness: int) -> None:
    """Lower the priority of this process, which leaves its session, by 1 to 19."""
    os.nice(niceness)
    with contextlib.suppress(PermissionError):  # it leads a session already
        os.setsid()
    with contextlib.suppress(OSError):  # the kernel has no such groups, or has changed one a moment ago
        _GROUP.write_text(str(niceness))


def giving_way(niceness: int) -> tuple[str, ...]:
    """Return the beginning of a command that runs a program so; it ends as `nice` does where that cannot be started."""
    return "setsid", "sh", "-c", f'echo {niceness} 2>&- >{_GROUP}; exec nice -n {niceness} "$@"', "sh"
