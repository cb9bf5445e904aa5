"""Waiting for Ctrl-C."""

import signal
from collections.abc import Sequence
from contextlib import suppress
from queue import Empty, SimpleQueue


class StopSignal:
    """Says whether a signal to stop has come. Any number of them may come at once, even while one is being handled.

    An event of the threading module would not do: a signal that comes while its lock is held would wait for ever for
    the very thread that handles it. A simple queue can be put to at any moment.
    """

    def __init__(self) -> None:
        self._come = False
        self._woken: SimpleQueue[None] = SimpleQueue()

    def listen(self, signals: Sequence[signal.Signals] = (signal.SIGINT, signal.SIGTERM)) -> None:
        """Take signals, from now on; only the main thread can say so."""
        for number in signals:
            signal.signal(number, lambda *_: self._set())

    @property
    def has_come(self) -> bool:
        """Whether it has come."""
        return self._come

    def wait(self, patience_s: float) -> bool:
        """Wait for it as long as that; return whether it has come."""
        if not self._come:
            with suppress(Empty):
                self._woken.get(timeout=patience_s)
        return self._come

    def _set(self) -> None:
        self._come = True
        self._woken.put(None)
