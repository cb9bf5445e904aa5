"""A desk stops, however many signals tell it to."""

import subprocess
import sys

from tests.helpers import PATIENCE_S

SHOWER = """
import signal, sys, time
from papiermappe.local.stop_signal import StopSignal
stop = StopSignal()
stop.listen([signal.SIGALRM])
signal.setitimer(signal.ITIMER_REAL, 1e-5, 1e-5)
until_s = time.monotonic() + 1
while time.monotonic() < until_s:
    stop.wait(0.0)
signal.setitimer(signal.ITIMER_REAL, 0)
sys.exit(0 if stop.wait(0.0) and stop.has_come else 1)
"""


def test_signals_that_come_while_one_is_handled_do_no_harm() -> None:
    # With an event of the threading module the same ends in errors, or not at all.
    subprocess.run([sys.executable, "-c", SHOWER], check=True, timeout=PATIENCE_S)


def test_nothing_has_come_before_it_comes() -> None:
    code = "from papiermappe.local.stop_signal import StopSignal; s = StopSignal(); assert not s.wait(0.01)"
    subprocess.run([sys.executable, "-c", code], check=True, timeout=PATIENCE_S)
