"""SIGKILL at random moments over scanning, filing, reading and ordering: what is lost, doubled, stuck or said wrong.

python -m benchmarks.faults [--rounds 200] [--seed 20261127] [--round 17] [--only sending]
python -m benchmarks.faults --devices [--sheets 10]   (faults of the device at every sheet of a run, as a table)
"""

import argparse
import random
import statistics
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path

from benchmarks.faulting.at_sheet import SOURCES, at_sheet
from benchmarks.faulting.desk import VICTIMS, Desk
from benchmarks.faulting.rounds import SCENARIOS, Outcome, play
from benchmarks.table import Row
from papiermappe.services.housekeeping import check, tidy_up

PAIRS_SHARE = 0.3


def main() -> None:
    """Play the rounds and print what came of them."""
    options = argparse.ArgumentParser(description="What is lost when processes are killed.")
    options.add_argument("--rounds", type=int, default=200)
    options.add_argument("--seed", type=int, default=20261127)
    options.add_argument("--round", type=int, help="this one alone")
    options.add_argument("--only", choices=list(SCENARIOS), help="this kind of rounds alone")
    options.add_argument("--devices", action="store_true", help="what goes wrong at the device, at every sheet")
    options.add_argument("--sheets", type=int, default=10)
    chosen = options.parse_args()
    if chosen.devices:
        at_every_sheet(chosen.sheets)
        return
    numbers = [chosen.round] if chosen.round is not None else list(range(chosen.rounds))
    print(f"seed {chosen.seed}", flush=True)
    outcomes: list[Outcome] = []
    with tempfile.TemporaryDirectory() as folder, Desk(Path(folder)) as desk:
        for number in numbers:
            rng = random.Random(f"{chosen.seed}-{number}")  # noqa: S311 (rounds that can be played again)
            scenario = chosen.only or list(SCENARIOS)[number % len(SCENARIOS)]
            victims = tuple(rng.sample(VICTIMS, 2 if rng.random() < PAIRS_SHARE else 1))
            began_s = time.monotonic()
            outcome = play(desk, scenario, victims, rng)
            outcomes.append(outcome)
            back = "-" if outcome.recovery_s is None else f"{outcome.recovery_s:.1f} s"
            took_s = time.monotonic() - began_s
            who = f"{number:>4} {scenario:<8} {'+'.join(victims):<18}"
            print(f"{who} {back:>7} of {took_s:.0f} s  {outcome.faults or ''}", flush=True)
        tidy_up(desk.store, datetime.now(UTC))
        found = check(desk.store).problems
    for row in rows(outcomes, [problem.code for problem in found]):
        print(f"{row.what:<70} {row.value:>20}   {row.goal}")


def at_every_sheet(sheets: int) -> None:
    """Have each fault of the device at each sheet of a run, and print a table of what came of it."""
    with tempfile.TemporaryDirectory() as folder, Desk(Path(folder)) as desk:
        print(f"{'fault':<24} at sheet 1 to {sheets}: a full stop where all pages came once and the message was right")
        for source, faults in SOURCES.items():
            for fault in faults:
                outcomes = [at_sheet(desk, source, fault, sheet, sheets) for sheet in range(1, sheets + 1)]
                marks = "".join("x" if outcome else "." for outcome in outcomes)
                wrong = [outcome for outcome in outcomes if outcome]
                print(f"{source + ', ' + fault:<24} {marks}  {wrong or ''}", flush=True)
        tidy_up(desk.store, datetime.now(UTC))
        print(f"`papiermappe check` afterwards: {len(check(desk.store).problems)} faults")


def rows(outcomes: list[Outcome], found: list[str]) -> list[Row]:
    """Return the figures."""
    back_s = sorted(outcome.recovery_s for outcome in outcomes if outcome.recovery_s is not None)
    faulty = sum(bool(outcome.faults) for outcome in outcomes)
    return [
        Row("rounds; with a fault", f"{len(outcomes)}; {faulty}", "0"),
        Row("rounds in which something was left to be shown after the kill", f"{len(back_s)}"),
        Row(
            "from a kill until a window shows progress or what to do, median",
            f"{statistics.median(back_s or [0]):.1f} s",
            "5 s",
        ),
        Row("from a kill until a window shows progress or what to do, worst", f"{max(back_s or [0]):.1f} s", "15 s"),
        Row("`papiermappe check` afterwards", f"{len(found)} faults", "0"),
    ]


if __name__ == "__main__":
    main()
