"""What came of the cases."""

import resource
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from benchmarks.table import Row
from papiermappe.errors import PapiermappeError

SHOWN = 10
SPARE_S = 1.0


@dataclass
class Tally:
    """Counts what must not happen, and remembers the first cases of it."""

    cases: int = 0
    answered: int = 0
    """How many came to a result."""
    refused: int = 0
    """How many came to an error of ours, with words for a person."""
    untyped: list[str] = field(default_factory=list)
    late: list[str] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)
    """Other things that must not be, such as an answer 500."""
    _resident_bytes: int = field(default_factory=lambda: resident_bytes())

    def attempt(self, case: str, limit_s: float, action: Callable[[], object]) -> None:
        """Do something; it must end in time, with a result or with an error of ours."""
        began_s = time.monotonic()
        try:
            action()
            self.answered += 1
        except PapiermappeError:
            self.refused += 1
        except Exception as exc:  # noqa: BLE001 (what is counted)
            self.untyped.append(f"{case}: {exc!r:.200}")
        took_s = time.monotonic() - began_s
        if took_s > limit_s + SPARE_S:
            self.late.append(f"{case}: {took_s:.1f} s of {limit_s:.1f}")

    def rows(self) -> Iterator[Row]:
        """Yield the figures."""
        yield Row("cases", f"{self.cases}")
        yield Row("    with a result; refused in words", f"{self.answered}; {self.refused}")
        for what, found in (("untyped errors", self.untyped), ("over time + 1 s", self.late), ("wrong", self.wrong)):
            yield Row(what, f"{len(found)}", "0")
            for example in found[:SHOWN]:
                yield Row(f"    {example}", "")
        yield Row("growth of memory, at the end", megabytes(resident_bytes() - self._resident_bytes), "200 MB")


def resident_bytes() -> int:
    """Return how much memory this process has now."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()


def megabytes(count: int) -> str:
    """Return bytes for people."""
    return f"{count / 1e6:.0f} MB"


@contextmanager
def watched_peak() -> Iterator[Callable[[], int]]:
    """Yield a function that returns how far memory has risen above its start (Linux: the peak is reset first)."""
    Path("/proc/self/clear_refs").write_text("5")
    before = resident_bytes()
    yield lambda: _peak_bytes() - before


def _peak_bytes() -> int:
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) * 1024 for line in lines if line.startswith("VmHWM"))
