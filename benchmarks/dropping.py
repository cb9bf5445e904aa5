"""Files dropped into a watched folder while processes are killed: each in exactly one Mappe, or in what failed.

Files are written in pieces, some are broken, some come ten at once, some lie in sub-folders.

    python -m benchmarks.dropping [--files 200] [--kills 10] [--seed 20261127]
"""

import argparse
import io
import random
import tempfile
import threading
import time
from pathlib import Path

import numpy as np
from PIL import Image
from sqlalchemy import func, select

from benchmarks.faulting.desk import Desk
from benchmarks.table import Row
from papiermappe.services import watching
from papiermappe.services.caller import MACHINE
from papiermappe.services.housekeeping import check
from papiermappe.store.models import Capture, IncomingFile, Mappe, Page, Run

VICTIMS = ("worker", "worker", "web", "database", "pool")
BROKEN_SHARE = 0.1
PATIENCE_S = 300.0


def main() -> None:
    """Drop, kill, count and print."""
    options = argparse.ArgumentParser(description="Files dropped while processes are killed.")
    options.add_argument("--files", type=int, default=200)
    options.add_argument("--kills", type=int, default=10)
    options.add_argument("--seed", type=int, default=20261127)
    chosen = options.parse_args()
    print(f"seed {chosen.seed}", flush=True)
    rng = random.Random(chosen.seed)  # noqa: S311 (a run that can be played again)
    with tempfile.TemporaryDirectory() as folder, Desk(Path(folder)) as desk:
        watching.watch_folder(MACHINE, desk.store, "copier", [str(Path(folder) / "watched")])
        dropped = Path(folder) / "watched" / "copier"
        files = {f"{_place(rng)}{number:04}.png": rng.random() >= BROKEN_SHARE for number in range(chosen.files)}
        writer = threading.Thread(target=_drop, args=(dropped, files, rng.random()))
        began_s = time.monotonic()
        writer.start()
        for _ in range(chosen.kills):
            time.sleep(rng.uniform(1.0, 6.0))
            desk.kill(rng.choice(VICTIMS))
        writer.join()
        _until_put_away(dropped, began_s)
        took_s = time.monotonic() - began_s
        for row in [*_judged(desk, dropped, files), Row("until the last file was put away", f"{took_s:.0f} s")]:
            print(f"{row.what:<60} {row.value:>12}   {row.goal}")


def _place(rng: random.Random) -> str:
    return rng.choice(("", "", "leases/", "members/letters/"))


def _drop(folder: Path, files: dict[str, bool], seed: float) -> None:
    """Write files in pieces, some of them at the same time."""
    rng = random.Random(seed)  # noqa: S311 (a run that can be played again)
    waiting = list(files.items())
    while waiting:
        count = rng.choice((1, 1, 3, 10))
        together, waiting = waiting[:count], waiting[count:]
        halves = []
        for name, is_whole in together:
            data = _picture(rng.randrange(1 << 30)) if is_whole else b"torn " * rng.randrange(1, 4000)
            path = folder / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data[: len(data) // 2])
            halves.append((path, data[len(data) // 2 :]))
        time.sleep(rng.uniform(0.0, 0.6))
        for path, rest in halves:
            with path.open("ab") as file:
                file.write(rest)


def _picture(seed: int) -> bytes:
    grain = np.random.default_rng(seed).integers(0, 255, (300, 200), np.uint8)
    out = io.BytesIO()
    Image.fromarray(grain).save(out, "PNG", dpi=(50, 50))
    return out.getvalue()


def _until_put_away(folder: Path, began_s: float) -> None:
    while time.monotonic() - began_s < PATIENCE_S:
        left = [path for path in folder.rglob("*.png") if path.relative_to(folder).parts[0] not in {"done", "failed"}]
        if not left:
            return
        time.sleep(0.5)


def _judged(desk: Desk, folder: Path, files: dict[str, bool]) -> list[Row]:
    whole = [name for name, is_whole in files.items() if is_whole]
    broken = [name for name, is_whole in files.items() if not is_whole]
    with desk.store.begin() as session:
        counted = (
            select(IncomingFile.source_path, func.count(Page.id))
            .join(Run, Run.id == IncomingFile.run_id)
            .outerjoin(Capture, Capture.run_id == Run.id)
            .outerjoin(Page, Page.capture_id == Capture.id)
            .group_by(IncomingFile.source_path)
        )
        pages = {row[0]: row[1] for row in session.execute(counted)}
        mappen = session.scalar(select(func.count()).select_from(Mappe)) or 0
        live = session.scalar(select(func.count()).where(Run.ended_at.is_(None))) or 0
    once = sum(pages.get(name) == 1 for name in whole)
    in_done = sum((folder / "done" / name).is_file() for name in whole)
    in_failed = sum(
        (folder / "failed" / name).is_file() and (folder / "failed" / f"{name}.txt").is_file() for name in broken
    )
    return [
        Row("files that are whole; each one page in one Mappe", f"{len(whole)}; {once}", "all"),
        Row("of them put away as done", str(in_done), "all"),
        Row("files that are broken; put away with the reason", f"{len(broken)}; {in_failed}", "all"),
        Row("Mappen; files", f"{mappen}; {len(files)}", "as many"),
        Row("runs that have not ended", str(live), "0"),
        Row("problems that `papiermappe check` finds", str(len(check(desk.store).problems)), "0"),
    ]


if __name__ == "__main__":
    main()
