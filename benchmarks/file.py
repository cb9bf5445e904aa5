"""How small, how exact, how searchable and how fast files are, on drawn pages whose truth is known.

python -m benchmarks.file [--share 1.0] [--seed 20261126]
                          [--only bilevel,levels,reading,second_reading,naming,counting,searching,opening,long,sizes]
"""

import argparse
from collections.abc import Callable

import cv2

from benchmarks.filing import (
    bilevel,
    counting,
    levels,
    long,
    naming,
    opening,
    reading,
    searching,
    second_reading,
    sizes,
)
from benchmarks.table import Row

SEED = 20261126
SECTIONS: dict[str, Callable[[float, int], list[Row]]] = {
    "bilevel": bilevel.measure,
    "levels": levels.measure,
    "reading": reading.measure,
    "second_reading": second_reading.measure,
    "naming": naming.measure,
    "counting": counting.measure,
    "searching": searching.measure,
    "opening": opening.measure,
    "long": long.measure,
    "sizes": sizes.measure,
}


def main() -> None:
    """Measure and print."""
    options = argparse.ArgumentParser(description="How small, exact, searchable and fast files are.")
    options.add_argument("--share", type=float, default=1.0, help="of the whole corpus")
    options.add_argument("--only", default=",".join(SECTIONS))
    options.add_argument("--seed", type=int, default=SEED)
    chosen = options.parse_args()
    cv2.setNumThreads(1)
    for name in chosen.only.split(","):
        for row in SECTIONS[name](chosen.share, chosen.seed):
            print(f"{name:<8} {row.what:<58} {row.value:>12}   {row.goal}", flush=True)


if __name__ == "__main__":
    main()
