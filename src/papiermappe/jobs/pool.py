"""Processes for computation, one page at a time each."""

import multiprocessing
import os
import threading
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import TypeVar

import cv2

from papiermappe.lifeline import end_with

T = TypeVar("T")

NICENESS = 5
BACKGROUND_NICENESS = 10  # beside a process in the foreground the kernel gives such a one a quarter of a core


def _prepare(worker_pid: int, niceness: int) -> None:
    """Keep each process to one core, since the pool is as wide as the machine, and let it not outlive the worker.

    Its parent is the fork server, which lives as long as it has children: it is the worker that has to be watched.
    """
    end_with(worker_pid)
    cv2.setNumThreads(1)
    os.nice(niceness)


class WorkPool:
    """Runs functions in other processes. A pool that lost a process is replaced before the next call.

    Args:
        processes: how many work at a time.
        niceness: their scheduling priority, from 0 to 19; higher yields to other processes.
    """

    def __init__(self, processes: int, niceness: int = NICENESS) -> None:
        self._processes = processes
        self._niceness = niceness
        self._lock = threading.Lock()
        self._pool = self._new()

    def __call__(self, function: Callable[..., T], /, *arguments: object) -> T:
        """Return what the function returns. Raises what it raises, or BrokenProcessPool where its process died."""
        pool = self._pool
        try:
            return pool.submit(function, *arguments).result()
        except BrokenProcessPool:
            with self._lock:
                if self._pool is pool:
                    self._pool = self._new()
            raise

    def warm_up(self) -> None:
        """Start the processes now, so that the first page need not wait for them."""
        for started in [self._pool.submit(os.getpid) for _ in range(self._processes)]:
            started.result()

    def close(self) -> None:
        """Stop the processes."""
        self._pool.shutdown(cancel_futures=True)

    def _new(self) -> ProcessPoolExecutor:
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(["papiermappe.core.pages"])
        arguments = (os.getpid(), self._niceness)
        return ProcessPoolExecutor(self._processes, context, initializer=_prepare, initargs=arguments)


class Pools:
    """Two pools, so that what people wait for never waits for documents and reading.

    Both have a process for each core; where both have work, the kernel gives those in the background a quarter.

    Args:
        processes: how many work at a time in each.
    """

    def __init__(self, processes: int) -> None:
        self.foreground = WorkPool(processes)
        """For pages that arrive or are shown."""
        self.background = WorkPool(processes, BACKGROUND_NICENESS)
        """For documents, and for what nobody has asked for yet."""

    def warm_up(self) -> None:
        """Start the processes that people wait for."""
        self.foreground.warm_up()

    def close(self) -> None:
        """Stop all processes."""
        self.foreground.close()
        self.background.close()
