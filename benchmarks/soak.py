"""An hour of scanning, ordering, filing and reading with random kills: what is left of it in memory and on disk.

python -m benchmarks.soak [--minutes 60] [--seed 20261127]
"""

import argparse
import random
import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import NamedTuple

from sqlalchemy import func, select, text

from benchmarks.faulting.desk import CLERK, VICTIMS, Desk
from benchmarks.faulting.rounds import SCENARIOS, Outcome, play
from benchmarks.table import Row
from papiermappe.services import mappen
from papiermappe.services.housekeeping import check, tidy_up
from papiermappe.services.mappen import KEPT_DAYS
from papiermappe.services.patience import patiently
from papiermappe.store.models import Delivery

LONG_AFTER = timedelta(days=KEPT_DAYS + 1)
TIDY_EVERY = 10
UNTOUCHED_SHARE = 0.35
"""In this last part of the time worker and web server are not killed, so that what they gather can be seen."""
QUIET_S = 6.0
MB = 1e6


class Usage(NamedTuple):
    """What the desk takes up while nothing is done."""

    memory_mb: float
    """Worker, its computing processes and the web server."""
    blobs_mb: float
    """Files of the store but the documents themselves, which stay."""
    database_mb: float
    processes: int
    open_files: int
    connections: int
    temporary: int
    """Files and folders in the temporary folder; each process has one there for itself."""


def main() -> None:
    """Use the desk for a while and print what is left of it."""
    options = argparse.ArgumentParser(description="What an hour of work and kills leaves behind.")
    options.add_argument("--minutes", type=float, default=60)
    options.add_argument("--seed", type=int, default=20261127)
    chosen = options.parse_args()
    print(f"seed {chosen.seed}", flush=True)
    rng = random.Random(chosen.seed)  # noqa: S311 (a soak that can be repeated)
    with tempfile.TemporaryDirectory() as folder:
        tempfile.tempdir = str(Path(folder, "tmp"))  # what is left there is seen
        Path(tempfile.tempdir).mkdir()
        with Desk(Path(folder)) as desk:
            outcomes, usages = soak(desk, chosen.minutes * 60, rng)
            problems = check(desk.store).problems
            for row in rows(outcomes, usages, [problem.code for problem in problems], _filed_wrongly(desk)):
                print(f"{row.what:<70} {row.value:>28}   {row.goal}")


def soak(desk: Desk, for_s: float, rng: random.Random) -> tuple[list[Outcome], list[Usage]]:
    """Return what came of each round, and what the desk took up: at first, before the last part, and at the end."""
    begin_s = time.monotonic()
    outcomes = [_round(desk, number, ("standin",), rng) for number in range(len(SCENARIOS))]
    usages = [_usage(desk)]
    while (spent := (time.monotonic() - begin_s) / for_s) < 1:
        untouched = spent > 1 - UNTOUCHED_SHARE
        if untouched and len(usages) == 1:
            usages.append(_usage(desk))
        victims = [victim for victim in VICTIMS if not (untouched and victim in {"worker", "web"})]
        outcomes.append(_round(desk, len(outcomes), (rng.choice(victims),), rng))
        if len(outcomes) % TIDY_EVERY == 0:
            _tidy_up(desk)
    return outcomes, [*usages, _usage(desk)]


def _round(desk: Desk, number: int, victims: tuple[str, ...], rng: random.Random) -> Outcome:
    scenario = list(SCENARIOS)[number % len(SCENARIOS)]
    outcome = play(desk, scenario, victims, rng)
    print(f"{number:>4} {scenario:<8} {victims[0]:<9} {outcome.faults or ''}", flush=True)
    patiently(lambda: mappen.clear(CLERK, desk.store, outcome.mappe))
    return outcome


def _tidy_up(desk: Desk) -> None:
    """Remove what would be removed when the cleared Mappen can no longer be taken back."""
    patiently(lambda: tidy_up(desk.store, datetime.now(UTC) + LONG_AFTER))


def _usage(desk: Desk) -> Usage:
    time.sleep(QUIET_S)
    _tidy_up(desk)
    with desk.store.engine.connect() as connection:
        connection.execution_options(isolation_level="AUTOCOMMIT").execute(text("vacuum full"))
    with desk.store.begin() as session:
        size = session.scalar(select(func.pg_database_size(func.current_database()))) or 0
        connections = session.scalar(text("select count(*) from pg_stat_activity where datname = current_database()"))
    kept = sum(file.stat().st_size for file in (desk.folder / "blobs").rglob("*") if file.is_file())
    documents = sum(file.stat().st_size for file in (desk.folder / "blobs" / "documents").rglob("*") if file.is_file())
    return Usage(
        memory_mb=desk.resident_bytes() / MB,
        blobs_mb=(kept - documents) / MB,
        database_mb=size / MB,
        processes=desk.count_processes(),
        open_files=desk.count_open_files(),
        connections=connections or 0,
        temporary=sum(1 for _ in (desk.folder / "tmp").rglob("*")),
    )


def _filed_wrongly(desk: Desk) -> list[str]:
    """Return which files in the destination are no documents, and which documents are not there."""
    with desk.store.begin() as session:
        wanted = set(session.scalars(select(Delivery.file_name)))
    there = {file.name for file in (desk.folder / "filed").iterdir()}
    return sorted(wanted ^ there)


def rows(outcomes: list[Outcome], usages: list[Usage], problems: list[str], filed_wrongly: list[str]) -> list[Row]:
    """Return the figures."""
    faulty = sum(bool(outcome.faults) for outcome in outcomes)
    table = [
        Row("rounds; with a fault", f"{len(outcomes)}; {faulty}", "0"),
        Row("`papiermappe check` at the end", f"{len(problems)} faults", "0"),
        Row("documents without a file, files without a document", f"{len(filed_wrongly)}", "0"),
    ]
    for name in Usage._fields:
        values = ", ".join(f"{getattr(usage, name):.0f}" for usage in usages)
        said = name.replace("_mb", ", MB").replace("_", " ")
        table.append(Row(f"{said}: at first, before the last part, at the end", values, "as at first"))
    return table


if __name__ == "__main__":
    main()
