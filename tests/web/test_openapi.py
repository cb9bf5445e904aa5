"""The OpenAPI document of the commands, and what the application answers to requests that are made up from it.

A short run; `python -m benchmarks.fuzz --only web` makes thousands.
"""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)
from tests.helpers import ANNA

from papiermappe.local.postgres import PrivatePostgres
from papiermappe.services import mappen
from papiermappe.settings import Settings
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.web.app import create_app
from papiermappe.web.security import HEADERS

ORIGIN = "http://testserver"
HEALTH = list(HealthCheck)
ASK_THE_NETWORK = {"POST /devices", "POST /destinations/trial"}
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]


@pytest.fixture(scope="module")
def app(postgres: PrivatePostgres, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Any]:
    """The application with an open Mappe."""
    folder: Path = tmp_path_factory.mktemp("openapi")
    url = postgres.create_database("openapi", "template_papiermappe")
    store = Store(url, Blobs.in_folder(folder / "blobs"))
    mappen.open_mappe(ANNA, store, "Lease Upper Meadow")
    store.close()
    found = create_app(Settings(data_dir=folder, allowed_hosts=("testserver",)), url)
    with TestClient(found):
        yield found


def test_whatever_is_asked_the_answer_is_one_that_the_document_names(app: Any) -> None:
    document = schemathesis.openapi.from_asgi("/openapi.json", app, headers={"Host": "testserver"})
    operations = [found.ok() for found in document.get_all_operations()]  # type: ignore[union-attr]  # an error fails the test
    asked = [operation for operation in operations if operation.label not in ASK_THE_NETWORK]
    for operation in asked:

        @given(case=operation.as_strategy())
        @settings(max_examples=8, deadline=None, derandomize=True, database=None, suppress_health_check=HEALTH)
        def ask(case: Any) -> None:
            response = case.call(headers={"Origin": ORIGIN, "Host": "testserver", "Accept": "application/json"})
            case.validate_response(response, checks=CHECKS)
            for name, value in HEADERS.items():
                assert response.headers[name.lower()] == [value]

        ask()
    assert len(asked) > 15


def test_the_document_names_every_command(app: Any) -> None:
    paths = app.openapi()["paths"]
    assert "post" in paths["/mappen/{mappe_id}/operations"]
    kinds = app.openapi()["components"]["schemas"]
    assert {"Turn", "Move", "SetAside"} <= set(kinds)
    assert all("message" in str(answers["responses"]["422"]) for path in paths.values() for answers in path.values())
