"""A private PostgreSQL server: its own folder, its own port on loopback, never a system cluster."""

import os
import pwd
import secrets
import shutil
import signal
import subprocess
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

import psycopg
from psycopg import sql

from papiermappe.local.errors import CannotStart
from papiermappe.local.ports import HOST, free_run

USER = "papiermappe"
DEBIAN_BIN = Path("/usr/lib/postgresql")
START_S = 30.0
FAST_AND_LOSABLE = ("fsync=off", "synchronous_commit=off", "full_page_writes=off")


@dataclass(frozen=True)
class _Account:
    """The account that the server runs as; initdb and postgres refuse to run as root."""

    uid: int
    gid: int


class PrivatePostgres:
    """A PostgreSQL server in a folder. Always stop it at the end.

    Args:
        folder: of the cluster; created on first use.
        losable: faster, but a power cut loses data; for tests.
    """

    def __init__(self, folder: Path, losable: bool = False) -> None:
        self._folder = folder
        self._losable = losable
        self._data = folder / "cluster"
        self._password_file = folder / "password"
        self._process: subprocess.Popen[bytes] | None = None
        self._socket_dir: str | None = None
        self._account = _postgres_account() if os.geteuid() == 0 else None
        self.port = 0

    def start(self) -> None:
        """Create the cluster if there is none, start the server and wait until it answers. Raises CannotStart.

        The port stays the same when it is started again.
        """
        binaries = _binaries()
        self._stop_orphan()
        if not (self._data / "PG_VERSION").exists():
            self._make(binaries)
        self.port = self.port or free_run()
        self._socket_dir = tempfile.mkdtemp(prefix="papiermappe-")
        if self._account:
            os.chown(self._socket_dir, self._account.uid, self._account.gid)
        settings = [
            f"listen_addresses={HOST}",
            f"port={self.port}",
            f"unix_socket_directories={self._socket_dir}",
            "max_connections=120",
        ]
        settings += FAST_AND_LOSABLE if self._losable else ()
        options = [part for setting in settings for part in ("-c", setting)]
        log = (self._folder / "postgres.log").open("ab")
        self._process = subprocess.Popen(
            [*self._prefix(), str(binaries / "postgres"), "-D", str(self._data), *options],
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
            cwd="/",
        )
        log.close()
        self._wait()

    @property
    def alive(self) -> bool:
        """Whether the server is running."""
        return self._process is not None and self._process.poll() is None

    def stop(self) -> None:
        """Stop the server and wait until it has ended."""
        if self._process:
            self._process.send_signal(signal.SIGINT)
            try:
                self._process.wait(20)
            except subprocess.TimeoutExpired:
                self._process.send_signal(signal.SIGQUIT)
                self._process.wait()
            self._process = None
        if self._socket_dir:
            shutil.rmtree(self._socket_dir, ignore_errors=True)

    def url(self, database: str = USER) -> str:
        """Return the URL of a database on the server."""
        return f"postgresql://{USER}:{self._password_file.read_text()}@{HOST}:{self.port}/{database}"

    @classmethod
    def running_url(cls, folder: Path) -> str | None:
        """Return the URL of the database of a server that another process runs in a folder; None where none runs."""
        try:
            lines = (folder / "cluster" / "postmaster.pid").read_text().splitlines()
            password = (folder / "password").read_text()
            return f"postgresql://{USER}:{password}@{HOST}:{int(lines[3])}/{USER}"
        except (OSError, ValueError, IndexError):
            return None

    def create_database(self, name: str, template: str = "template1") -> str:
        """Create a database if it does not exist; return its URL."""
        with psycopg.connect(self.url("postgres"), autocommit=True) as connection:
            if not connection.execute("select 1 from pg_database where datname = %s", (name,)).fetchone():
                connection.execute(
                    sql.SQL("create database {} template {}").format(sql.Identifier(name), sql.Identifier(template))
                )
        return self.url(name)

    def _make(self, binaries: Path) -> None:
        self._folder.mkdir(parents=True, exist_ok=True)
        shutil.rmtree(self._data, ignore_errors=True)
        self._data.mkdir(mode=0o700)
        self._password_file.touch(mode=0o600)
        self._password_file.write_text(secrets.token_urlsafe(24))
        if self._account:
            for path in (self._data, self._password_file):
                os.chown(path, self._account.uid, self._account.gid)
        done = subprocess.run(
            [
                *self._prefix(),
                str(binaries / "initdb"),
                "-D",
                str(self._data),
                "-U",
                USER,
                "--pwfile",
                str(self._password_file),
                "-A",
                "scram-sha-256",
                "-E",
                "UTF8",
                "--locale=C.UTF-8",
                *(["--no-sync"] if self._losable else ["--data-checksums"]),
            ],
            stdin=subprocess.DEVNULL,
            capture_output=True,
            text=True,
            cwd="/",
            check=False,
        )
        if done.returncode:
            shutil.rmtree(self._data, ignore_errors=True)
            raise CannotStart("database_not_made", folder=str(self._folder), reason=done.stderr.strip()[-300:])

    def _prefix(self) -> list[str]:
        """Return the command that changes to the server's account if this process is root.

        The account keeps the right to pass through folders (CAP_DAC_READ_SEARCH) where one on the way to the
        cluster, such as root's own, is closed to it.
        """
        if not self._account:
            return []
        command = [
            "setpriv",
            f"--reuid={self._account.uid}",
            f"--regid={self._account.gid}",
            "--clear-groups",
        ]
        if not all(parent.stat().st_mode & 0o001 for parent in self._folder.resolve().parents if parent.exists()):
            command += ["--inh-caps=+dac_read_search", "--ambient-caps=+dac_read_search"]
        return command

    def _wait(self) -> None:
        until_s = time.monotonic() + START_S
        while time.monotonic() < until_s:
            if self._process is None or self._process.poll() is not None:
                break
            try:
                psycopg.connect(self.url("postgres"), connect_timeout=2).close()
            except psycopg.OperationalError:
                time.sleep(0.05)
            else:
                return
        self.stop()
        raise CannotStart("database_not_started", log=str(self._folder / "postgres.log"))

    def _stop_orphan(self) -> None:
        """Stop a server that a killed start command has left behind in this folder."""
        try:
            pid = int((self._data / "postmaster.pid").read_text().split()[0])
            command = Path(f"/proc/{pid}/cmdline").read_bytes()
        except (OSError, ValueError, IndexError):
            return
        if str(self._data).encode() not in command:
            return
        os.kill(pid, signal.SIGINT)
        until_s = time.monotonic() + START_S
        while Path(f"/proc/{pid}").exists() and time.monotonic() < until_s:
            time.sleep(0.05)


def _binaries() -> Path:
    found = sorted(DEBIAN_BIN.glob("*/bin/initdb"), key=lambda path: int(path.parts[-3]))
    if found:
        return found[-1].parent
    on_path = shutil.which("initdb")
    if on_path:
        return Path(on_path).parent
    raise CannotStart("postgresql_absent")


def _postgres_account() -> _Account:
    try:
        entry = pwd.getpwnam("postgres")
    except KeyError:
        raise CannotStart("postgresql_absent") from None
    return _Account(entry.pw_uid, entry.pw_gid)
