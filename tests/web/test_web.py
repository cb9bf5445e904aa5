"""The web application: what it serves, what it refuses, what it says."""

import asyncio
import contextlib
import json
import re
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from threading import Thread

import pytest
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from sqlalchemy import select, text
from sse_starlette import ServerSentEvent
from tests.helpers import (
    ANNA,
    PATIENCE_S,
    QUICK_ONE_SIDE,
    WORDS,
    Drawer,
    desk,
    do,
    document_id,
    here,
    make,
    request,
    scan,
)
from tests.web.conftest import ORIGIN

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import Turn
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Reach
from papiermappe.services import destinations, pictures, running_routines
from papiermappe.services import devices as devices_service
from papiermappe.services import mappen as mappen_service
from papiermappe.services.finding import keep_words
from papiermappe.services.page_cache import PageCache
from papiermappe.services.pictures import PictureSize
from papiermappe.services.routine_runs import RoutineWanted
from papiermappe.services.views import mappe_view
from papiermappe.settings import Settings
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Document, Page
from papiermappe.web import device_watch
from papiermappe.web.app import MODULES, create_app
from papiermappe.web.device_watch import DeviceWatch
from papiermappe.web.events import Hub
from papiermappe.web.intake_list import IntakeList

HTML = {"Accept": "text/html"}


@pytest.fixture
def pages(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> list[int]:
    """Three fronts."""
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    return desk(store, mappe).order


def jobs(store: Store, kind: str) -> list[object]:
    """Return what the waiting jobs of a kind are about."""
    waiting = text("select args from procrastinate_jobs where task_name = :kind and status = 'todo' order by id")
    with store.begin() as session:
        return list(session.scalars(waiting, {"kind": kind}))


POSTS = [
    "/mappen", "/mappen/1/operations", "/mappen/1/undo", "/mappen/1/redo", "/mappen/1/split",
    "/mappen/1/subject", "/mappen/1/clear",
    "/mappen/1/take-back", "/mappen/1/runs", "/mappen/1/filings", "/mappen/1/levels/1", "/filings/1/try-again",
    "/filings/1/stop", "/filings/1/deliveries", "/destinations", "/destinations/trial", "/destinations/1",
    "/destinations/1/remove", "/destinations/1/take-back",
    "/mappen/1/name", "/naming-rules", "/naming-rules/1/rule", "/naming-rules/1/name",
    "/naming-rules/1/default", "/naming-rules/1/remove", "/naming-rules/1/take-back",
    "/runs/1/next-sheet", "/runs/1/stop", "/runs/1/continue", "/runs/1/dismiss", "/runs/1/backs",
    "/runs/1/retake",    "/mappen/1/imports", "/imports", "/imports/1/cancel", "/imports/1/password", "/folders",
    "/folders/1/remove", "/devices",
    "/devices/1/name", "/devices/1/default", "/devices/1/look", "/devices/1/remove", "/devices/1/take-back",
    "/tickets", "/tickets/1/settings", "/tickets/1/name", "/tickets/1/duplicate", "/tickets/1/default",
    "/tickets/1/naming-rule", "/tickets/1/remove", "/tickets/1/take-back", "/mappen/1/pairing", "/mappen/1/pile",
    "/mappen/1/send", "/mappen/1/join",
    "/mappen/1/cut-into-mappen", "/code-rules", "/code-rules/1/remove",
    "/routines", "/routines/1", "/routines/1/remove", "/routines/1/take-back", "/routine-files",
    "/mappen/1/routine-runs", "/mappen/1/pictures", "/mappen/1/routine-trials",
    "/mappen/1/phone-link", "/phone-links/1/withdraw", "/phone/1/pictures", "/phone/1/pictures/1/cancel",
    "/mappen/1/camera-pictures", "/mappen/1/camera-end",
    "/phone/1/pages/1/corners", "/phone/1/pages/1/turn", "/phone/1/pages/1/leave-out", "/phone/1/done",
]  # fmt: skip


def test_the_list_of_posts_is_whole() -> None:
    routes = [route for module in MODULES for route in module.router.routes if isinstance(route, APIRoute)]
    posts = {re.sub(r"{(\w+_id|secret)}", "1", route.path) for route in routes if "POST" in (route.methods or ())}
    assert posts == set(POSTS)


@pytest.mark.parametrize(
    "origin",
    ["http://evil.test", "null", "http://testserver.evil.test", "https://testserver", "http://[", "testserver", None],
)
def test_no_other_site_can_change_anything(origin: str | None, web: TestClient) -> None:
    del web.headers["Origin"]
    headers = {"Origin": origin} if origin else {}
    answers = {path: web.post(path, json={}, headers=headers).status_code for path in POSTS}
    assert answers == dict.fromkeys(POSTS, 403)


@pytest.mark.parametrize("path", ["/", "/mappen/1/intake", "/nowhere", "/static/papiermappe.css"])
def test_every_answer_carries_the_protecting_headers(path: str, web: TestClient, mappe: int) -> None:
    headers = web.get(path).headers
    assert headers["Content-Security-Policy"].startswith("default-src 'none'; script-src 'self'; style-src 'self'")
    assert "unsafe" not in headers["Content-Security-Policy"]
    assert headers["X-Content-Type-Options"] == "nosniff"


def test_other_host_names_are_refused(web: TestClient) -> None:
    """A name that an attacker lets point to loopback does not open the desk."""
    answer = web.get("/", headers={"Host": "rebound.test"})
    assert answer.status_code == 400
    assert answer.headers["X-Content-Type-Options"] == "nosniff"


def test_a_fault_of_ours_is_said_in_words_and_with_the_protecting_headers(
    database_url: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def break_down(*_: object) -> None:
        raise RuntimeError("a fault of ours, and what a page says")

    monkeypatch.setattr(mappen_service, "list_open", break_down)
    settings = Settings(data_dir=tmp_path, allowed_hosts=("testserver",))
    with TestClient(create_app(settings, database_url), headers=ORIGIN, raise_server_exceptions=False) as web:
        answer = web.get("/", headers=HTML)
    assert answer.status_code == 500
    assert "Something went wrong here. Nothing was lost" in answer.text
    assert "a fault of ours" not in answer.text
    assert answer.headers["Content-Security-Policy"].startswith("default-src 'none'")


@pytest.mark.parametrize("length", ["1000001", "9" * 400, "-1", "many"])
def test_a_body_that_says_it_is_too_large_is_not_read(length: str, web: TestClient, mappe: int) -> None:
    answer = web.post(f"/mappen/{mappe}/subject", content=b"{}", headers={"Content-Length": length})
    assert (answer.status_code, answer.json()["code"]) == (413, "too_large")


def test_a_body_that_does_not_say_how_large_it_is_is_cut_off(web: TestClient, store: Store, mappe: int) -> None:
    sent = []

    def endless() -> Iterator[bytes]:
        for _ in range(50):
            sent.append(b"x" * 100_000)
            yield sent[-1]

    answer = web.post(f"/mappen/{mappe}/subject", content=endless(), headers={"Content-Type": "application/json"})
    assert (answer.status_code, answer.json()["code"]) == (413, "too_large")
    assert mappe_view(ANNA, store, mappe).subject == "Lease Upper Meadow"


@pytest.mark.parametrize("body", [b"[" * 500_000, b'{"subject": ' + b"[" * 100_000, b'{"subject": "\\ud800"}', b"\xff"])
def test_json_that_is_no_use_is_refused_in_words(body: bytes, web: TestClient, store: Store, mappe: int) -> None:
    answer = web.post(f"/mappen/{mappe}/subject", content=body, headers={"Content-Type": "application/json"})
    assert answer.status_code in {400, 422}
    assert answer.json()["message"]
    assert mappe_view(ANNA, store, mappe).subject == "Lease Upper Meadow"


@pytest.mark.parametrize("text", ["\x00", "Upper\x00 Meadow"])
def test_text_that_no_database_keeps_is_refused_in_words(text: str, web: TestClient, mappe: int) -> None:
    run = web.post(f"/mappen/{mappe}/imports", json={"files": [{"name": f"a{text}.png", "byte_size": 3}]}).json()
    (file,) = web.get(f"/runs/{run}/files").json()
    assert "\x00" not in file["name"]
    ticket = web.get("/devices").json()["tickets"][0]["id"]
    settings = {"source": "feeder", "sides": "one", "dpi": 300, "colour": "grey"}
    for path, body in (
        (f"/tickets/{ticket}/settings", {**settings, "paper": text}),
        (f"/mappen/{mappe}/imports", {"files": [{"name": "a.pdf", "byte_size": text}]}),
    ):
        answer = web.post(path, json=body)
        assert answer.status_code == 422
        assert answer.json()["message"]


def test_a_file_is_sent_in_parts_and_no_part_is_too_large(web: TestClient, mappe: int) -> None:
    files = [{"name": "10.png", "byte_size": 4}, {"name": "9.png", "byte_size": 3}]
    run = web.post(f"/mappen/{mappe}/imports", json={"files": files}).json()
    first, second = web.get(f"/runs/{run}/files").json()
    assert (first["name"], second["name"]) == ("9.png", "10.png")
    assert web.put(f"/imports/{second['id']}?at=0", content=b"ab").json() == 2
    assert web.put(f"/imports/{second['id']}?at=0", content=b"").json() == 2
    assert web.put(f"/imports/{second['id']}?at=2", content=b"cd").json() == 4
    assert web.put(f"/imports/{first['id']}?at=0", content=b"x" * 2_000_000).status_code == 422  # more than was said
    assert web.put(f"/imports/{first['id']}?at=0", content=b"x" * 16_000_001).status_code == 413
    assert web.put(f"/imports/{first['id']}?at=0", content=b"x", headers={"Origin": "http://else"}).status_code == 403
    assert web.post(f"/imports/{first['id']}/password", json={"password": "a\x00"}).status_code == 422
    assert web.post(f"/imports/{first['id']}/cancel").status_code == 200
    assert web.get(f"/runs/{run}/files").json()[0]["state"] == "cancelled"


def test_a_mappe_is_opened_and_shown_at_every_station(web: TestClient) -> None:
    place = web.post("/mappen", data={"subject": "<script>alert(1)</script>"}).headers["Location"]
    assert place.endswith("/intake")
    for station in ("intake", "order", "tidy", "file"):
        html = web.get(place.replace("intake", station)).text
        assert "<script>alert" not in html
    assert "<script>alert" not in web.get("/").text
    assert web.get(place.replace("intake", "drawer")).status_code == 422


def test_settings_in_a_sentence_are_not_parted_from_the_comma_behind_them(web: TestClient, mappe: int) -> None:
    html = web.get(f"/mappen/{mappe}/intake").text
    sentence = html[html.index('<div class="sentence"') : html.index("</div>", html.index('<div class="sentence"'))]
    marks = re.findall(r"</(?:select|button)>[,.](.{7})", sentence)
    assert marks == 7 * ["</span>"]  # behind source and resolution, and behind each of the five words of arrival


def test_problems_are_pages_for_people_and_json_for_scripts(web: TestClient) -> None:
    page = web.get("/mappen/999/order", headers=HTML)
    assert page.status_code == 404
    assert "This Mappe is not there" in page.text
    said = "This Mappe is not there. It may have been cleared away."
    assert web.get("/mappen/999/order").json() == {"code": "mappe_gone", "message": said}
    assert web.post("/mappen/999/undo", json={"entry": 1}).status_code == 404
    assert web.get("/nowhere", headers=HTML).status_code == 404


def test_changes_of_pages(web: TestClient, store: Store, mappe: int, pages: list[int]) -> None:
    seen = desk(store, mappe).cursor
    places: list[list[dict[str, object]]] = []
    root = f"/mappen/{mappe}"

    def operate(kind: str, **how: object) -> object:
        answer = web.post(f"{root}/operations", json={"operation": {"kind": kind, **how}, "seen": seen})
        assert answer.status_code == 200, answer.text
        places.append(answer.json()["places"] if answer.json() else [])
        return answer.json() and answer.json()["entry"]

    assert operate("move", pages=pages[:1], before=None) == seen + 1
    # where it lies is told with the answer, before the window hears of it
    (moved,) = [page for page in desk(store, mappe).pages if page.id == pages[0]]
    assert places.pop() == [
        {"id": moved.id, "revision": seen + 1, "rank": moved.rank, "side": "front", "set_aside": False, "begins": None}
    ]
    assert desk(store, mappe).order == [pages[1], pages[2], pages[0]]
    assert operate("nudge", pages=pages[1:2], by=1)
    entry = operate("set_aside", pages=pages[2:])
    assert web.post(f"{root}/undo", json={"entry": entry}).status_code == 200
    assert web.post(f"{root}/redo", json={"entry": entry}).status_code == 200
    undone = web.post(f"{root}/undo", json={})  # the newest
    assert undone.json()["places"][0]["set_aside"] is False
    assert web.post(f"{root}/redo", json={}).status_code == 200
    assert operate("bring_back", pages=pages[2:])
    assert operate("bring_back", pages=pages[2:]) is None


def test_a_page_is_split_at_a_line_that_was_drawn(web: TestClient, store: Store, mappe: int, pages: list[int]) -> None:
    page = desk(store, mappe).detail(pages[1]).page
    width_mm, height_mm = page.width_mm, page.height_mm
    command = {"pages": pages, "seen": desk(store, mappe).cursor}
    assert web.post(f"/mappen/{mappe}/split", json=command).json()["code"] == "no_gutter"
    line = {"kind": "set_gutter", "pages": pages[1:2], "drawn_on_mm": [width_mm, height_mm]}
    for gutter, status in ([[90, 0], [95, height_mm]], 200), ([[900, 0], [900, height_mm]], 422), ([[90, 0]], 422):
        operation = {"operation": {**line, "gutter": gutter}, "seen": command["seen"]}
        assert web.post(f"/mappen/{mappe}/operations", json=operation).status_code == status
    assert len(web.post(f"/mappen/{mappe}/split", json=command).json()["places"]) == 2
    assert desk(store, mappe).order[0] == pages[0]
    assert len(desk(store, mappe).order) == len(pages) + 1


def test_a_routine_is_kept_listed_in_words_sent_as_a_file_and_taken_in(web: TestClient) -> None:
    steps = [{"on": "fronts", "does": {"kind": "set_tone", "tone": "grey"}}]
    kept = web.post("/routines", json={"name": "Grey/fronts", "steps": steps}).json()
    (listed,) = web.get("/routines").json()["routines"]
    assert (listed["id"], listed["name"]) == (kept, "Grey/fronts")
    assert listed["steps"][0]["message"]["text"] == "Show in grey"
    assert listed["steps"][0]["step"] == steps[0]
    file = web.get(f"/routines/{kept}/file")
    assert file.headers["content-disposition"] == "attachment; filename*=UTF-8''grey-fronts.json"
    assert web.post("/routine-files", json={"text": file.text}).json() != kept
    refused = web.post("/routine-files", json={"text": file.text.replace('"routine": 1', '"routine": 2')})
    assert (refused.status_code, refused.json()["code"]) == (422, "routine_file_later")
    assert "later version" in refused.json()["message"]
    nonsense = {"name": "x", "steps": [{"does": {"kind": "move", "before": None}}]}
    assert web.post("/routines", json=nonsense).status_code == 422
    assert [row["name"] for row in web.get("/routines").json()["routines"]] == ["Grey/fronts", "Grey/fronts 2"]


def test_a_routine_is_asked_for_and_its_progress_told(
    web: TestClient, store: Store, mappe: int, pages: list[int]
) -> None:
    root = f"/mappen/{mappe}"
    wanted = {"name": "Grey", "steps": [{"does": {"kind": "set_tone", "tone": "grey"}}], "pages": pages}
    seen = desk(store, mappe).cursor
    name = web.post(f"{root}/routine-runs", json={**wanted, "seen": seen}).json()
    assert web.get(f"{root}/routine-runs/{name}").json()["over"] is False
    running_routines.run_routine(
        store, mappe, name, RoutineWanted.model_validate(wanted), "", seen, here, DEFAULT_LIMIT_PX
    )
    assert web.get(f"{root}/routine-runs/{name}").json()["pages"] == 3
    trial = web.post(f"{root}/routine-trials", json=wanted).json()
    assert web.get(f"{root}/routine-trials/{trial}").json()["over"] is False
    assert web.get(f"{root}/routine-trials/{trial}/{'0' * 32}.jpg").status_code == 404
    lost = web.get(f"{root}/routine-runs/{'0' * 32}").json()["refused"]
    assert lost["text"] == "The routine could not be run. Nothing was changed: try again."
    draft = web.get(f"{root}/routine-draft").json()["steps"]
    assert [(row["message"]["text"], row["pages"], row["typical"]) for row in draft] == [("Show in grey", 3, True)]


def test_another_browser_is_another_person(web: TestClient, store: Store, mappe: int, pages: list[int]) -> None:
    turn = {"operation": {"kind": "turn", "pages": pages[:1], "quarter_turns": 1}, "seen": 0}
    assert web.post(f"/mappen/{mappe}/operations", json=turn).status_code == 200
    assert web.post(f"/mappen/{mappe}/operations", json=turn).status_code == 200  # one's own change is no conflict
    web.cookies.clear()
    refused = web.post(f"/mappen/{mappe}/operations", json=turn)
    assert (refused.status_code, refused.json()["code"]) == (409, "changed_meanwhile")


def test_a_command_that_is_sent_again_is_done_once(
    web: TestClient, store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    key = {"Idempotency-Key": "0b6d7f0e-1111-4222-8333-444455556666"}
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    answers = {
        web.post(f"/mappen/{mappe}/filings", json={"destinations": [place]}, headers=key).json() for _ in range(3)
    }
    assert len(answers) == 1
    assert len(desk(store, mappe).filings) == 1


@pytest.mark.parametrize(
    "operation",
    [
        {},
        {"kind": "move", "pages": [], "before": None},
        {"kind": "move", "pages": ["x"], "before": None},
        {"kind": "move", "pages": [1] * 10_001, "before": None},
        {"kind": "turn", "pages": [2**31], "quarter_turns": 1},
        {"kind": "turn", "pages": [1], "quarter_turns": 9},
        {"kind": "shred", "pages": [1]},
    ],
)
def test_commands_that_make_no_sense_change_nothing(operation: dict[str, object], web: TestClient, mappe: int) -> None:
    answer = web.post(f"/mappen/{mappe}/operations", json={"operation": operation, "seen": 1})
    assert answer.status_code == 422
    assert answer.json()["message"] == "What was sent cannot be read. Nothing was changed."


@pytest.mark.parametrize("path", ["/mappen/9999999999/order", "/?find=%00", "/mappen/1/events?since=-1", "/?page=0"])
def test_addresses_that_make_no_sense_are_refused(path: str, web: TestClient) -> None:
    assert web.get(path).status_code == 422


def test_a_picture_is_waited_for_and_kept_for_ever(web: TestClient, store: Store, mappe: int, pages: list[int]) -> None:
    page = desk(store, mappe).pages[0]
    scan = web.get(f"/pages/{page.id}/scan-{page.scan}-lane.jpg")
    assert scan.content[:2] == b"\xff\xd8"
    assert "immutable" in scan.headers["Cache-Control"]

    def work() -> None:
        pictures.make_picture(store, page.id, page.picture, PictureSize.STAGE, here, DEFAULT_LIMIT_PX)

    worker = Thread(target=work)
    worker.start()
    now = web.get(f"/pages/{page.id}/{page.picture}-stage.jpg")
    assert now.status_code == 200
    worker.join()

    before = web.get(f"/pages/{page.id}/{'0' * 32}-stage.jpg")  # by a window that has not heard of the change
    assert before.content == now.content
    assert before.headers["Cache-Control"] == "no-store"


def test_a_command_has_the_pictures_made_that_its_window_shows(
    web: TestClient, store: Store, mappe: int, pages: list[int]
) -> None:
    """Before the window has heard that they are others now; what has been made already is not made again."""
    shown = [{"pages": pages[:1], "size": "stage"}, {"pages": [*pages, 9999], "size": "lane"}]
    turn = {"operation": {"kind": "turn", "pages": pages, "quarter_turns": 1}, "seen": 1}
    answer = web.post(f"/mappen/{mappe}/operations", json={**turn, "shown": shown})
    seen = {page.id: page for page in desk(store, mappe).pages}
    told = {look["id"]: look for look in answer.json()["pictures"]}
    assert set(told) == set(pages)
    for page_id, look in told.items():
        assert look == seen[page_id].model_dump(include=set(look))
        assert {"revision", "picture", "width_mm", "height_mm"} < set(look)
    asked = [{"page_ids": pages[:1], "size": "stage"}, {"page_ids": pages, "size": "lane"}]
    assert jobs(store, "render_together") == asked
    pictures.make_pictures(store, pages, PictureSize.LANE, here, DEFAULT_LIMIT_PX)
    set_aside = {"operation": {"kind": "set_aside", "pages": pages}, "seen": 2}
    answer = web.post(f"/mappen/{mappe}/operations", json={**set_aside, "shown": shown[1:]})
    assert [look["picture"] for look in answer.json()["pictures"]] == [seen[page_id].picture for page_id in pages]
    assert jobs(store, "render_together") == asked  # they look as before
    assert web.post(f"/mappen/{mappe}/operations", json={**set_aside, "shown": shown * 2}).status_code == 422


def test_pictures_of_several_pages_are_made_together(
    web: TestClient, store: Store, mappe: int, pages: list[int]
) -> None:
    do(store, mappe, Turn(pages=tuple(pages), quarter_turns=1))
    wanted = {"pages": [*pages, 9999], "size": "lane"}
    assert web.post(f"/mappen/{mappe}/pictures", json=wanted).status_code == 204
    assert jobs(store, "render_together") == [{"page_ids": pages, "size": "lane"}]
    worker = Thread(
        target=lambda: pictures.make_pictures(store, [*pages, 9999], PictureSize.LANE, here, DEFAULT_LIMIT_PX)
    )
    worker.start()
    shown = [web.get(f"/pages/{page.id}/{page.picture}-lane.jpg") for page in desk(store, mappe).pages]
    worker.join()
    assert [answer.status_code for answer in shown] == [200] * 3
    assert len({answer.content for answer in shown}) == 3
    assert jobs(store, "render") == []  # they were under way, and only waited for
    assert web.post(f"/mappen/{mappe}/pictures", json={"pages": [], "size": "lane"}).status_code == 422
    assert web.post("/mappen/99/pictures", json=wanted).status_code == 404


def test_a_picture_that_cannot_be_made_does_not_keep_the_others(store: Store, mappe: int, pages: list[int]) -> None:
    do(store, mappe, Turn(pages=tuple(pages), quarter_turns=1))
    first, second, third = desk(store, mappe).pages
    with store.begin() as session:
        capture = session.get_one(Page, second.id).capture
        capture.sha256 = "0" * 64
    store.blobs.keep(Blobs.capture_key("0" * 64), b"no picture")
    pictures.make_pictures(store, pages, PictureSize.LANE, here, DEFAULT_LIMIT_PX)
    made = [pictures.made_picture(store, page.picture, PictureSize.LANE) for page in (first, third)]
    assert None not in made


def test_filed_documents_are_found_by_their_text(
    web: TestClient, store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    made = request(store, mappe, place, datetime(2026, 11, 27, tzinfo=UTC))
    make(store, made)
    with store.begin() as session:
        keep_words(session, session.scalars(select(Document.id)).one(), ["", "Our meadows & fields are let."])
    shown = web.get("/?find=meadow", headers=HTML).text
    assert f'href="/documents/{document_id(store, made)}/open#page=2"' in shown
    assert "Our <mark>meadows</mark> &amp; fields are let." in shown
    assert "neither in its name nor in its text" in web.get("/?find=orchard", headers=HTML).text


def test_a_torn_picture_is_made_again_and_never_served(store: Store, mappe: int, pages: list[int]) -> None:
    page = desk(store, mappe).pages[0]
    key = Blobs.picture_key(page.picture, PictureSize.LANE)
    whole = store.blobs.get(key)
    for torn in (b"", whole[:20], whole[:-1]):
        store.blobs.keep(key, torn)
        assert pictures.made_picture(store, page.picture, PictureSize.LANE) is None
    pictures.make_picture(store, page.id, page.picture, PictureSize.LANE, here, DEFAULT_LIMIT_PX)
    assert pictures.made_picture(store, page.picture, PictureSize.LANE) is not None


def test_a_picture_is_served_under_its_own_page_only(
    web: TestClient, store: Store, mappe: int, pages: list[int]
) -> None:
    first, second, _ = desk(store, mappe).pages
    assert web.get(f"/pages/{second.id}/scan-{first.scan}-lane.jpg").status_code == 404
    mappen_service.clear(ANNA, store, mappe)
    assert web.get(f"/pages/{first.id}/scan-{first.scan}-lane.jpg").status_code == 404


def test_a_page_is_told_in_words(web: TestClient, store: Store, mappe: int, pages: list[int]) -> None:
    detail = web.get(f"/mappen/{mappe}/pages/{pages[1]}").json()
    assert (detail["run"], detail["sheet"], detail["treatment"]["quarter_turns"]) == (1, 2, 0)
    assert web.get(f"/mappen/{mappe}/pages/999").status_code == 404


@pytest.mark.parametrize("name", ["x-lane", "..%2F..%2Fetc-lane", "0" * 32 + "-huge", "scan-0-lane"])
def test_other_pictures_are_not_made(name: str, web: TestClient, pages: list[int]) -> None:
    assert web.get(f"/pages/{pages[0]}/{name}.jpg").status_code in {404, 422}


def test_what_a_device_offers(web: TestClient, zaunkoenig: int) -> None:
    wish = {"dpi": "240", "paper": "A3", "source": "glass", "sides": "both"}
    offer = web.get(f"/devices/{zaunkoenig}/offer", params=wish).json()
    assert (offer["ticket"]["dpi"], offer["ticket"]["sides"]) == (200, "one")
    assert offer["choices"]["source"] == [
        {"value": "feeder", "label": "feeder"},
        {"value": "glass", "label": "glass"},
        {"value": "either", "label": "feeder or glass"},
    ]
    # 230 x 330 mm at 200 dpi are 4.7 megapixels; 0.75 bit each are 440 KB
    assert offer["notes"] == [
        "Zaunkönig D60 scans one side at a time from the glass.",
        "The glass scans at 75, 100, 150, 200, 300, 400 and 600 dpi, not at 240: 200 dpi is taken.",
        "A3 is larger than the glass, which takes 230 by 330 mm: any size is taken.",
    ]
    costs = [(cost["text"], cost["is_measured"]) for cost in offer["costs"]]
    assert costs[0] == ("440 KB a page", False)
    assert costs[1] == ("reads 7 pt print", False)
    assert costs[2][0].startswith("filed: Faithful ")
    assert web.get("/devices/999/offer").status_code == 404


def test_an_offer_says_what_of_size_lie_and_light_cannot_be_had(web: TestClient, stieglitz: int) -> None:
    wish: dict[str, str | int] = {
        "source": "feeder",
        "sides": "one",
        "paper": "A4",
        "lies": "sideways",
        "brightness": 30,
    }
    offer = web.get(f"/devices/{stieglitz}/offer", params=wish).json()
    assert offer["choices"]["brightness"] == []
    assert offer["notes"] == [
        "A4 does not lie sideways in the feeder, which takes 219 by 360 mm: any size is taken.",
        "The brightness of Stieglitz S25 cannot be set.",
    ]
    wish = {"source": "feeder", "sides": "one", "paper": "own", "width_mm": 90, "height_mm": 900}
    offer = web.get(f"/devices/{stieglitz}/offer", params=wish).json()
    assert (offer["ticket"]["width_mm"], offer["ticket"]["height_mm"]) == (90, pytest.approx(360, abs=0.1))
    assert offer["notes"] == ["The feeder takes 219 by 360 mm at most: so much is taken."]


def test_a_device_is_added_once_by_an_address_that_answers(web: TestClient, zaunkoenig: int, drawer: Drawer) -> None:
    assert web.post("/devices", json={"address": drawer.escl("zaunkoenig")}).json() == zaunkoenig
    for address, status in (("127.0.0.1:1", 502), ("nonsense address", 502), ("", 422)):
        answer = web.post("/devices", json={"address": address})
        assert answer.status_code == status
        assert answer.json()["message"]


def test_a_run_begins_only_with_a_ticket_the_device_offers(
    web: TestClient, store: Store, mappe: int, zaunkoenig: int
) -> None:
    ticket = {"source": "feeder", "sides": "both", "dpi": 300, "colour": "grey", "paper": "A4"}
    bad = web.post(f"/mappen/{mappe}/runs", json={"device": zaunkoenig, "ticket": {**ticket, "dpi": 1200}})
    assert (bad.status_code, bad.json()["code"]) == (422, "ticket_not_offered")
    good = web.post(f"/mappen/{mappe}/runs", json={"device": zaunkoenig, "ticket": ticket})
    assert good.status_code == 200
    assert web.post(f"/runs/{good.json()}/stop").status_code == 200
    assert desk(store, mappe).runs[0].stopping


def test_what_began_before_the_device_went_is_answered_again_as_it_was(
    web: TestClient, store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    key = {"Idempotency-Key": "5f0c2c7e-1111-4222-8333-444455556666"}
    added = {"Idempotency-Key": "5f0c2c7e-1111-4222-8333-444455557777"}
    start = {"device": zaunkoenig, "ticket": {"source": "feeder", "sides": "both", "dpi": 300, "colour": "grey"}}
    address = {"address": drawer.escl("zaunkoenig")}
    run = web.post(f"/mappen/{mappe}/runs", json=start, headers=key).json()
    assert web.post("/devices", json=address, headers=added).json() == zaunkoenig
    drawer.trouble(gone=True)
    assert web.post(f"/mappen/{mappe}/runs", json=start, headers=key).json() == run
    assert web.post("/devices", json=address, headers=added).json() == zaunkoenig
    assert len(desk(store, mappe).runs) == 1


def test_a_run_on_a_device_that_is_gone_is_refused(
    web: TestClient, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.trouble(gone=True)
    refused = web.post(f"/mappen/{mappe}/runs", json={"device": zaunkoenig, "ticket": {}})
    drawer.trouble()
    assert refused.status_code == 422
    assert "Nothing was scanned. Switch it on, or choose another." in refused.json()["message"]


def test_a_filed_document_is_listed_opened_and_downloaded(
    web: TestClient, store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    made = web.post(f"/mappen/{mappe}/filings", json={"destinations": [place]}).json()
    number = document_id(store, made)
    assert web.get(f"/documents/{number}/open").status_code == 404
    make(store, made)
    name = desk(store, mappe).filings[0].documents[0].file_name
    assert name in web.get("/", params={"find": "meadow"}).text
    assert name not in web.get("/", params={"find": "orchard"}).text
    opened, saved = web.get(f"/documents/{number}/open"), web.get(f"/documents/{number}/download")
    assert opened.content == saved.content
    assert opened.content[:5] == b"%PDF-"
    assert saved.headers["Content-Disposition"] == f"attachment; filename*=UTF-8''{name}"


def test_of_a_filed_document_parts_are_sent_as_browsers_ask_for_them(
    web: TestClient, store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    made = web.post(f"/mappen/{mappe}/filings", json={"destinations": [place]}).json()
    make(store, made)
    address = f"/documents/{document_id(store, made)}/open"
    whole = web.get(address)
    size, tag = len(whole.content), whole.headers["ETag"]
    assert (whole.headers["Accept-Ranges"], whole.headers["Content-Length"]) == ("bytes", str(size))
    assert "Content-Encoding" not in whole.headers  # or parts would be of something else

    def part(asked: str, since: str | None = None):  # type: ignore[no-untyped-def]  # the client's own answer
        return web.get(address, headers={"Range": f"bytes={asked}"} | ({"If-Range": since} if since else {}))

    for asked, first, end in (("0-99", 0, 100), ("100-", 100, size), ("-7", size - 7, size), ("50-9999999", 50, size)):
        answer = part(asked)
        assert (answer.status_code, answer.headers["Content-Range"]) == (206, f"bytes {first}-{end - 1}/{size}")
        assert answer.content == whole.content[first:end]
        assert answer.headers["Content-Security-Policy"] == whole.headers["Content-Security-Policy"]
    assert part("10-19", tag).content == whole.content[10:20]
    for ignored in (part("10-19", '"another"'), part("0-1,4-5"), part("9-3"), part("x-y")):
        assert (ignored.status_code, ignored.content) == (200, whole.content)
    beyond = part(f"{size}-")
    assert (beyond.status_code, beyond.headers["Content-Range"]) == (416, f"bytes */{size}")
    assert part("-0").status_code == 416


def test_a_mappe_is_cleared_away_and_taken_back(web: TestClient, store: Store, mappe: int, pages: list[int]) -> None:
    gone = web.post(f"/mappen/{mappe}/clear")
    assert gone.headers["Location"] == f"/?cleared={mappe}"
    start_page = web.get(gone.headers["Location"]).text
    assert "Take it back" in start_page
    assert "kept until" in start_page
    assert web.get(f"/mappen/{mappe}/order").status_code == 404
    assert web.post(f"/mappen/{mappe}/take-back").status_code == 303
    assert web.get(f"/mappen/{mappe}/order").status_code == 200


def test_pages_are_small_and_their_words_come_along(web: TestClient, mappe: int, pages: list[int]) -> None:
    answer = web.get(f"/mappen/{mappe}/order")
    assert answer.headers["Content-Encoding"] == "gzip"
    told = json.loads(re.findall(r'id="mappe">(.*?)</script>', answer.text, re.S)[0])
    assert told["changes"]["history"][0] == {
        "seq": told["changes"]["history"][0]["seq"],
        "at": told["changes"]["history"][0]["at"],
        "message": {"code": "run_ended", "text": "Run 1: 3 sheets, 3 pages"},
    }


@pytest.mark.anyio
async def test_windows_are_told_of_changes_and_catch_up(store: Store, mappe: int, pages: list[int]) -> None:
    hub = Hub(
        store, PageCache(), WORDS, DeviceWatch(store, Limits(), WORDS), IntakeList(store, Reach.NOWHERE, Limits())
    )
    listening = asyncio.create_task(hub.run())
    window = hub.events(mappe, 0, ANNA.author, None)
    first = json.loads(str((await anext(window)).data))
    assert first["changes"]["subject"] == "Lease Upper Meadow"
    assert [page["id"] for page in first["changes"]["pages"]] == pages
    await asyncio.to_thread(mappen_service.rename, ANNA, store, mappe, "Lease Lower Meadow")
    second = json.loads(str((await asyncio.wait_for(anext(window), PATIENCE_S)).data))
    assert second["changes"]["subject"] == "Lease Lower Meadow"
    assert second["changes"]["pages"] == []
    assert second["changes"]["cursor"] > first["changes"]["cursor"]
    await window.aclose()  # type: ignore[attr-defined]  # an async generator
    listening.cancel()


@pytest.mark.anyio
async def test_a_device_is_asked_once_for_all_windows(
    store: Store, zaunkoenig: int, drawer: Drawer, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = []
    ask = devices_service.ask_device

    def counted(*arguments: object) -> object:
        asked.append(arguments)
        return ask(*arguments)  # type: ignore[arg-type]  # passed through

    monkeypatch.setattr(device_watch, "ask_device", counted)
    watch = DeviceWatch(store, Limits(), WORDS)
    outboxes = [asyncio.Queue[ServerSentEvent | None]() for _ in range(5)]
    with contextlib.ExitStack() as windows:
        for outbox in outboxes:
            windows.enter_context(watch.window(zaunkoenig, outbox))
        told = [json.loads(str((await asyncio.wait_for(outbox.get(), PATIENCE_S)).data)) for outbox in outboxes]  # type: ignore[union-attr]  # an event
    assert {(device["name"], device["state"], device["feeder"]) for device in told} == {
        ("Zaunkönig D60", "ready", "feeder is empty")
    }
    assert len(asked) == 1


def test_a_lost_database_is_said(tmp_path: Path) -> None:
    settings = Settings(data_dir=tmp_path, allowed_hosts=("testserver",))
    with TestClient(create_app(settings, "postgresql://a:b@127.0.0.1:1/none"), headers=ORIGIN) as web:
        answer = web.get("/", headers=HTML)
    assert answer.status_code == 503
    assert "The database does not answer. Everything that was shown as arrived is safe." in answer.text


def test_health(web: TestClient) -> None:
    assert web.get("/health").json() == {"state": "well"}
