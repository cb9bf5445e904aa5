"""Processes of a desk: started in order, supervised, stopped in reverse order."""

import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from papiermappe.lifeline import end_with_parent
from papiermappe.local.errors import CannotStart

STOP_S = 8.0
AGAIN_S = 1.0
MAX_RESTARTS = 5
WITHIN_S = 120.0
"""A process that has died more than MAX_RESTARTS times within this time is not started again."""
ALLOCATOR = {
    "MALLOC_ARENA_MAX": "2",
    "MALLOC_MMAP_THRESHOLD_": str(4 * 2**20),
    "MALLOC_TRIM_THRESHOLD_": str(8 * 2**20),
}
"""For glibc (mallopt(3)): left alone it comes to keep the room of decoded pages for good, some 40 MB a process."""
LINEAR_ALGEBRA = {"OPENBLAS_NUM_THREADS": "1"}
"""For numpy: the worker has a process for each core, whose threads would only wait for those of the others."""


@dataclass
class Child:
    """One process: `papiermappe` with arguments."""

    name: str
    arguments: Sequence[str]
    environment: Mapping[str, str]
    log_file: Path
    process: subprocess.Popen[bytes] | None = None
    restarted_s: list[float] = field(default_factory=list)
    """When it was started again, by the monotonic clock."""
    temporary: Path | None = None
    """Its folder for temporary files: one that is killed leaves sockets and files in it."""

    def start(self) -> None:
        """Start it; its output goes to the log file."""
        self._remove_temporary()
        self.temporary = Path(tempfile.mkdtemp(prefix="papiermappe-"))
        with self.log_file.open("ab") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "papiermappe", *self.arguments],
                env={**self.environment, **ALLOCATOR, **LINEAR_ALGEBRA, "TMPDIR": str(self.temporary)},
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
                preexec_fn=end_with_parent,
            )

    def stop(self) -> None:
        """Terminate it; kill it after some seconds."""
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(STOP_S)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()
        self._remove_temporary()

    def _remove_temporary(self) -> None:
        if self.temporary is not None:
            shutil.rmtree(self.temporary, ignore_errors=True)  # what holds it open still may be ending
            self.temporary = None


class Supervisor:
    """Keeps processes running.

    Args:
        children: in the order in which they are started.
        say: prints a line for the person.
    """

    def __init__(self, children: Sequence[Child], say: Callable[[str], None]) -> None:
        self._children = children
        self._say = say

    def start(self) -> None:
        """Start all."""
        for child in self._children:
            child.start()

    def look_after(self) -> None:
        """Restart processes that have died. Raises CannotStart if a process keeps dying."""
        for child in self._children:
            if child.process is None or child.process.poll() is None:
                continue
            now_s = time.monotonic()
            child.restarted_s = [then_s for then_s in child.restarted_s if now_s - then_s < WITHIN_S] + [now_s]
            if len(child.restarted_s) > MAX_RESTARTS:
                raise CannotStart("process_dies", name=child.name, log=str(child.log_file))
            self._say(f"The {child.name} has ended by itself and is started again.")
            time.sleep(AGAIN_S)
            child.start()

    def stop(self) -> None:
        """Stop all in reverse order."""
        for child in reversed(self._children):
            child.stop()
