"""Processes that end."""

import subprocess
import sys
import time


def test_a_process_ends_though_something_in_it_does_not() -> None:
    code = (
        "import threading, time; from papiermappe.lifeline import end_within; "
        "threading.Thread(target=time.sleep, args=(60,)).start(); end_within(0.2)"
    )
    began_s = time.monotonic()
    assert subprocess.run([sys.executable, "-c", code], check=False, timeout=30).returncode == 1
    assert time.monotonic() - began_s < 20
