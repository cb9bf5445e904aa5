"""How well the station Order proposes: fronts and backs put together.

Run `python -m benchmarks.order [--share 0.1] [--seed 311]`; the whole takes about 40 minutes on two cores.
"""

import argparse

from benchmarks.ordering.pairings import pairing_rows


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--share", type=float, default=1.0, help="of the piles")
    parser.add_argument("--seed", type=int, default=311)
    options = parser.parse_args()
    for row in pairing_rows(options.share, options.seed):
        print(f"{row.what:70} {row.value:>12}  {row.goal}")


if __name__ == "__main__":
    main()
