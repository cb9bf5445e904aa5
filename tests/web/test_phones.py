"""Phones: the link that the desk shows, and what can be reached by it."""

import io
import json
import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from PIL import Image
from tests.helpers import QUICK_ONE_SIDE, Drawer, camera_jpeg, desk, photograph, scan

from papiermappe.core.picture import Pixels
from papiermappe.services import mappen, reading_files
from papiermappe.services.caller import Caller
from papiermappe.settings import Settings
from papiermappe.store.database import Store
from papiermappe.store.incoming import Incoming
from papiermappe.store.models import IncomingFile
from papiermappe.web.app import create_app

HERE = "http://127.0.0.1:8000"
NETWORK = "http://192.168.7.20:8001"


PLAIN = camera_jpeg(np.full((90, 60, 3), 120, np.uint8))


def client(app: FastAPI, base: str) -> TestClient:
    """Return one that asks as the pages of an address do."""
    return TestClient(app, base_url=base, headers={"Origin": base}, follow_redirects=False)


@pytest.fixture
def settings(tmp_path: Path) -> Settings:
    """Of a desk that has an address for phones."""
    return Settings(data_dir=tmp_path, phone_host="192.168.7.20")


@pytest.fixture
def app(database_url: str, settings: Settings, store: Store) -> FastAPI:
    """The application on the test's own store."""
    del store
    return create_app(settings, database_url)


@pytest.fixture
def web(app: FastAPI) -> Iterator[TestClient]:
    """The desk's own browser."""
    with client(app, HERE) as found:
        yield found


@pytest.fixture
def phone(app: FastAPI) -> TestClient:
    """A phone in the network."""
    return client(app, NETWORK)


@pytest.fixture
def link(web: TestClient, mappe: int) -> str:
    """The path of a link into the Mappe."""
    return str(web.post(f"/mappen/{mappe}/phone-link").json()["address"]).removeprefix(NETWORK)


def add(phone: TestClient, link: str, store: Store, settings: Settings, data: bytes = PLAIN) -> int:
    """Send a picture and have it read; return its page, which has not been examined."""
    file = phone.post(f"{link}/pictures", json={"name": "image.jpg", "byte_size": len(data)}).json()
    assert phone.put(f"{link}/pictures/{file}?at=0", content=data).json() == len(data)
    with store.begin() as session:
        run = session.get_one(IncomingFile, file).run_id
    reading_files.import_files(store, Incoming(settings.incoming_dir), run)
    return int(phone.get(f"{link}/pages").json()["pages"][-1]["page"]["id"])


def picture_at(phone: TestClient, path: str) -> Pixels:
    """Return a picture that is shown, RGB."""
    return np.asarray(Image.open(io.BytesIO(phone.get(path).content)).convert("RGB"))


def test_the_address_is_that_of_the_network_where_there_is_one(web: TestClient, mappe: int) -> None:
    shown = web.post(f"/mappen/{mappe}/phone-link").json()
    assert re.fullmatch(re.escape(NETWORK) + r"/phone/[2-9a-z]{12}", shown["address"])
    assert shown["only_here"] is False
    assert web.get(f"/mappen/{mappe}/phone-link").json() == shown


@pytest.mark.parametrize(("base", "only_here"), [(HERE, True), ("http://desk.example", False)])
def test_without_one_it_is_the_desks_own(
    base: str, only_here: bool, database_url: str, tmp_path: Path, store: Store, mappe: int
) -> None:
    del store
    settings = Settings(data_dir=tmp_path, allowed_hosts=("127.0.0.1", "desk.example"))
    with client(create_app(settings, database_url), base) as web:
        shown = web.post(f"/mappen/{mappe}/phone-link").json()
    assert shown["address"].startswith(f"{base}/phone/")
    assert shown["only_here"] is only_here


def test_the_code_is_a_picture_that_nobody_keeps(web: TestClient, mappe: int) -> None:
    assert web.get(f"/mappen/{mappe}/phone-link.svg").status_code == 404  # there is no link yet
    web.post(f"/mappen/{mappe}/phone-link")
    answer = web.get(f"/mappen/{mappe}/phone-link.svg")
    assert answer.headers["content-type"] == "image/svg+xml"
    assert answer.headers["cache-control"] == "no-store"
    assert b"<path" in answer.content


def test_at_the_door_for_phones_there_is_nothing_but_their_pages(
    web: TestClient, phone: TestClient, link: str, mappe: int
) -> None:
    assert phone.get(link).status_code == 200
    assert phone.get("/static/papiermappe.css").status_code == 200
    for path in ("/", f"/mappen/{mappe}/intake", "/health", "/devices", f"/mappen/{mappe}/phone-link", "/phone"):
        assert phone.get(path).status_code == 404, path
    assert phone.post("/mappen").status_code == 404
    assert web.get(f"/mappen/{mappe}/intake").status_code == 200  # the desk's own address has them


def test_a_phone_adds_a_page_and_sees_no_other(
    phone: TestClient, link: str, store: Store, settings: Settings, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("letter-share")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    (scanned,) = desk(store, mappe).order
    own = add(phone, link, store, settings)
    assert phone.get(f"{link}/pages/{own}").json()["page"]["id"] == own
    for path in ("", "/page-lane.jpg", "/photo-stage.jpg", "/soon-stage.jpg"):
        assert phone.get(f"{link}/pages/{scanned}{path}").status_code == 404
    commands: dict[str, dict[str, object]] = {
        "turn": {"quarter_turns": 1},
        "leave-out": {"left_out": True},
        "corners": {"corners": None},
    }
    for command, body in commands.items():
        assert phone.post(f"{link}/pages/{scanned}/{command}", json={**body, "seen": 10**6}).status_code == 404
    assert phone.post(f"{link}/pages/{own}/turn", json={"quarter_turns": 1, "seen": 10**6}).status_code == 200


def test_a_sheet_is_shown_flat_before_it_has_been_examined(
    phone: TestClient, link: str, store: Store, settings: Settings
) -> None:
    sheet = np.full((880, 622, 3), 240, np.uint8)  # A4, on the grey table of the photo
    own = add(phone, link, store, settings, photograph(sheet))
    assert phone.get(f"{link}/pages").json()["pages"][0]["page"]["analysed"] is False
    shown = picture_at(phone, f"{link}/pages/{own}/soon-stage.jpg")
    assert shown.shape[0] / shown.shape[1] == pytest.approx(297 / 210, rel=0.03)
    assert np.median(shown[::5, 4]) > 200
    assert np.median(shown[4, ::5]) > 200


def test_a_photo_without_a_sheet_is_shown_as_it_came_before_it_has_been_examined(
    phone: TestClient, link: str, store: Store, settings: Settings
) -> None:
    own = add(phone, link, store, settings)
    shown = picture_at(phone, f"{link}/pages/{own}/soon-stage.jpg")
    assert shown.shape == (90, 60, 3)
    assert shown.mean() == pytest.approx(120, abs=2)


def test_the_link_of_another_mappe_reaches_none_of_this_ones_pictures(
    web: TestClient, phone: TestClient, link: str, store: Store, settings: Settings
) -> None:
    own = add(phone, link, store, settings)
    other = mappen.open_mappe(Caller("anna"), store, "Hail")
    stranger = web.post(f"/mappen/{other}/phone-link").json()["address"].removeprefix(NETWORK)
    assert phone.get(f"{stranger}/pages").json()["pages"] == []
    assert phone.get(f"{stranger}/pages/{own}").status_code == 404
    assert phone.put(f"{stranger}/pictures/1?at=0", content=b"x").status_code == 404
    assert phone.post(f"{stranger}/pictures/1/cancel").status_code == 404


def test_a_link_that_is_over_says_so(phone: TestClient, link: str) -> None:
    assert phone.post(f"{link}/done", json={}).status_code == 200
    answer = phone.get(f"{link}/pages")
    assert (answer.status_code, answer.json()["code"]) == (410, "phone_link_over")
    page = phone.get(link)
    facts = re.search(r'id="facts">(.*?)</script>', page.text)
    assert facts is not None
    assert page.status_code == 410
    assert "This link has ended" in json.loads(facts[1])["over"]
    assert phone.get("/phone/222222222222/pages").json()["code"] == "phone_link_unknown"


def test_other_sites_cannot_use_a_link(phone: TestClient, link: str) -> None:
    phone.headers["Origin"] = "http://evil.test"
    assert phone.post(f"{link}/pictures", json={"name": "a.jpg", "byte_size": 3}).status_code == 403
    assert phone.put(f"{link}/pictures/1?at=0", content=b"x").status_code == 403
