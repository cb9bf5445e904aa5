"""A database of one's own for a measurement."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from papiermappe.local.postgres import PrivatePostgres
from papiermappe.store.migration import migrate


@contextmanager
def private_database(name: str) -> Iterator[tuple[str, Path]]:
    """Yield the address of a new database with all tables, and a folder for files; both are gone afterwards."""
    with tempfile.TemporaryDirectory(prefix="papiermappe-bench-") as folder:
        server = PrivatePostgres(Path(folder) / "postgres")
        Path(folder).chmod(0o755)
        server.start()
        try:
            url = server.create_database(name)
            migrate(url)
            yield url, Path(folder)
        finally:
            server.stop()
