"""Processes that end when another one does, however that ends (Linux)."""

import contextlib
import ctypes
import os
import select
import signal
import threading

_PR_SET_PDEATHSIG = 1
_libc = ctypes.CDLL(None, use_errno=True)


def end_with_parent() -> None:
    """Have the kernel end this process when its parent ends (prctl(2))."""
    _libc.prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def end_with(pid: int) -> None:
    """End this process when another one, which need not be its parent, has ended (pidfd_open(2))."""
    threading.Thread(target=_outlive_not, args=(pid,), daemon=True).start()


def _outlive_not(pid: int) -> None:
    with contextlib.suppress(ProcessLookupError):
        select.select([os.pidfd_open(pid)], [], [])
    os._exit(1)
