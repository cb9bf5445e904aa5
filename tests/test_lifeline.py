"""Processes that end."""

import subprocess
import sys

from tests.helpers import PATIENCE_S


def test_a_process_ends_though_something_in_it_does_not() -> None:
    code = (
        "import threading, time; from papiermappe.lifeline import end_within; "
        "threading.Thread(target=time.sleep, args=(3600,)).start(); end_within(0.2)"
    )
    assert subprocess.run([sys.executable, "-c", code], check=False, timeout=PATIENCE_S).returncode == 1
