"""Telling people apart by a random token, which opens nothing and says nothing."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from papiermappe.settings import Settings
from papiermappe.web.app import create_app
from papiermappe.web.author import COOKIE, TOKEN, author_of


@pytest.fixture
def web(database_url: str, tmp_path: Path) -> Iterator[TestClient]:
    """The application, asked by a browser that it has never seen."""
    settings = Settings(data_dir=tmp_path, allowed_hosts=("testserver",))
    with TestClient(create_app(settings, database_url)) as client:
        yield client


def test_a_new_browser_gets_a_token_of_its_own_once(web: TestClient) -> None:
    first = web.get("/health").headers["Set-Cookie"]
    assert TOKEN.fullmatch(web.cookies[COOKIE])
    assert "HttpOnly" in first
    assert "SameSite=Lax" in first
    assert "Set-Cookie" not in web.get("/health").headers
    known = web.cookies[COOKIE]
    web.cookies.clear()
    web.get("/health")
    assert web.cookies[COOKIE] != known


@pytest.mark.parametrize("sent", ["", "short", "a" * 65, "twenty letters and a space", "äöü" * 10, '"' * 30])
def test_what_is_no_token_of_ours_is_replaced(sent: str, web: TestClient) -> None:
    answer = web.get("/health", headers={b"Cookie": f"{COOKIE}={sent}".encode()})
    assert TOKEN.fullmatch(answer.cookies[COOKIE])


def test_the_author_does_not_give_the_token_away() -> None:
    token = "k3v9Z_w-0q8hXt2LmBnRs4"
    author = author_of(token)
    assert author == author_of(token)
    assert author != author_of(token + "x")
    assert token[:8] not in author
    assert len(author) == 16  # fits the journal's column
