"""Waiting for a database that is away while something must not be lost."""

import time
from collections.abc import Callable
from typing import TypeVar

from papiermappe.store.errors import DatabaseGone

PATIENCE_S = 120.0
TRY_EVERY_S = 0.5

T = TypeVar("T")


def patiently(step: Callable[[], T]) -> T:
    """Do a step; while the database does not answer, try again for two minutes.

    Raises DatabaseGone if it stays away, and what the step raises.
    """
    until_s = time.monotonic() + PATIENCE_S
    while True:
        try:
            return step()
        except DatabaseGone:
            if time.monotonic() > until_s:
                raise
            time.sleep(TRY_EVERY_S)
