"""Processes for computation, one page at a time each."""

import os
from collections.abc import Callable
from queue import LifoQueue
from typing import TypeVar

import cv2

from papiermappe.jobs.call_process import CallProcess, ProcessDied
from papiermappe.lifeline import end_with
from papiermappe.priority import give_way

T = TypeVar("T")

BACKGROUND_NICENESS = 10


def _prepare(worker_pid: int, in_background: bool) -> None:
    """Keep each process to one core, since the pool is as wide as the machine, and let it not outlive the worker.

    Its parent is the fork server, which lives as long as it has children: it is the worker that has to be watched.
    """
    end_with(worker_pid)
    cv2.setNumThreads(1)
    if in_background:
        os.setsid()
        give_way(os.getpid(), BACKGROUND_NICENESS)


class WorkPool:
    """Runs functions in other processes, started when they are needed. One that has died is replaced.

    Args:
        processes: how many work at a time.
        in_background: whether nobody waits for them: they give way to all other processes.
    """

    def __init__(self, processes: int, *, in_background: bool = False) -> None:
        self._count = processes
        self._in_background = in_background
        self._idle: LifoQueue[CallProcess | None] = LifoQueue()
        """A place for each process; None where it is still to be started. Whoever takes a place puts it back."""
        for _ in range(processes):
            self._idle.put(None)

    def __call__(self, function: Callable[..., T], /, *arguments: object) -> T:
        """Return what the function returns. Raises what it raises, or ProcessDied where its process died."""
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
        return CallProcess(_prepare, os.getpid(), self._in_background)


class Pools:
    """Two pools, so that what people wait for never waits for documents and reading.

    Both have a process for each core; where both have work, the kernel gives those in the background a tenth.

    Args:
        processes: how many work at a time in each.
    """

    def __init__(self, processes: int) -> None:
        self.foreground = WorkPool(processes)
        """For pages that arrive or are shown."""
        self.background = WorkPool(processes, in_background=True)
        """For documents, for what the recogniser has found, and for what nobody has asked for yet."""

    def warm_up(self) -> None:
        """Start the processes that people wait for."""
        self.foreground.warm_up()

    def close(self) -> None:
        """Stop all processes."""
        self.foreground.close()
        self.background.close()
