"""Starting and stopping a whole desk on this machine."""

import fcntl
import os
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx

from papiermappe.devices.model import Reach
from papiermappe.local.errors import CannotStart
from papiermappe.local.ports import free_run, is_free
from papiermappe.local.postgres import PrivatePostgres
from papiermappe.local.processes import Child, Supervisor
from papiermappe.local.stop_signal import StopSignal
from papiermappe.services import destinations
from papiermappe.services.caller import MACHINE
from papiermappe.settings import Settings
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.migration import migrate

SCANNER_PORTS, PLACES_PORTS = 4, 3
READY_S = 40.0
Say = Callable[[str], None]


class LocalDesk:
    """PostgreSQL, stand-in scanners, worker and web server of one folder.

    Args:
        settings: where and on which port.
        environment: of the child processes.
        with_standin: whether to start stand-in scanners too.
        standin_pace: time factor; 1 is the speed of the scanners.
        say: prints a line for the person.
    """

    def __init__(
        self,
        settings: Settings,
        environment: dict[str, str],
        with_standin: bool,
        standin_pace: float,
        say: Say,
    ) -> None:
        self.settings = settings
        self._environment = environment
        self._with_standin = with_standin
        self._pace = standin_pace
        self._say = say
        self.standin_port = 0
        self.database_url = ""

    @property
    def url(self) -> str:
        """The address of the web server."""
        return f"http://{self.settings.host}:{self.settings.port}"

    def run(self, prepare: Callable[["LocalDesk"], None] | None = None) -> None:
        """Start everything, wait for Ctrl-C, stop everything.

        Args:
            prepare: called when everything runs, before the address is printed.

        Raises:
            CannotStart: something is missing or taken.
        """
        stop = StopSignal()
        stop.listen()
        data_dir = self.settings.data_dir
        _make_folder(data_dir)
        with _sole_use(data_dir):
            if not is_free(self.settings.port):
                raise CannotStart("port_taken", port=self.settings.port)
            with self._database(data_dir) as server:
                supervisor = Supervisor(self._children(data_dir), self._say)
                try:
                    supervisor.start()
                    self._wait_until_ready(stop)
                    if prepare and not stop.has_come:
                        prepare(self)
                    if not stop.has_come:
                        self._say(f"\nPapiermappe is at {self.url}\nCtrl-C stops it.")
                    while not stop.wait(0.5):
                        if server and not server.alive:
                            self._say("The database has ended by itself and is started again.")
                            server.stop()
                            server.start()
                        supervisor.look_after()
                finally:
                    self._say("Stopping…")
                    supervisor.stop()

    @contextmanager
    def _database(self, data_dir: Path) -> Iterator[PrivatePostgres | None]:
        """Migrate the database of the settings, or a private one whose server is yielded."""
        if self.settings.database_url:
            self.database_url = str(self.settings.database_url)
            migrate(self.database_url)
            yield None
            return
        server = PrivatePostgres(data_dir / "postgres")
        try:
            server.start()
            self.database_url = server.create_database("papiermappe")
            migrate(self.database_url)
            yield server
        finally:
            server.stop()

    def _children(self, data_dir: Path) -> list[Child]:
        logs = data_dir / "logs"
        logs.mkdir(exist_ok=True)
        environment = {
            **self._environment,
            "PAPIERMAPPE_DATABASE_URL": self.database_url,
            "PAPIERMAPPE_DATA_DIR": str(data_dir),
            "PAPIERMAPPE_PORT": str(self.settings.port),
        }
        children = []
        if self._with_standin:
            self.standin_port = _kept_port(data_dir / "standin-port", SCANNER_PORTS + PLACES_PORTS)
            arguments = [
                "standin",
                "--port",
                str(self.standin_port),
                "--pace",
                str(self._pace),
                "--paper",
                str(data_dir / "standin-paper.json"),
                "--announce",
            ]
            environment.setdefault("PAPIERMAPPE_DISCOVERY", Reach.LOOPBACK.value)
            children.append(Child("stand-in scanners", arguments, environment, logs / "standin.log"))
            places = ["standin-places", "--port", str(self.places_port), "--folder", str(data_dir / "standin-mail")]
            children.append(Child("stand-in mail and store", places, environment, logs / "standin-places.log"))
        children.append(Child("worker", ["worker"], environment, logs / "worker.log"))
        children.append(Child("web server", ["web"], environment, logs / "web.log"))
        return children

    @property
    def places_port(self) -> int:
        """Of the page of the stand-in mail server and object store, which have the two ports after it."""
        return self.standin_port + SCANNER_PORTS

    def _wait_until_ready(self, stop: StopSignal) -> None:
        wanted = [f"{self.url}/health"]
        if self._with_standin:
            wanted.append(f"http://127.0.0.1:{self.standin_port}/devices/zaunkoenig/paper")
            wanted.append(f"http://127.0.0.1:{self.places_port}/")
        until_s = time.monotonic() + READY_S
        while wanted and not stop.has_come:
            if time.monotonic() > until_s:
                raise CannotStart("desk_not_started", logs=str(self.settings.data_dir / "logs"))
            try:
                if httpx.get(wanted[0], trust_env=False).status_code == 200:
                    wanted.pop(0)
            except httpx.HTTPError:
                time.sleep(0.05)


def first_destination(desk: LocalDesk) -> None:
    """Add a folder as destination if there is none."""
    store = Store(desk.database_url, Blobs.in_folder(desk.settings.blob_dir))
    try:
        if not destinations.has_folder(MACHINE, store):
            destinations.add_folder(MACHINE, store, "Filed", desk.settings.data_dir / "filed")
    finally:
        store.close()


def remove(data_dir: Path) -> None:
    """Remove the folder of a desk with everything in it."""
    if data_dir.exists():
        with _sole_use(data_dir):
            shutil.rmtree(data_dir)


def _make_folder(data_dir: Path) -> None:
    try:
        data_dir.mkdir(parents=True, exist_ok=True)
    except OSError as exc:
        raise CannotStart("folder_not_made", folder=str(data_dir), reason=exc.strerror or "") from exc


@contextmanager
def _sole_use(data_dir: Path) -> Iterator[None]:
    """Lock a folder for this process."""
    with (data_dir / "lock").open("a") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise CannotStart("running_already", folder=str(data_dir)) from None
        os.set_inheritable(lock.fileno(), False)
        yield


def _kept_port(file: Path, count: int) -> int:
    """Return the first of `count` free ports, preferably those of last time: addresses of devices stay valid."""
    if file.exists():
        port = int(file.read_text())
        if all(is_free(port + at) for at in range(count)):
            return port
    port = free_run(count, 9440, 9900)
    file.write_text(str(port))
    return port
