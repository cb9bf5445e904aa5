"""A whole desk of processes that are killed and started again, and a window that watches it."""

import contextlib
import json
import os
import signal
import threading
import time
import uuid
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
from tests.helpers import Drawer

from benchmarks.processes import children_of, family
from papiermappe.demo import places_of
from papiermappe.devices.escl import Limits
from papiermappe.local.ports import free_run
from papiermappe.local.postgres import PrivatePostgres
from papiermappe.local.processes import Child, Supervisor
from papiermappe.services import destinations, devices
from papiermappe.services.caller import Caller
from papiermappe.standin.places.postbox import Postbox
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.migration import migrate
from papiermappe.store.secrets import SecretBox

CLERK = Caller("clerk")
VICTIMS = ("worker", "web", "standin", "database", "pool")
LOOK_EVERY_S = 0.5
READY_S = 30.0
COMMAND_S = 60.0
PAGE_BYTES = 4096


class Desk:
    """PostgreSQL, stand-in, worker and web server of one folder, looked after as `papiermappe run` does it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.server = PrivatePostgres(folder / "postgres")
        self.server.start()
        database_url = self.server.create_database("papiermappe")
        migrate(database_url)
        self.store = Store(database_url, Blobs.in_folder(folder / "blobs"))
        web_port, standin_port = free_run(1, 24_000), free_run(4, 25_000)
        self.url = f"http://127.0.0.1:{web_port}"
        self.drawer = Drawer(standin_port)
        self.places_port = free_run(3, 25_100)
        self.postbox = Postbox(folder / "mail")
        environment = {
            **os.environ,
            "PAPIERMAPPE_DATABASE_URL": database_url, "PAPIERMAPPE_DATA_DIR": str(folder),
            "PAPIERMAPPE_PORT": str(web_port), "PAPIERMAPPE_READS_AHEAD": "false",
            "PAPIERMAPPE_DISCOVERY": "nowhere",
        }  # fmt: skip
        standin = ["standin", "--port", str(standin_port), "--pace", "0.3", "--paper", str(folder / "paper.json")]
        places = ["standin-places", "--port", str(self.places_port), "--folder", str(folder / "mail")]
        self._children = {
            name: Child(name, arguments, environment, folder / f"{name}.log")
            for name, arguments in (("standin", standin), ("places", places), ("worker", ["worker"]), ("web", ["web"]))
        }
        self._supervisor = Supervisor(list(self._children.values()), lambda _: None)
        self._over = threading.Event()
        self._guard = threading.Thread(target=self._look_after)

    def __enter__(self) -> "Desk":
        self._supervisor.start()
        self._wait_until_ready()
        self._guard.start()
        self.device = devices.add_device(CLERK, self.store, self.drawer.escl("zaunkoenig"), Limits())
        self.place = destinations.add_folder(CLERK, self.store, "Filed", self.folder / "filed")
        secrets = SecretBox.kept(self.folder, None)
        self.board, self.bucket = (
            destinations.add_destination(CLERK, self.store, wanted, secrets) for wanted in places_of(self.places_port)
        )
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._guard.join()
        self._supervisor.stop()
        self.drawer.close()
        self.store.close()
        self.server.stop()

    def kill(self, victim: str) -> None:
        """SIGKILL, without a word before it."""
        match victim:
            case "database":
                pids = [int((self.folder / "postgres" / "cluster" / "postmaster.pid").read_text().split()[0])]
            case "pool":
                pids = _computing(self._pid("worker"))[:1]
            case _:
                pids = [self._pid(victim)]
        for pid in pids:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)

    def resident_bytes(self) -> int:
        """Return the memory of worker and web server."""
        return sum(
            int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * PAGE_BYTES
            for pid in family([self._pid(name) for name in ("worker", "web")])
        )

    def count_processes(self) -> int:
        """Return how many processes the desk has, those of its database left out."""
        return sum(1 for _ in family([self._pid(name) for name in self._children]))

    def count_open_files(self) -> int:
        """Return how many files and sockets they hold open."""
        pids = family([self._pid(name) for name in self._children])
        return sum(1 for pid in pids for _ in Path(f"/proc/{pid}/fd").iterdir())

    def command(self, path: str, body: object = None) -> Any:
        """Send a command as a window does: twice, with one request id, and until it is answered."""
        headers = {"Origin": self.url, "Idempotency-Key": str(uuid.uuid4()), "Cookie": "papiermappe_author=" + "f" * 30}
        answers: list[httpx.Response] = []
        until_s = time.monotonic() + COMMAND_S
        while len(answers) < 2:
            try:
                answer = httpx.post(self.url + path, json=body or {}, headers=headers, trust_env=False, timeout=20)
            except httpx.TransportError:
                answer = None
            if answer is not None and answer.status_code != 503:
                answers.append(answer)
            elif time.monotonic() > until_s:
                raise TimeoutError(path)
            else:
                time.sleep(0.2)
        if answers[0].status_code != answers[1].status_code or _said(answers[0]) != _said(answers[1]):
            raise RuntimeError(f"{path}: two answers to one command: {answers[0].text}, {answers[1].text}")
        if answers[0].status_code != 200:
            raise RuntimeError(f"{path}: {answers[0].text}")
        return answers[0].json()

    def _pid(self, name: str) -> int:
        process = self._children[name].process
        return process.pid if process else 0

    def _look_after(self) -> None:
        while not self._over.wait(LOOK_EVERY_S):
            if not self.server.alive:
                self.server.stop()
                self.server.start()
            for child in self._children.values():
                child.restarted_s.clear()  # what is killed on purpose does not count
            self._supervisor.look_after()

    def _wait_until_ready(self) -> None:
        self.drawer.wait()
        until_s = time.monotonic() + READY_S
        while time.monotonic() < until_s:
            with contextlib.suppress(httpx.TransportError):
                page = f"http://127.0.0.1:{self.places_port}/"
                if all(httpx.get(url, trust_env=False).status_code == 200 for url in (f"{self.url}/health", page)):
                    return
            time.sleep(0.05)
        raise TimeoutError("the desk does not start")


def _computing(worker: int) -> list[int]:
    """Return the processes that compute for the worker: those of its fork servers."""
    found = []
    for server in children_of(worker):
        found += [child for child in children_of(server) if child]
    return found


class Window:
    """A window on a Mappe: what it has been shown, and when."""

    def __init__(self, desk: Desk, mappe: int) -> None:
        self._url = f"{desk.url}/mappen/{mappe}/events"
        self._http = httpx.Client(trust_env=False, timeout=httpx.Timeout(10, read=30))
        self._over = False
        self.shown: set[int] = set()
        self.moments_s: list[float] = []
        """When something changed that a person sees: a page or its place, the state of a run, a filing."""
        self._last: dict[str, Any] = {}
        threading.Thread(target=self._watch, daemon=True).start()

    def close(self) -> None:
        """Stop watching."""
        self._over = True

    def _watch(self) -> None:
        while not self._over:
            with contextlib.suppress(httpx.HTTPError, OSError):
                for event in self._events():
                    self._take(event)
            time.sleep(0.3)

    def _events(self) -> Iterator[dict[str, Any]]:
        with self._http.stream("GET", self._url) as answer:
            for line in answer.iter_lines():
                if self._over:
                    return
                if line.startswith('data: {"changes"'):
                    yield json.loads(line.removeprefix("data: "))["changes"]

    def _take(self, changes: dict[str, Any]) -> None:
        fresh = {page["id"] for page in changes["pages"]} - self.shown
        self.shown |= fresh
        seen: dict[str, object] = {f"run {run['id']}": (run["state"], run["pages"]) for run in changes["runs"]}
        seen |= {
            f"filing {row['id']}": (row["state"], row["pages_done"], str(row["deliveries"]))
            for row in changes["filings"]
        }
        seen |= {f"page {page['id']}": (page["rank"], page["set_aside"]) for page in changes["pages"]}
        told = any(self._last.get(name) != value for name, value in seen.items())
        self._last.update(seen)
        if fresh or told:
            self.moments_s.append(time.monotonic())


def _said(answer: httpx.Response) -> Any:
    """Return what a command was answered, without the places of pages, which are told as they are now."""
    said = answer.json() if answer.content else None
    return {name: value for name, value in said.items() if name != "places"} if isinstance(said, dict) else said
