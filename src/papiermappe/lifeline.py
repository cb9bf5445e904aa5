"""Processes that end when the one that started them is killed (Linux, prctl(2))."""

import ctypes
import signal

_PR_SET_PDEATHSIG = 1
_libc = ctypes.CDLL(None, use_errno=True)


def end_with_parent() -> None:
    """Have the kernel end this process when its parent ends, however that ends."""
    _libc.prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
