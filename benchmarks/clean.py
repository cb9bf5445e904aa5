"""How well and how fast pages are understood, on drawn pages whose truth is known.

python -m benchmarks.clean [--pages 220]
"""

import argparse
import statistics
import time
from collections import defaultdict

import cv2
import numpy as np

from benchmarks.corpus import DPI, pages_without_print, skewed_pages
from papiermappe.core.clean import estimate_skew

SEED = 20261124


def main() -> None:
    """Measure and print."""
    options = argparse.ArgumentParser(description="How well and how fast pages are understood.")
    options.add_argument("--pages", type=int, default=220)
    options.add_argument("--seed", type=int, default=SEED)
    chosen = options.parse_args()
    cv2.setNumThreads(1)
    _skew(chosen.pages, chosen.seed)


def _skew(count: int, seed: int) -> None:
    errors: dict[str, list[float]] = defaultdict(list)
    off: list[float] = []
    sure: list[bool] = []
    times_ms: list[float] = []
    for page in skewed_pages(count, 15.0, seed):
        start_s = time.perf_counter()
        found = estimate_skew(page.pixels, DPI)
        times_ms.append(1000 * (time.perf_counter() - start_s))
        off.append(abs(found.skew_deg - page.skew_deg))
        errors[page.kind].append(off[-1])
        sure.append(found.confidence >= 0.5)
    empty = [estimate_skew(page.pixels, DPI).confidence for page in pages_without_print(count // 4, seed)]
    every = np.array(off)
    confident = every[np.array(sure)]
    print(f"skew, {count} print pages, +-15 degrees")
    for name, value in (
        ("mean error", f"{every.mean():.4f}"),
        ("within 0.05", f"{100 * (every <= 0.05).mean():.1f} %"),
        ("over 0.1 though sure", f"{int((confident > 0.1).sum())}"),
        ("sure", f"{100 * np.mean(sure):.1f} %"),
        ("no print: highest confidence", f"{max(empty):.2f}"),
        ("median time", f"{statistics.median(times_ms):.0f} ms"),
        ("worst time", f"{max(times_ms):.0f} ms"),
    ):
        print(f"  {name:<32} {value}")
    for kind, of_kind in errors.items():
        print(f"    {kind:<22} mean {np.mean(of_kind):.4f}  worst {max(of_kind):.3f}")


if __name__ == "__main__":
    main()
