"""How well and how fast pages are understood and made good, on drawn pages whose truth is known.

python -m benchmarks.clean [--share 1.0] [--only skew,sheet] [--seed 20261124] [--sheet contact.jpg]
"""

import argparse
from collections.abc import Callable
from pathlib import Path

import cv2

from benchmarks.cleaning import (
    backs,
    colours,
    contact,
    fills,
    gutters,
    margins,
    paces,
    recurring,
    rims,
    second_hand,
    sheets,
    skews,
    spreads,
    uprights,
)
from benchmarks.table import Row

SEED = 20261124
SECTIONS: dict[str, Callable[[float, int], list[Row]]] = {
    "skew": skews.measure,
    "sheet": sheets.measure,
    "second": second_hand.measure,
    "upright": uprights.measure,
    "blank": backs.measure,
    "colour": colours.measure,
    "gutter": gutters.measure,
    "spreads": spreads.measure,
    "margins": margins.measure,
    "recurring": recurring.measure,
    "fills": fills.measure,
    "rims": rims.measure,
    "pace": paces.measure,
}


def main() -> None:
    """Measure and print."""
    options = argparse.ArgumentParser(description="How well and how fast pages are understood and made good.")
    options.add_argument("--share", type=float, default=1.0, help="of the whole corpus")
    options.add_argument("--only", default=",".join(SECTIONS))
    options.add_argument("--seed", type=int, default=SEED)
    options.add_argument("--sheet", type=Path, help="write a picture of pages before and after, and of what was found")
    chosen = options.parse_args()
    cv2.setNumThreads(1)
    if chosen.sheet:
        contact.write(chosen.sheet, chosen.seed)
        return
    for name in chosen.only.split(","):
        for row in SECTIONS[name](chosen.share, chosen.seed):
            print(f"{name:<8} {row.what:<46} {row.value:>12}   {row.goal}", flush=True)


if __name__ == "__main__":
    main()
