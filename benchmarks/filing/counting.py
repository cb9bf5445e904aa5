"""Names under one counter: many processes that file at once."""

import time
from concurrent.futures import ProcessPoolExecutor
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

import psycopg
from benchmarks.database import private_database
from benchmarks.table import Row, scaled
from sqlalchemy import select

from papiermappe.services import destinations, filing
from papiermappe.services.caller import Caller
from papiermappe.services.filing import FilingRequest
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Delivery

FILINGS, CLERKS = 1000, 10
NOW = datetime(2026, 11, 28, 12, tzinfo=UTC)

_MAPPEN = """
insert into mappe (subject) select 'Weigh ticket' from generate_series(1, %(clerks)s);
insert into run (mappe_id, number, origin, state) select id, 1, 'files', 'done' from mappe;
insert into capture (run_id, file_name, file_page, sha256, media_type, byte_size, width_px, height_px, dpi)
    select id, 'ticket.jpg', 1, repeat('a', 64), 'image/jpeg', 1000, 2480, 3508, 300 from run;
insert into page (mappe_id, capture_id, rank, side, treatment, revision, content_revision)
    select run.mappe_id, capture.id, 1, 'front', '{}', 1, 1 from capture join run on run.id = capture.run_id;
"""


def measure(share: float, _seed: int) -> list[Row]:
    """Return the figures."""
    each = scaled(FILINGS // CLERKS, share)
    with private_database("counted") as (url, folder):
        with psycopg.connect(url) as connection:
            for statement in _MAPPEN.split(";\n"):
                if statement.strip():
                    connection.execute(statement.replace("%(clerks)s", str(CLERKS)).encode())
        store = Store(url, Blobs.in_folder(folder / "blobs"))
        place = destinations.add_folder(Caller("chief"), store, "Tickets", folder / "tickets")
        began_s = time.perf_counter()
        with ProcessPoolExecutor(CLERKS) as clerks:
            list(clerks.map(partial(_file, url, folder, place, each), range(1, CLERKS + 1)))
        took_s = time.perf_counter() - began_s
        with store.begin() as session:
            names = session.scalars(select(Delivery.file_name)).all()
        store.close()
    numbers = sorted(int(name.rpartition("_")[2].removesuffix(".pdf")) for name in names)
    gaps = len(set(range(1, numbers[-1] + 1)) - set(numbers))
    return [
        Row(f"{CLERKS} processes file {each} documents each: names", f"{len(names)}", f"{CLERKS * each}"),
        Row("names given twice", f"{len(names) - len(set(names))}", "0"),
        Row("numbers left out", f"{gaps}", "0"),
        Row("filings requested a second, by all of them", f"{len(names) / took_s:.0f}"),
    ]


def _file(url: str, folder: Path, place: int, count: int, mappe: int) -> None:
    store = Store(url, Blobs.in_folder(folder / "blobs"))
    for _ in range(count):
        filing.request_filing(Caller(f"clerk {mappe}"), store, mappe, FilingRequest((place,)), NOW)
    store.close()
