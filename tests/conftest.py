"""What tests share: a private PostgreSQL, a store of its own for each test, stand-in scanners."""

import os
import signal
import subprocess
import sys
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import httpx
import hypothesis
import numpy as np
import psycopg
import pytest

from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.devices.escl import Limits
from papiermappe.local.postgres import PrivatePostgres
from papiermappe.services import devices, mappen
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.migration import migrate
from tests.helpers import ANNA, PATIENCE_S, Drawer, free_ports, wait_until

TEMPLATE = "template_papiermappe"

cv2.setNumThreads(1)  # tests run side by side, as many as there are cores
hypothesis.settings.register_profile("patient", deadline=None)  # machines are busy; what is slow, benchmarks tell
hypothesis.settings.load_profile("patient")


@pytest.fixture(scope="session")
def postgres(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PrivatePostgres]:
    """A PostgreSQL server with a migrated template database."""
    server = PrivatePostgres(tmp_path_factory.mktemp("postgres"), losable=True)
    server.port = free_ports()
    server.start()
    try:
        migrate(server.create_database(TEMPLATE))
        yield server
    finally:
        server.stop()


@pytest.fixture
def database_url(postgres: PrivatePostgres) -> Iterator[str]:
    """A migrated database of its own."""
    name = f"test_{uuid.uuid4().hex[:12]}"
    yield postgres.create_database(name, TEMPLATE)
    with psycopg.connect(postgres.url("postgres"), autocommit=True) as connection:
        connection.execute(f'drop database "{name}" with (force)')


@pytest.fixture
def store(database_url: str, tmp_path: Path) -> Iterator[Store]:
    """Rows and files of their own."""
    found = Store(database_url, Blobs.in_folder(tmp_path / "blobs"))
    yield found
    found.close()


@pytest.fixture(scope="session")
def standin(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Drawer]:
    """Stand-in scanners without waiting, for the whole session; each test lays its own paper."""
    port = free_ports(4)
    log = (tmp_path_factory.mktemp("standin") / "log").open("wb")
    process = subprocess.Popen(
        [sys.executable, "-m", "papiermappe", "standin", "--port", str(port), "--pace", "0"], stdout=log, stderr=log
    )
    drawer = Drawer(port)
    try:
        drawer.wait()
        yield drawer
    finally:
        drawer.close()
        process.send_signal(signal.SIGTERM)
        process.wait(10)
        log.close()


@pytest.fixture
def drawer(standin: Drawer) -> Drawer:
    """The paper drawer, all devices empty and well."""
    for key in ("kiebitz", "zaunkoenig", "stieglitz"):
        standin.reset(key)
    return standin


@pytest.fixture
def zaunkoenig(store: Store, drawer: Drawer) -> int:
    """The duplex feeder, known to the store."""
    return devices.add_device(ANNA, store, drawer.escl("zaunkoenig"), Limits())


@pytest.fixture
def stieglitz(store: Store, drawer: Drawer) -> int:
    """The one-sided feeder, known to the store."""
    return devices.add_device(ANNA, store, drawer.escl("stieglitz"), Limits())


@pytest.fixture
def mappe(store: Store) -> int:
    """An open Mappe."""
    return mappen.open_mappe(ANNA, store, "Lease Upper Meadow")


@pytest.fixture
def until() -> Callable[[Callable[[], object], float], None]:
    """Waits for something to become true."""
    return wait_until


@pytest.fixture(scope="session", autouse=True)
def _nothing_announced() -> Iterator[None]:
    """Scanners of the network, and of other test runs, are not looked for."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("PAPIERMAPPE_DISCOVERY", "nowhere")
        yield


@pytest.fixture(scope="session")
def environment() -> dict[str, str]:
    """The environment for child processes."""
    inherited = {name: value for name, value in os.environ.items() if not name.startswith("PAPIERMAPPE_")}
    return {**inherited, "PAPIERMAPPE_DISCOVERY": "nowhere"}


@pytest.fixture
def grey_page() -> Pixels:
    """A small page with some ink: grey (120, 80)."""
    page = np.full((120, 80), 240, np.uint8)
    page[30:34, 10:70] = 20
    return page


@pytest.fixture
def png() -> Callable[..., CapturedPicture]:
    """Makes a capture of pixels, without loss."""

    def encode(pixels: Pixels, dpi: float = 100.0) -> CapturedPicture:
        ordered = pixels if pixels.ndim == 2 else cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR)
        return CapturedPicture(cv2.imencode(".png", ordered)[1].tobytes(), dpi)

    return encode


@pytest.fixture
def anyio_backend() -> str:
    """What async tests run on."""
    return "asyncio"


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark what needs the server by the fixtures it asks for."""
    for item in items:
        names = getattr(item, "fixturenames", ())
        if "postgres" in names:
            item.add_marker("db")
        if "driver" in names:
            item.add_marker("browser")


@pytest.fixture(scope="session")
def http() -> Iterator[httpx.Client]:
    """A plain client for loopback."""
    with httpx.Client(trust_env=False, timeout=PATIENCE_S) as client:
        yield client
