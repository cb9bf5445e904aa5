"""Styles and scripts: browsers keep them until they change."""

import re
from pathlib import Path

from fastapi.testclient import TestClient

from papiermappe.web.context import FOR_EVER
from papiermappe.web.static_files import VersionedFiles


def test_a_page_names_files_that_are_kept_for_ever(web: TestClient) -> None:
    place = web.post("/mappen").headers["Location"]
    named = re.findall(r'(?:src|href)="(/static/[^"]+)"', web.get(place).text)
    assert any(address.endswith("/js/desk.js") for address in named)
    for address in named:
        answer = web.get(address)
        assert answer.status_code == 200
        assert answer.headers["Cache-Control"] == FOR_EVER["Cache-Control"]
        again = web.get(address, headers={"If-None-Match": answer.headers["ETag"]})
        assert again.status_code == 304
        assert again.headers["Cache-Control"] == FOR_EVER["Cache-Control"]


def test_a_window_of_an_earlier_version_gets_files_and_keeps_none(web: TestClient) -> None:
    for address in ("/static/js/desk.js", "/static/v-0123456789ab/js/desk.js"):
        answer = web.get(address)
        assert answer.status_code == 200
        assert "immutable" not in answer.headers.get("Cache-Control", "")
    for address in (
        "/static/v-0123456789ab/js/none.js",
        "/static/v-0123456789ab/../app.py",
        "/static/v-0123/js/desk.js",
    ):
        assert web.get(address).status_code == 404


def test_the_address_changes_with_any_file(tmp_path: Path) -> None:
    (tmp_path / "js").mkdir()
    (tmp_path / "js" / "a.js").write_text("1")
    roots = [VersionedFiles(tmp_path).root]
    (tmp_path / "js" / "a.js").write_text("2")
    roots.append(VersionedFiles(tmp_path).root)
    (tmp_path / "js" / "a.js").rename(tmp_path / "js" / "b.js")
    roots.append(VersionedFiles(tmp_path).root)
    assert len(set(roots)) == 3
    assert VersionedFiles(tmp_path).root == roots[-1]
