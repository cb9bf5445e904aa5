"""Where pure functions that take long are run."""

from collections.abc import Callable
from typing import Protocol, TypeVar

T = TypeVar("T")


class Compute(Protocol):
    """Runs a pure function, here or in another process."""

    def __call__(self, function: Callable[..., T], /, *arguments: object) -> T:
        """Return what the function returns for the arguments."""
        ...
