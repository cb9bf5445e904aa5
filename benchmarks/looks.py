"""How long a look at the glass takes beyond the device's own time, and whether it finds what lies there.

The stand-in's glass at its own speed, with one to six small originals; everything runs as separate processes. The
device's own time is that of the same scan asked for without the desk. How well originals are found on glasses drawn
for that is measured by `benchmarks.clean --only sheet`.

    python -m benchmarks.looks [--rounds 3]
"""

import argparse
import os
import statistics
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

import httpx

from benchmarks.table import Row
from benchmarks.whole_way import Bench, running
from papiermappe.devices.escl import EsclClient
from papiermappe.services.looking import quickest

ORIGINALS = ("weigh-2041", "card", "receipt", "card", "card", "card")
MOST = len(ORIGINALS)
SEED = 6127
ASK_AGAIN_S = 0.2
"""A window asks as often whether a look is there."""


class Taken(NamedTuple):
    """One look."""

    laid: int
    found: int
    device_s: float
    whole_s: float


def main() -> None:
    """Measure and print."""
    options = argparse.ArgumentParser(description="How long a look at the glass takes beyond the device's own time.")
    options.add_argument("--rounds", type=int, default=3)
    rounds = options.parse_args().rounds
    with tempfile.TemporaryDirectory(prefix="papiermappe-bench-") as folder, running(Path(folder), 1.0) as bench:
        taken = [look(bench, count, SEED + 10 * turn) for turn in range(rounds) for count in range(1, MOST + 1)]
    print(f"{os.cpu_count()} cores, {datetime.now(UTC):%Y-%m-%d}, {len(taken)} looks at 1 to {MOST} originals")
    for row in rows(taken):
        print(f"  {row.what:<48} {row.value:>14}   {row.goal}")


def rows(taken: list[Taken]) -> list[Row]:
    """Return the figures."""
    beyond_s = [one.whole_s - one.device_s for one in taken]
    return [
        Row("the device's own time, median", f"{statistics.median(one.device_s for one in taken):.2f} s"),
        Row("beyond it, median", f"{statistics.median(beyond_s):.2f} s", "<= 2 s"),
        Row("    worst", f"{max(beyond_s):.2f} s", "<= 2 s"),
        Row("as many originals found as lie there", f"{sum(one.found == one.laid for one in taken)} of {len(taken)}"),
    ]


def look(bench: Bench, count: int, seed: int) -> Taken:
    """Lay originals on the glass, scan it as a look does, then look."""
    httpx.post(f"{bench.drawer_url}/take-out", json={}, trust_env=False).raise_for_status()
    load = {"originals": list(ORIGINALS[:count]), "where": "glass", "seed": seed}
    httpx.post(f"{bench.drawer_url}/load", json=load, trust_env=False).raise_for_status()
    laid = len(httpx.get(f"{bench.drawer_url}/paper", trust_env=False).json()["beside"]) + 1
    _scanned_s(bench)  # has the stand-in draw the pictures
    device_s = _scanned_s(bench)
    headers = {"Origin": bench.web_url, "Accept": "application/json"}
    with httpx.Client(base_url=bench.web_url, headers=headers, trust_env=False, timeout=60) as http:
        start_s = time.perf_counter()
        name = http.post(f"/devices/{bench.device}/look").raise_for_status().json()
        while (seen := http.get(f"/devices/looks/{name}").raise_for_status().json()) is None:
            time.sleep(ASK_AGAIN_S)
        whole_s = time.perf_counter() - start_s
    return Taken(laid, len(seen["originals"]), device_s, whole_s)


def _scanned_s(bench: Bench) -> float:
    """Return how long the device takes for the scan of a look, from the question what it can do to the picture."""
    start_s = time.perf_counter()
    with EsclClient(bench.escl_url) as client:
        glass = client.abilities().glass
        if glass is None:
            raise RuntimeError("this device has no glass")
        job = client.start(quickest(glass))
        client.next_page(job)
        client.cancel(job)
    return time.perf_counter() - start_s


if __name__ == "__main__":
    main()
