"""How well the station Order proposes: fronts and backs put together, dividers found, post cut into documents.

Run `python -m benchmarks.order [pairs] [habit] [dividers] [documents] [--share 0.1] [--seed 311]`; the whole takes
some hours on two cores.
"""

import argparse

from benchmarks.ordering.dividing import divider_rows
from benchmarks.ordering.documents import document_rows
from benchmarks.ordering.pairings import habit_rows, pairing_rows

PARTS = {"pairs": pairing_rows, "habit": habit_rows, "dividers": divider_rows, "documents": document_rows}


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("parts", nargs="*", help=f"of {', '.join(PARTS)}; all where none is named")
    parser.add_argument("--share", type=float, default=1.0, help="of the piles")
    parser.add_argument("--seed", type=int, default=311)
    options = parser.parse_args()
    for part in options.parts or PARTS:
        for row in PARTS[part](options.share, options.seed):
            print(f"{row.what:70} {row.value:>12}  {row.goal}", flush=True)


if __name__ == "__main__":
    main()
