"""Processes for computation, one page at a time each."""

import os
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, nullcontext
from queue import LifoQueue
from typing import TypeVar

import cv2

from papiermappe.jobs.call_process import CallProcess, ProcessDied
from papiermappe.lifeline import end_with
from papiermappe.priority import give_way

T = TypeVar("T")

BACKGROUND_NICENESS, IDLE_NICENESS = 10, 19
GIVES_WAY_S = 3.0
"""So long at most what nobody has asked for waits before each call: it goes on, if slowly, beside a long filing."""


def _prepare(worker_pid: int, niceness: int) -> None:
    """Keep each process to one core, since the pool is as wide as the machine, and let it not outlive the worker.

    Its parent is the fork server, which lives as long as it has children: it is the worker that has to be watched.
    """
    end_with(worker_pid)
    cv2.setNumThreads(1)
    if niceness:
        os.setsid()
        give_way(os.getpid(), niceness)


class CallsUnderWay:
    """How many calls wait for pools or are being done by them."""

    def __init__(self) -> None:
        self._count = 0
        self._fewer = threading.Condition()

    @contextmanager
    def another(self) -> Iterator[None]:
        """Count a call as long as it lasts."""
        with self._fewer:
            self._count += 1
        try:
            yield
        finally:
            with self._fewer:
                self._count -= 1
                self._fewer.notify_all()

    def wait_for_none(self, timeout_s: float) -> None:
        """Wait until there is none, or until it has taken long enough."""
        with self._fewer:
            self._fewer.wait_for(lambda: self._count == 0, timeout_s)


class WorkPool:
    """Runs functions in other processes, started when they are needed. One that has died is replaced.

    Args:
        processes: how many work at a time.
        niceness: by how much they give way to other processes, up to 19.
        counted_in: where its calls count.
        gives_way_to: its calls wait until there are none of these, for some seconds.
    """

    def __init__(
        self,
        processes: int,
        niceness: int = 0,
        counted_in: CallsUnderWay | None = None,
        gives_way_to: CallsUnderWay | None = None,
    ) -> None:
        self._count = processes
        self._niceness = niceness
        self._counted_in = counted_in
        self._gives_way_to = gives_way_to
        self._idle: LifoQueue[CallProcess | None] = LifoQueue()
        """A place for each process; None where it is still to be started. Whoever takes a place puts it back."""
        for _ in range(processes):
            self._idle.put(None)

    def __call__(self, function: Callable[..., T], /, *arguments: object) -> T:
        """Return what the function returns. Raises what it raises, or ProcessDied where its process died."""
        if self._gives_way_to:
            self._gives_way_to.wait_for_none(GIVES_WAY_S)
        with self._counted_in.another() if self._counted_in else nullcontext():
            return self._call(function, *arguments)

    def _call(self, function: Callable[..., T], /, *arguments: object) -> T:
        process = self._idle.get()
        try:
            process = process or self._new()
            return process.call(function, *arguments)
        except ProcessDied:
            if process is not None:
                process.close()
            process = None
            raise
        finally:
            self._idle.put(process)

    def warm_up(self) -> None:
        """Start the processes now, so that the first page need not wait for them."""
        places = [self._idle.get() for _ in range(self._count)]
        for process in places:
            self._idle.put(process or self._new())

    def close(self) -> None:
        """Stop the processes, each when it has done what it is at."""
        for _ in range(self._count):
            if process := self._idle.get():
                process.close()
        for _ in range(self._count):
            self._idle.put(None)

    def _new(self) -> CallProcess:
        return CallProcess(_prepare, os.getpid(), self._niceness)


class Pools:
    """Three pools, so that what people wait for never waits for what they do not.

    Where both have work, the kernel gives the background a tenth of what the foreground gets. What nobody has asked for
    waits until neither has any: left to the kernel, one process of it takes a third of a core from two others.

    Args:
        processes: how many work at a time in the foreground, and in the background.
    """

    def __init__(self, processes: int) -> None:
        asked_for = CallsUnderWay()
        self.foreground = WorkPool(processes, counted_in=asked_for)
        """For pages that arrive or are shown."""
        self.background = WorkPool(processes, BACKGROUND_NICENESS, counted_in=asked_for)
        """For documents, and for what the recogniser has found."""
        self.idle = WorkPool(1, IDLE_NICENESS, gives_way_to=asked_for)
        """For what nobody has asked for yet."""

    def warm_up(self) -> None:
        """Start the processes that people wait for."""
        self.foreground.warm_up()

    def close(self) -> None:
        """Stop all processes."""
        for pool in (self.foreground, self.background, self.idle):
            pool.close()
