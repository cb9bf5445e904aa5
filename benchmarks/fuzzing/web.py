"""Odd requests: made up from the OpenAPI document, and raw ones that no document names."""

import random
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx
import schemathesis
from fastapi import FastAPI
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import seed as hypothesis_seed

from benchmarks.fuzzing.tally import Tally, megabytes, watched_peak
from papiermappe.devices.model import Reach
from papiermappe.local.postgres import PrivatePostgres
from papiermappe.services import mappen
from papiermappe.services.caller import Caller
from papiermappe.settings import Settings
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.migration import migrate
from papiermappe.web.app import create_app
from papiermappe.web.security import HEADERS

ORIGIN = {"Origin": "http://testserver", "Host": "testserver"}
LIMIT_S = 2.0
GROWTH_BYTES = 200_000_000
NOT_ASKED = {"POST /devices", "POST /destinations/trial"}
"""They would ask whatever address comes up, and wait for it; `benchmarks.fuzzing.devices` asks them."""
ODD = (
    "", "0", "-1", "1e3", "9" * 30, "2147483648", "%00", "%ff", "..%2f..%2fetc", "%2e%2e", "\u0661", "<script>", "'--",
    "null", "{}", "[]", "a" * 9000, "%0d%0aX:1", ";", "?", "#", "//", "%F0%9F%92%A9", "true", "NaN",
)  # fmt: skip
HEADER_NAMES = ("Origin", "Host", "Cookie", "Accept", "Idempotency-Key", "Last-Event-ID", "Content-Type", "Range")
HEADER_VALUES = (
    "", "x", "http://[", "null", "text/html", "application/json; charset=foo", "multipart/form-data", "bytes=0-1",
    "papiermappe_author=" + "z" * 9000, "testserver:99999", "1" * 40, "\xff\xfe", "a=b; a=c;;=", "gzip;q=x",
)  # fmt: skip
BODIES = (
    b"", b"{", b"null", b"[]", b"[" * 90_000, b'{"entry": 1e400}', b'{"entry": "\\ud800"}', b"\xff\xfe",
    b"{}" * 500_000,
    b'{"subject": null}', b'{"operation": {"kind": "turn"}, "seen": -1}', b"--x\r\n\r\n", b"a=%ff&subject=%00",
)  # fmt: skip


@contextmanager
def _application() -> Iterator[tuple[FastAPI, TestClient]]:
    """Yield the application with an open Mappe, on a database of its own."""
    with tempfile.TemporaryDirectory() as folder:
        server = PrivatePostgres(Path(folder) / "postgres", losable=True)
        server.start()
        try:
            url = server.create_database("fuzz")
            migrate(url)
            store = Store(url, Blobs.in_folder(Path(folder) / "blobs"))
            mappen.open_mappe(Caller("fuzz"), store, "Lease Upper Meadow")
            store.close()
            app = create_app(
                Settings(data_dir=Path(folder), allowed_hosts=("testserver",), discovery=Reach.NOWHERE), url
            )
            with TestClient(app, raise_server_exceptions=False, follow_redirects=False) as client:
                yield app, client
        finally:
            server.stop()


def run(numbers: range, seed: int) -> Tally:
    """Ask odd things: half of the cases by the document, half raw."""
    tally = Tally()
    with _application() as (app, client):
        # The tool keeps what it makes of the document, once for each operation: that is no growth of the application.
        _by_the_document(app, Tally(), len(app.openapi()["paths"]) * 2, seed + 1)
        return _watched(app, client, numbers, seed, tally)


def _watched(app: FastAPI, client: TestClient, numbers: range, seed: int, tally: Tally) -> Tally:
    with watched_peak() as risen:
        half = len(numbers) // 2
        _by_the_document(app, tally, half, seed)
        paths = [path.replace("{", "").replace("}", "") for path in app.openapi()["paths"]]
        for case in numbers[half:]:
            rng = random.Random(f"{seed}-{case}")  # noqa: S311 (cases that can be made again)
            _judge(tally, f"{case} raw", lambda rng=rng: _raw(client, rng, paths))
        if risen() > GROWTH_BYTES:
            tally.wrong.append(f"memory rose by {megabytes(risen())}")
    return tally


def _by_the_document(app: FastAPI, tally: Tally, cases: int, seed: int) -> None:
    document = schemathesis.openapi.from_asgi("/openapi.json", app, headers={"Host": "testserver"})
    operations: list[Any] = [found.ok() for found in document.get_all_operations()]  # type: ignore[union-attr]  # an error ends the run
    asked = [operation for operation in operations if operation.label not in NOT_ASKED]
    for operation in asked:
        label, each = operation.label, max(1, cases // len(asked))

        @hypothesis_seed(seed)
        @given(case=operation.as_strategy())
        @settings(max_examples=each, deadline=None, database=None, suppress_health_check=list(HealthCheck))
        def ask(case: Any) -> None:
            _judge(tally, label, lambda: case.call(headers=ORIGIN))  # noqa: B023 (called within its round)

        ask()


def _raw(client: TestClient, rng: random.Random, paths: list[str]) -> Any:
    parts = rng.choice([*paths, "/", "/static/x", "/mappen/1/order"]).split("/")
    for _ in range(rng.randrange(3)):
        parts[rng.randrange(len(parts))] = rng.choice([*ODD, "1"])
    query = f"?{rng.choice(['find', 'since', 'page', 'order', 'x'])}={rng.choice(ODD)}" if rng.random() < 0.4 else ""
    headers: dict[str, str | bytes] = dict(ORIGIN)
    for _ in range(rng.randrange(3)):
        headers[rng.choice(HEADER_NAMES)] = rng.choice(HEADER_VALUES).encode("latin-1", "replace")
    method = rng.choice(["GET", "POST", "POST", "PUT", "HEAD", "OPTIONS", "DELETE", "TRACE", "PATCH"])
    path = "/" + "/".join(parts).lstrip("/")
    content = rng.choice(BODIES) if method not in {"GET", "HEAD"} else None
    if path.startswith("/devices") and method == "POST":
        method = "GET"
    try:
        return client.request(method, path + query, content=content, headers=headers)  # type: ignore[arg-type]  # bytes are headers, too
    except (httpx.InvalidURL, httpx.LocalProtocolError, UnicodeError):
        return httpx.Response(400, headers=HEADERS)  # the client itself does not send such a thing


def _judge(tally: Tally, case: str, ask: Any) -> None:
    tally.cases += 1
    answers: list[Any] = []
    began_s = time.monotonic()
    tally.attempt(case, LIMIT_S, lambda: answers.append(ask()))
    for answer in answers:
        if answer.status_code == 500 or answer.status_code > 503:
            tally.wrong.append(f"{case}: answered {answer.status_code} after {time.monotonic() - began_s:.1f} s")
        names = {str(name).lower() for name in answer.headers}
        if missing := [name for name in HEADERS if name.lower() not in names]:
            tally.wrong.append(f"{case}: {answer.status_code} without {missing[0]}")
