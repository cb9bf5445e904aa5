"""The station Tidy with a Mappe of 500 pages at 300 dpi, and a booklet of 40 pages: what a person waits for.

Everything runs as separate processes: PostgreSQL with fsync, a worker with its processes, web server, a browser.

    python -m benchmarks.tidy [--pages 500] [--only pile,viewer,change,booklet] [--sheet FILE]
"""

import argparse
import os
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import cv2

from benchmarks.table import Row
from benchmarks.tidying import booklets, changes, desk, piles, viewing
from benchmarks.whole_way import running

SEED = 20261128
SECTIONS: dict[str, Callable[[desk.Pages], list[Row]]] = {
    "pile": piles.measure,
    "viewer": viewing.measure,
    "change": changes.measure,
}


def main() -> None:
    """Measure and print."""
    options = argparse.ArgumentParser(description="The station Tidy, with many pages.")
    options.add_argument("--pages", type=int, default=500)
    options.add_argument("--only", default=",".join([*SECTIONS, "booklet"]))
    options.add_argument("--seed", type=int, default=SEED)
    options.add_argument("--sheet", type=Path, help="write the booklet before and after, as one JPEG to be looked at")
    chosen = options.parse_args()
    only = chosen.only.split(",")
    cv2.setNumThreads(
        1
    )  # threads of its own would be lost to the processes that are forked later, which then wait for ever
    print(f"{os.cpu_count()} cores, {datetime.now(UTC):%Y-%m-%d}")
    with tempfile.TemporaryDirectory(prefix="papiermappe-bench-") as folder, running(Path(folder)) as bench:
        if "booklet" in only:
            show("booklet", booklets.measure(bench, chosen.seed, chosen.sheet))
        if set(only) & set(SECTIONS):
            pages = desk.bring_in(bench, chosen.pages, chosen.seed)
            for name in only:
                if name in SECTIONS:
                    show(name, SECTIONS[name](pages))


def show(name: str, rows: list[Row]) -> None:
    """Print a section."""
    for row in rows:
        print(f"{name:<8} {row.what:<66} {row.value:>22}   {row.goal}", flush=True)


if __name__ == "__main__":
    main()
