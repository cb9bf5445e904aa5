"""A process that calls functions for another one, over a pipe of its own."""

import ctypes
import multiprocessing
import pickle
import traceback
from collections.abc import Callable
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any, TypeVar

T = TypeVar("T")

PRELOADED = ("papiermappe.core.preloaded",)


class ProcessDied(Exception):
    """The process died while it called a function; what it was at is not known."""


class CallProcess:
    """One process that calls functions, one at a time. Not for use from two threads.

    The executor of the standard library has one pipe for the answers of all its processes: one that is killed while it
    writes leaves half an answer and a held lock, and everybody waits for good. Here the pipe ends with its process.

    Args:
        prepare: called in the process before anything else, with the arguments that follow it.
        arguments: for `prepare`.
    """

    def __init__(self, prepare: Callable[..., None], *arguments: object) -> None:
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(list(PRELOADED))
        self._connection, theirs = context.Pipe()
        self._process: BaseProcess = context.Process(
            target=_serve, args=(theirs, prepare, arguments), name="call", daemon=True
        )
        self._process.start()
        theirs.close()  # so that reading ends when the process does

    def call(self, function: Callable[..., T], *arguments: object) -> T:
        """Return what the function returns. Raises what it raises, or ProcessDied."""
        try:
            self._connection.send((function, arguments))
            answer: T | BaseException
            has_returned, answer = self._connection.recv()
        except (EOFError, OSError) as exc:
            raise ProcessDied from exc
        if not has_returned:
            raise answer  # type: ignore[misc]  # an exception then
        return answer  # type: ignore[return-value]  # what the function returned then

    def close(self) -> None:
        """End the process."""
        self._process.kill()
        self._process.join()
        self._process.close()
        self._connection.close()


def _serve(connection: Connection, prepare: Callable[..., None], arguments: tuple[object, ...]) -> None:
    prepare(*arguments)
    while True:
        try:
            function, called_with = connection.recv()
        except EOFError:
            return
        connection.send_bytes(_answer(function, called_with))
        del called_with
        _give_memory_back()


def _give_memory_back() -> None:
    """Give the system what is not in use: glibc keeps what lies below anything that is (malloc_trim(3))."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)  # other libraries have none
    if trim is not None:
        trim(0)


def _answer(function: Callable[..., object], arguments: tuple[object, ...]) -> bytes:
    """Return the pickled answer: whether the function returned, and what it returned or raised."""
    answer: tuple[bool, Any]
    try:
        answer = True, function(*arguments)
    except Exception as exc:  # noqa: BLE001 (raised again where it was called)
        exc.add_note(f"In the process that computes:\n{traceback.format_exc()}")
        answer = False, exc
    try:
        return pickle.dumps(answer, pickle.HIGHEST_PROTOCOL)
    except (pickle.PicklingError, TypeError, AttributeError) as exc:
        return pickle.dumps((False, TypeError(f"cannot be sent back: {exc}")))
