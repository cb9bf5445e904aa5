"""Web server, worker and stand-in are killed in the middle of a run: nothing that was shown is lost."""

import json
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
import pytest
from sqlalchemy import select
from tests.browser.conftest import Stack
from tests.helpers import ANNA, PATIENCE_S, QUICK, WORDS

from papiermappe.local.postgres import PrivatePostgres
from papiermappe.services import mappen, runs
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.migration import migrate
from papiermappe.store.models import Capture, Page, RunState

SHEETS = ("lease", "delivery-118", "hail", "german", "invoice", "minutes")  # 9 sheets, 18 pages


@contextmanager
def watching(stack: Stack, mappe: int) -> Iterator[set[int]]:
    """Collect the pages that a window is shown as arrived, through the web server's events, for as long as it lives."""
    seen: set[int] = set()
    response = httpx.Client(trust_env=False, timeout=None)  # noqa: S113 (ends with the server, or at the end of the test)

    def watch() -> None:
        try:
            with response.stream("GET", f"{stack.url}/mappen/{mappe}/events") as events:
                for line in events.iter_lines():
                    if line.startswith('data: {"changes"'):
                        seen.update(page["id"] for page in json.loads(line.removeprefix("data: "))["changes"]["pages"])
        except (httpx.HTTPError, RuntimeError):
            pass

    threading.Thread(target=watch, daemon=True).start()
    yield seen
    response.close()


def assert_all_there(stack: Stack, shown: set[int]) -> None:
    """Every page that was shown is in the database and its capture on disk, byte for byte."""
    with stack.store.begin() as session:
        captures = session.scalars(
            select(Capture).join(Page, Page.capture_id == Capture.id).where(Page.id.in_(shown))
        ).all()
    assert len(captures) == len(shown)
    for capture in captures:
        assert sha256_of(stack.store.blobs.get(Blobs.capture_key(capture.sha256))) == capture.sha256


@pytest.mark.slow
@pytest.mark.parametrize("victim", ["worker", "web", "standin"])
@pytest.mark.parametrize("after_pages", [1, 8])
def test_killed_in_the_middle_of_a_run(victim: str, after_pages: int, stack: Stack, until: Callable[..., None]) -> None:
    stack.drawer.lay(*SHEETS)
    mappe = mappen.open_mappe(ANNA, stack.store, "Killed")
    with watching(stack, mappe) as shown:
        runs.start_run(ANNA, stack.store, mappe, stack.devices["zaunkoenig"], QUICK)
        until(lambda: len(shown) >= after_pages)
        stack.kill(victim)
        acknowledged = set(shown)
    assert_all_there(stack, acknowledged)
    stack.start_one(victim)
    until(lambda: not stack.desk(mappe).runs[-1].live)
    assert_all_there(stack, acknowledged)

    while stack.desk(mappe).runs[-1].state is RunState.INTERRUPTED:
        broken, so_far = runs.read_run(stack.store, stack.desk(mappe).runs[-1].id)
        assert broken.message is not None
        assert f"sheet {so_far.next}" in WORDS.text(broken.message).lower()
        lay_from(stack, so_far.next)
        runs.continue_run(ANNA, stack.store, broken.id)
        until(lambda: not stack.desk(mappe).runs[-1].live)
    now = stack.desk(mappe)
    assert now.runs[-1].state is RunState.DONE
    assert len(now.order) == 18
    until(lambda: stack.desk(mappe).analysed)
    with httpx.Client(trust_env=False) as client:
        page = now.pages[0]
        assert client.get(f"{stack.url}/pages/{page.id}/scan-{page.scan}-lane.jpg").status_code == 200


def lay_from(stack: Stack, sheet: int) -> None:
    """Do what the message says: put this sheet and those after it back into the feeder."""
    stack.drawer.reset("zaunkoenig")
    stack.drawer.lay(*SHEETS)
    papers = stack.drawer.feeder("zaunkoenig")[sheet - 1 :]
    stack.drawer.reset("zaunkoenig")
    for paper in papers:
        stack.drawer.lay_sheet("zaunkoenig", paper)


@pytest.mark.slow
def test_a_worker_killed_in_the_middle_of_a_page_leaves_it_to_the_next(
    stack: Stack, until: Callable[..., None]
) -> None:
    stack.drawer.lay("lease")
    mappe = mappen.open_mappe(ANNA, stack.store, "Killed")
    runs.start_run(ANNA, stack.store, mappe, stack.devices["zaunkoenig"], QUICK.model_copy(update={"dpi": 300}))
    until(lambda: stack.desk(mappe).pages)
    stack.kill("worker")
    stack.start_one("worker")
    until(lambda: stack.desk(mappe).pages and stack.desk(mappe).analysed)


@pytest.mark.slow
def test_two_workers_share_the_queue(stack: Stack, until: Callable[..., None]) -> None:
    second = stack.children["worker"].__class__(
        "second worker", ["worker"], stack.children["worker"].environment, stack.folder / "second.log"
    )
    second.start()
    try:
        stack.drawer.lay(*SHEETS)
        mappe = mappen.open_mappe(ANNA, stack.store, "Shared")
        runs.start_run(ANNA, stack.store, mappe, stack.devices["zaunkoenig"], QUICK)
        until(lambda: len(stack.desk(mappe).pages) == 18 and stack.desk(mappe).analysed)
        assert stack.desk(mappe).runs[0].state is RunState.DONE
    finally:
        second.stop()


@pytest.mark.slow
def test_a_database_that_goes_and_comes_back(
    tmp_path: Path, environment: dict[str, str], until: Callable[..., None]
) -> None:
    server = PrivatePostgres(tmp_path / "postgres")
    server.start()
    stack = None
    try:
        url = server.create_database("papiermappe")
        migrate(url)
        stack = Stack(url, tmp_path, environment)
        stack.start()
        stack.drawer.lay(*SHEETS)
        mappe = mappen.open_mappe(ANNA, stack.store, "Away")
        with watching(stack, mappe) as shown:
            runs.start_run(ANNA, stack.store, mappe, stack.devices["zaunkoenig"], QUICK)
            until(lambda: len(shown) >= 4)
            server.stop()
            acknowledged = set(shown)
        said = httpx.get(f"{stack.url}/", headers={"Accept": "text/html"}, trust_env=False, timeout=PATIENCE_S)
        assert said.status_code == 503
        assert "Everything that was shown as arrived is safe." in said.text
        time.sleep(4)  # the worker asks for work meanwhile, and gets no answer
        server.start()
        assert_all_there(stack, acknowledged)
        until(lambda: not stack.desk(mappe).runs[-1].live)
        assert stack.desk(mappe).runs[-1].state is RunState.DONE
        assert len(stack.desk(mappe).order) == 18
        until(lambda: stack.desk(mappe).analysed)
    finally:
        if stack:
            stack.stop()
            sys.stdout.write(stack.logs())
        server.stop()
