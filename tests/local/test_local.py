"""Starting on one machine: one clear sentence where it cannot be."""

import signal
import socket
import subprocess
import sys
from pathlib import Path

import httpx
import psycopg
import pytest
from tests.helpers import PATIENCE_S, free_ports

from papiermappe.local import postgres as postgres_module
from papiermappe.local.errors import CannotStart
from papiermappe.local.ports import is_free
from papiermappe.local.postgres import PrivatePostgres


def papiermappe(environment: dict[str, str], *arguments: str, **settings: str) -> subprocess.CompletedProcess[str]:
    """Run the command line."""
    named = {f"PAPIERMAPPE_{name.upper()}": value for name, value in settings.items()}
    return subprocess.run(
        [sys.executable, "-m", "papiermappe", *arguments], env={**environment, **named},
        capture_output=True, text=True, timeout=PATIENCE_S, check=False,
    )  # fmt: skip


def one_sentence(done: subprocess.CompletedProcess[str]) -> str:
    """Return what was said, which is no traceback."""
    assert done.returncode == 1
    assert "Traceback" not in done.stderr
    return done.stderr


def test_a_taken_port(environment: dict[str, str], tmp_path: Path) -> None:
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = str(taken.getsockname()[1])
        said = one_sentence(papiermappe(environment, "run", data_dir=str(tmp_path), port=port))
    assert said.startswith(f"Port {port} is taken by another program. Set PAPIERMAPPE_PORT")


def test_a_dead_database(environment: dict[str, str], tmp_path: Path) -> None:
    dead = "postgresql://a:b@127.0.0.1:1/none"
    for command in ("run", "migrate"):
        said = one_sentence(
            papiermappe(environment, command, data_dir=str(tmp_path), port=str(free_ports()), database_url=dead)
        )
        assert said.startswith("The database does not answer.")


def test_no_database_named(environment: dict[str, str]) -> None:
    assert "PAPIERMAPPE_DATABASE_URL" in one_sentence(papiermappe(environment, "worker"))


def test_a_setting_that_makes_no_sense(environment: dict[str, str]) -> None:
    said = one_sentence(papiermappe(environment, "run", port="many"))
    assert said.startswith("The setting PAPIERMAPPE_PORT does not fit: Input should be a valid integer")


def test_a_folder_that_cannot_be_made(environment: dict[str, str], tmp_path: Path) -> None:
    (tmp_path / "file").touch()
    said = one_sentence(papiermappe(environment, "run", data_dir=str(tmp_path / "file" / "desk")))
    assert "Set PAPIERMAPPE_DATA_DIR to another one." in said


def test_a_missing_postgresql(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(postgres_module, "DEBIAN_BIN", tmp_path)
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(CannotStart, match="postgresql_absent"):
        PrivatePostgres(tmp_path / "postgres").start()


def test_a_cluster_keeps_its_data_and_an_orphaned_server_is_stopped(tmp_path: Path) -> None:
    first = PrivatePostgres(tmp_path / "postgres", losable=True)
    first.port = free_ports()
    first.start()
    try:
        with psycopg.connect(first.create_database("kept")) as connection:
            connection.execute("create table page ()")
        second = PrivatePostgres(tmp_path / "postgres", losable=True)
        second.port = free_ports()
        second.start()  # as after a start command that was killed
        try:
            with psycopg.connect(second.create_database("kept")) as connection:
                connection.execute("select from page")
        finally:
            second.stop()
        assert is_free(second.port)
    finally:
        first.stop()


def test_a_cluster_in_a_folder_that_is_closed_to_others(tmp_path: Path) -> None:
    closed = tmp_path / "closed"
    closed.mkdir(mode=0o700)
    server = PrivatePostgres(closed / "postgres", losable=True)
    server.port = free_ports()
    server.start()
    server.stop()


def test_a_desk_of_ones_own_starts_has_a_place_to_file_into_and_leaves_nothing_behind(
    environment: dict[str, str], tmp_path: Path
) -> None:
    port = free_ports()
    settings = {**environment, "PAPIERMAPPE_DATA_DIR": str(tmp_path / "desk"), "PAPIERMAPPE_PORT": str(port)}
    command = [sys.executable, "-m", "papiermappe", "run"]
    with subprocess.Popen(command, env=settings, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        try:
            said = [process.stdout.readline() for _ in range(3)]
            opened = httpx.post(
                f"http://127.0.0.1:{port}/mappen", headers={"Origin": f"http://127.0.0.1:{port}"}, trust_env=False
            )
            place = opened.headers["Location"].replace("intake", "file")
            shown = httpx.get(f"http://127.0.0.1:{port}{place}", trust_env=False).text
        finally:
            process.send_signal(signal.SIGINT)
            ended = process.wait(60)
    assert f"Papiermappe is at http://127.0.0.1:{port}" in "".join(said)
    assert '"name": "Filed"' in shown
    assert ended == 0
    assert is_free(port)
    left = [path.read_bytes() for path in Path("/proc").glob("[0-9]*/cmdline") if path.exists()]
    assert not any(str(tmp_path / "desk").encode() in command_line for command_line in left)


def test_asking_for_help_imports_nothing_heavy(environment: dict[str, str]) -> None:
    shown = "import sys; from papiermappe.cli import app; app(['--help'], standalone_mode=False); print(*sys.modules)"
    done = subprocess.run([sys.executable, "-c", shown], env=environment, capture_output=True, text=True, check=True)
    modules = set(done.stdout.splitlines()[-1].split())
    assert modules & {"numba", "cv2", "pikepdf", "numpy", "sqlalchemy", "fastapi"} == set()
