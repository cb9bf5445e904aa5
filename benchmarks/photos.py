"""How well photos become pages: corners, straightness, what is taken by itself, cost, text.

python -m benchmarks.photos [--share 1.0] [--only corners,capture] [--seed 20261129]
"""

import argparse
from collections.abc import Callable

import cv2

from benchmarks.photographing import capturing, corners, costs, curls, flatness
from benchmarks.table import Row

SEED = 20261129
SECTIONS: dict[str, Callable[[float, int], list[Row]]] = {
    "cost": costs.measure,
    "capture": capturing.measure,
    "skew": flatness.measure,
    "curl": curls.measure,
    "corners": corners.measure,
}


def main() -> None:
    """Measure and print."""
    options = argparse.ArgumentParser(description="How well photos become pages.")
    options.add_argument("--share", type=float, default=1.0, help="of the whole corpus")
    options.add_argument("--only", default=",".join(SECTIONS))
    options.add_argument("--seed", type=int, default=SEED)
    chosen = options.parse_args()
    cv2.setNumThreads(1)
    for name in chosen.only.split(","):
        for row in SECTIONS[name](chosen.share, chosen.seed):
            print(f"{name:<8} {row.what:<56} {row.value:>16}   {row.goal}", flush=True)


if __name__ == "__main__":
    main()
