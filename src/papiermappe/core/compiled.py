"""Inner loops in machine code, compiled when they are first called.

The compiler takes some 100 MB of a process, and those that only hand work on never need it. Processes that compute
call `load_all` once, before they are copied: then all share what it takes.
"""

from collections.abc import Callable
from functools import update_wrapper
from typing import Any, ParamSpec, TypeVar, cast

P = ParamSpec("P")
R = TypeVar("R")

_known: list["_Compiled"] = []


class _Compiled:
    """A function that is compiled at its first call; the machine code is kept beside its source."""

    def __init__(self, function: Callable[..., Any], signature: str | None, options: dict[str, Any]) -> None:
        self._function, self._signature, self._options = function, signature, {"cache": True, **options}
        self._made: Any = None
        update_wrapper(self, function)
        _known.append(self)

    def __call__(self, *arguments: object) -> Any:
        return (self._made or self.load())(*arguments)

    def load(self) -> Any:
        """Return the function as machine code."""
        if self._made is None:
            from numba import njit  # see above: it is what costs memory

            self._made = njit(self._signature, **self._options)(self._function)
        return self._made

    @property
    def _numba_type_(self) -> Any:
        """What the compiler takes it for where another inner loop calls it."""
        from numba import types  # as above

        return types.Dispatcher(self.load())


def compiled(signature: str | None = None, **options: Any) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Return a decorator that has a function compiled.

    Args:
        signature: its types as numba spells them; None: those it is called with.
        options: of the compiler.

    >>> @compiled("i8(i8)", cache=False)
    ... def doubled(value: int) -> int:
    ...     return 2 * value
    >>> doubled(21)
    42
    """

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        return cast(Callable[P, R], _Compiled(function, signature, options))

    return decorate


def load_all() -> None:
    """Compile all inner loops of the modules that are imported, or load what was compiled before."""
    for function in _known:
        function.load()
