"""The web application: what it serves, what it refuses, what it says."""

import json
import re
from collections.abc import Iterator
from pathlib import Path
from threading import Thread

import pytest
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from papiermappe.services.desk import LANE_PX, desk
from tests.helpers import QUICK_ONE_SIDE, Drawer, here, orders

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.devices.escl import Limits
from papiermappe.services import filing, intake, mappen, passes, pictures
from papiermappe.settings import Settings
from papiermappe.store.database import Store
from papiermappe.web import desks, devices, events, filings, start
from papiermappe.web import intake as intake_routes
from papiermappe.web import pictures as picture_routes
from papiermappe.web.app import create_app

ORIGIN = {"Origin": "http://testserver"}
HTML = {"Accept": "text/html"}


@pytest.fixture
def web(database_url: str, tmp_path: Path, store: Store) -> Iterator[TestClient]:
    """The application on the test's own store, asked as its own pages would."""
    settings = Settings(data_dir=tmp_path, allowed_hosts=("testserver",))
    with TestClient(create_app(settings, database_url), headers=ORIGIN, follow_redirects=False) as client:
        yield client


@pytest.fixture
def pages(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> list[int]:
    """Three fronts."""
    drawer.lay("lease")
    intake.take_in(store, passes.start_pass(store, mappe, zaunkoenig, QUICK_ONE_SIDE), Limits())
    return orders(store, mappe)


POSTS = [
    "/mappen", "/mappen/1/move", "/mappen/1/nudge", "/mappen/1/put-away", "/mappen/1/bring-back", "/mappen/1/turn",
    "/mappen/1/switch", "/mappen/1/tone", "/mappen/1/undo", "/mappen/1/redo", "/mappen/1/subject", "/mappen/1/passes",
    "/mappen/1/filings", "/mappen/1/levels/1", "/filings/1/try-again", "/passes/1/next-sheet", "/passes/1/stop",
    "/passes/1/go-on", "/devices", "/mappen/1/printed-order", "/filings/1/stop",
]  # fmt: skip


def test_the_list_of_posts_is_whole() -> None:
    routers = (module.router for module in (start, desks, intake_routes, devices, picture_routes, filings))
    routes = [route for router in routers for route in router.routes if isinstance(route, APIRoute)]
    posts = {re.sub(r"{\w+_id}", "1", route.path) for route in routes if "POST" in (route.methods or ())}
    assert posts == set(POSTS)


@pytest.mark.parametrize("path", POSTS)
@pytest.mark.parametrize("origin", ["http://evil.test", "null", "http://testserver.evil.test", None])
def test_no_other_site_can_change_anything(path: str, origin: str | None, web: TestClient) -> None:
    del web.headers["Origin"]
    answer = web.post(path, json={}, headers={"Origin": origin} if origin else {})
    assert answer.status_code == 403


@pytest.mark.parametrize("path", ["/", "/mappen/1/intake", "/nowhere", "/static/papiermappe.css"])
def test_every_answer_carries_the_protecting_headers(path: str, web: TestClient, mappe: int) -> None:
    headers = web.get(path).headers
    assert headers["Content-Security-Policy"].startswith("default-src 'none'; script-src 'self'; style-src 'self'")
    assert "unsafe" not in headers["Content-Security-Policy"]
    assert headers["X-Content-Type-Options"] == "nosniff"


def test_other_host_names_are_refused(web: TestClient) -> None:
    """A name that an attacker lets point to loopback does not open the desk."""
    assert web.get("/", headers={"Host": "rebound.test"}).status_code == 400


def test_a_mappe_is_opened_and_shown_at_every_station(web: TestClient) -> None:
    place = web.post("/mappen", data={"subject": "<script>alert(1)</script>"}).headers["Location"]
    assert place.endswith("/intake")
    for station in ("intake", "order", "tidy", "file"):
        html = web.get(place.replace("intake", station)).text
        assert "<script>alert" not in html
    assert "<script>alert" not in web.get("/").text
    assert web.get(place.replace("intake", "drawer")).status_code == 422


def test_problems_are_pages_for_people_and_json_for_scripts(web: TestClient) -> None:
    page = web.get("/mappen/999/order", headers=HTML)
    assert page.status_code == 404
    assert "This Mappe is not there" in page.text
    assert web.get("/mappen/999/order").json() == {"message": "This Mappe is not there. It may have been cleared."}
    assert web.post("/mappen/999/undo").status_code == 404
    assert web.get("/nowhere", headers=HTML).status_code == 404


def test_changes_of_pages(web: TestClient, store: Store, mappe: int, pages: list[int]) -> None:
    seen = desk(store, mappe).seq
    root = f"/mappen/{mappe}"
    assert web.post(f"{root}/move", json={"pages": pages[:1], "gap": 3, "seen": seen}).json() == seen + 1
    assert orders(store, mappe) == [pages[1], pages[2], pages[0]]
    assert web.post(f"{root}/turn", json={"pages": pages[:1], "quarter_turns": 1, "seen": seen}).status_code == 409
    assert web.post(f"{root}/nudge", json={"pages": pages[1:2], "by": 1, "seen": seen}).status_code == 200
    assert web.post(f"{root}/put-away", json={"pages": pages[2:], "seen": seen}).status_code == 200
    assert web.post(f"{root}/undo").status_code == 200
    assert web.post(f"{root}/redo").status_code == 200
    assert web.post(f"{root}/bring-back", json={"pages": pages[2:], "seen": seen + 9}).status_code == 200


@pytest.mark.parametrize(
    "body",
    [
        {},
        {"pages": [], "gap": 1, "seen": 1},
        {"pages": ["x"], "gap": 1, "seen": 1},
        {"pages": [1] * 10_001, "gap": 0, "seen": 1},
    ],
)
def test_commands_that_make_no_sense_change_nothing(body: dict[str, object], web: TestClient, mappe: int) -> None:
    answer = web.post(f"/mappen/{mappe}/move", json=body)
    assert answer.status_code == 422
    assert answer.json() == {"message": "What was sent cannot be read. Nothing was changed."}


def test_a_picture_is_waited_for_and_kept_for_ever(web: TestClient, store: Store, mappe: int, pages: list[int]) -> None:
    page = desk(store, mappe).pages[0]
    scanned = web.get(f"/pages/{page.id}/{page.scanned}-{LANE_PX}.jpg")
    assert scanned.content[:2] == b"\xff\xd8"
    assert "immutable" in scanned.headers["Cache-Control"]

    def work() -> None:
        pictures.make_picture(store, page.id, page.picture, 1400, here, DEFAULT_LIMIT_PX)

    worker = Thread(target=work)
    worker.start()
    now = web.get(f"/pages/{page.id}/{page.picture}-1400.jpg")
    assert now.status_code == 200
    worker.join()

    before = web.get(f"/pages/{page.id}/{'0' * 32}-1400.jpg")  # by a window that has not heard of the change
    assert before.content == now.content
    assert before.headers["Cache-Control"] == "no-store"


@pytest.mark.parametrize("name", ["x-200", "..%2F..%2Fetc-200", "0" * 32 + "-9"])
def test_other_pictures_are_not_made(name: str, web: TestClient, pages: list[int]) -> None:
    assert web.get(f"/pages/{pages[0]}/{name}.jpg").status_code in {404, 422}


def test_the_card_of_a_device(web: TestClient, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    card = web.get(
        f"/devices/{zaunkoenig}/card", params={"dpi": 240, "paper": "A3", "source": "glass", "sides": "both sides"}
    ).json()
    assert (card["name"], card["state"], card["feeder"]) == ("Zaunkönig D60", "ready", "paper in the feeder")
    assert (card["ticket"]["dpi"], card["ticket"]["sides"]) == (200, "one side")
    assert card["choices"]["source"] == ["feeder", "glass"]
    # 230 x 330 mm at 200 dpi are 4.7 megapixels; 0.75 bit each are 440 KB
    assert card["costs"] == ["≈ 440 KB a page", "reads 7 pt print"]
    drawer.trouble(cover_open=True)
    assert web.get(f"/devices/{zaunkoenig}/card").json()["state"] == "the cover is open"
    assert web.get("/devices/999/card").status_code == 404


def test_a_device_is_added_once_by_an_address_that_answers(web: TestClient, zaunkoenig: int, drawer: Drawer) -> None:
    assert web.post("/devices", json={"address": drawer.escl("zaunkoenig")}).json() == zaunkoenig
    for address, status in (("127.0.0.1:1", 502), ("nonsense address", 502), ("", 422)):
        answer = web.post("/devices", json={"address": address})
        assert answer.status_code == status
        assert answer.json()["message"]


def test_a_pass_begins_only_with_a_ticket_the_device_can_do(
    web: TestClient, store: Store, mappe: int, zaunkoenig: int
) -> None:
    ticket = {"source": "feeder", "sides": "both sides", "dpi": 300, "colour": "grey", "paper": "A4"}
    bad = web.post(f"/mappen/{mappe}/passes", json={"device": zaunkoenig, "ticket": {**ticket, "dpi": 1200}})
    assert bad.status_code == 422
    assert "cannot do this ticket" in bad.json()["message"]
    good = web.post(f"/mappen/{mappe}/passes", json={"device": zaunkoenig, "ticket": ticket})
    assert good.status_code == 200
    assert web.post(f"/passes/{good.json()}/stop").status_code == 200
    assert desk(store, mappe).passes[0].stopping


def test_a_filed_document_is_listed_opened_and_downloaded(
    web: TestClient, store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    place = filing.add_destination(store, "Leases", tmp_path / "leases")
    made = web.post(f"/mappen/{mappe}/filings", json={"destination": place}).json()
    assert web.get(f"/filings/{made}/open").status_code == 404
    filing.make_document(store, made, here, None, DEFAULT_LIMIT_PX)
    name = desk(store, mappe).filings[0].file_name
    assert name in web.get("/", params={"find": "meadow"}).text
    assert name not in web.get("/", params={"find": "orchard"}).text
    opened, saved = web.get(f"/filings/{made}/open"), web.get(f"/filings/{made}/download")
    assert opened.content == saved.content
    assert opened.content[:5] == b"%PDF-"
    assert saved.headers["Content-Disposition"] == f"attachment; filename*=UTF-8''{name}"


@pytest.mark.anyio
async def test_windows_are_told_of_changes_and_catch_up(store: Store, mappe: int, database_url: str) -> None:
    hub = events.Hub(database_url)
    window = events.updates(hub, store, mappe, 0)
    first = await anext(window)
    assert json.loads(first.split("data: ")[1])["subject"] == "Lease Upper Meadow"
    mappen.rename(store, mappe, "Lease Lower Meadow")
    hub._wake(mappe)
    assert json.loads((await anext(window)).split("data: ")[1])["subject"] == "Lease Lower Meadow"
    await window.aclose()  # type: ignore[attr-defined]  # an async generator


def test_a_lost_database_is_said(tmp_path: Path) -> None:
    settings = Settings(data_dir=tmp_path, allowed_hosts=("testserver",))
    with TestClient(create_app(settings, "postgresql://a:b@127.0.0.1:1/none"), headers=ORIGIN) as web:
        answer = web.get("/", headers=HTML)
    assert answer.status_code == 503
    assert "The database does not answer. Everything that was shown as arrived is safe." in answer.text


def test_health(web: TestClient) -> None:
    assert web.get("/health").json() == {"state": "well"}
