"""Processes that end when another one does, however that ends (Linux)."""

import contextlib
import ctypes
import os
import select
import signal
import threading
import time

_PR_SET_PDEATHSIG = 1
_libc = ctypes.CDLL(None, use_errno=True)


def end_with_parent() -> None:
    """Have the kernel end this process when its parent ends (prctl(2))."""
    _libc.prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def end_with(pid: int) -> None:
    """End this process when another one, which need not be its parent, has ended (pidfd_open(2))."""
    threading.Thread(target=_outlive_not, args=(pid,), daemon=True).start()


def end_within(patience_s: float) -> None:
    """End this process after some time, if it has not ended by then: whatever it still waits for."""
    threading.Thread(target=_leave_after, args=(patience_s,), daemon=True).start()


def _leave_after(patience_s: float) -> None:
    time.sleep(patience_s)
    os._exit(1)


def _outlive_not(pid: int) -> None:
    with contextlib.suppress(ProcessLookupError):
        select.select([os.pidfd_open(pid)], [], [])
    os._exit(1)
