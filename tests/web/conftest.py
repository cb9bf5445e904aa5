"""The web application, asked as its own pages would."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from papiermappe.settings import Settings
from papiermappe.store.database import Store
from papiermappe.web.app import create_app

ORIGIN = {"Origin": "http://testserver"}


@pytest.fixture
def web(database_url: str, tmp_path: Path, store: Store) -> Iterator[TestClient]:
    """The application on the test's own store."""
    settings = Settings(data_dir=tmp_path, allowed_hosts=("testserver",))
    with TestClient(create_app(settings, database_url), headers=ORIGIN, follow_redirects=False) as client:
        yield client
