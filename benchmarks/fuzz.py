"""What hostile devices, broken files and odd requests do to it: errors that nobody foresaw, waiting, memory.

python -m benchmarks.fuzz [--only devices,files,web] [--cases 10000] [--seed 20261127] [--case 4711]
"""

import argparse
import logging
from collections.abc import Callable

import structlog

from benchmarks.fuzzing import devices, files, web
from benchmarks.fuzzing.tally import Tally

SEED = 20261127
SECTIONS: dict[str, tuple[Callable[[range, int], Tally], int]] = {
    "devices": (devices.run, 10_000),
    "files": (files.run, 10_000),
    "web": (web.run, 5_000),
}


def main() -> None:
    """Run the cases and print what came of them."""
    options = argparse.ArgumentParser(description="What hostile input does to it.")
    options.add_argument("--only", default=",".join(SECTIONS))
    options.add_argument("--cases", type=int, help="of each section; otherwise as many as are wanted")
    options.add_argument("--seed", type=int, default=SEED)
    options.add_argument("--case", type=int, help="this one alone")
    chosen = options.parse_args()
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.CRITICAL))
    print(f"seed {chosen.seed}", flush=True)
    for name in chosen.only.split(","):
        run, usual = SECTIONS[name]
        numbers = range(chosen.case, chosen.case + 1) if chosen.case is not None else range(chosen.cases or usual)
        for row in run(numbers, chosen.seed).rows():
            print(f"{name:<8} {row.what:<60} {row.value:>16}   {row.goal}", flush=True)


if __name__ == "__main__":
    main()
