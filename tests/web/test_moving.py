"""Pages between Mappen, cuts and dividers, as windows ask for them."""

import pytest
from fastapi.testclient import TestClient
from tests.helpers import QUICK, Drawer, analyse_all, desk, scan

from papiermappe.store.database import Store


@pytest.fixture
def pages(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> list[int]:
    """Four pages on two sheets, the second with a divider's code."""
    drawer.lay("hail", "divider-leases", "delivery-118")
    scan(store, mappe, zaunkoenig, QUICK.model_copy(update={"dpi": 150}))
    analyse_all(store, mappe)
    return desk(store, mappe).order


def test_cuts_are_proposed_with_their_reasons_in_words_and_made(
    web: TestClient, store: Store, mappe: int, pages: list[int]
) -> None:
    found = web.get(f"/mappen/{mappe}/cuts", params={"rule": "dividers"}).json()
    assert [(cut["page"], cut["name"]) for cut in found["cuts"]] == [(pages[0], ""), (pages[4], "Lease Upper Meadow")]
    assert found["cuts"][1]["reasons"] == [{"code": "cut_divider", "text": "a divider lies before it"}]
    cut = {"kind": "cut", "pages": [pages[0], pages[4]], "names": ["", "Lease"], "only": True, "aside": found["aside"]}
    web.post(f"/mappen/{mappe}/operations", json={"operation": cut, "seen": desk(store, mappe).cursor})
    made = web.post(f"/mappen/{mappe}/cut-into-mappen", json={"seen": desk(store, mappe).cursor}).json()
    assert desk(store, made[1]).order == pages[4:]
    (target,) = web.get("/mappen", params={"but": mappe}).json()
    assert target == {"id": made[1], "subject": "Lease", "page_count": 2}


def test_pages_are_sent_and_a_mappe_is_joined(web: TestClient, store: Store, mappe: int, pages: list[int]) -> None:
    seen = desk(store, mappe).cursor
    sent = {"pages": pages[:2], "into": {"subject": "Hail"}, "seen": seen}
    new = web.post(f"/mappen/{mappe}/send", json=sent).json()
    assert desk(store, new).order == pages[:2]
    assert web.get("/mappen", params={"find": "hai"}).json() == [{"id": new, "subject": "Hail", "page_count": 2}]
    web.post(f"/mappen/{mappe}/join", json={"other": new, "place": "beginning", "seen": desk(store, mappe).cursor})
    assert desk(store, mappe).order == pages


@pytest.mark.parametrize(
    ("path", "body", "status"),
    [
        ("send", {"pages": [1], "into": {"mappe": 2**31}, "seen": 0}, 422),
        ("send", {"pages": [], "into": {}, "seen": 0}, 422),
        ("send", {"pages": [2**31 - 1], "into": {}, "seen": 0}, 422),
        ("send", {"pages": [1], "into": {"mappe": 2**31 - 1}, "seen": 0}, 404),
        ("join", {"other": 2**31 - 1, "seen": 0}, 404),
        ("cut-into-mappen", {"seen": 0}, 422),
    ],
)
def test_what_cannot_be_done_is_said_in_words(
    path: str, body: dict[str, object], status: int, web: TestClient, mappe: int
) -> None:
    answer = web.post(f"/mappen/{mappe}/{path}", json=body)
    assert answer.status_code == status
    assert answer.json()["message"]


def test_a_place_that_no_page_can_have_is_refused(web: TestClient, store: Store, mappe: int, pages: list[int]) -> None:
    for place in (2**31, 0, "middle"):
        body = {"pages": pages[:2], "into": {"place": place}, "seen": desk(store, mappe).cursor}
        answer = web.post(f"/mappen/{mappe}/send", json=body)
        assert (answer.status_code, answer.json()["code"]) == (422, "not_valid")
    assert desk(store, mappe).order == pages


def test_dividers_are_a_pdf_of_as_many_sheets_as_wanted(web: TestClient) -> None:
    answer = web.get("/dividers.pdf", params={"names": "Hail\n\nLease\n", "copies": 2})
    assert answer.headers["Content-Type"] == "application/pdf"
    assert answer.content.count(b"/Type /Page\n") == 4
    assert web.get("/dividers.pdf", params={"kind": "labels"}).content[:5] == b"%PDF-"
    assert web.get("/dividers.pdf", params={"copies": 0}).status_code == 422
    refused = web.get("/dividers.pdf", params={"names": "a\n" * 50, "copies": 5})
    assert (refused.status_code, refused.json()["code"]) == (422, "too_many_dividers")


def test_names_in_use_can_stand_on_dividers(web: TestClient, mappe: int) -> None:
    known = web.get("/divider-names").json()
    assert known["mappen"] == ["Lease Upper Meadow"]
    assert (len(known["tickets"]), known["destinations"]) == (1, [])


def test_codes_are_made_to_count_and_no_more(web: TestClient) -> None:
    rule = {"format": "code_128", "pattern": "K-*", "use": "names"}
    number = web.post("/code-rules", json=rule).json()
    assert web.get("/code-rules").json() == [{"id": number, "rule": rule}]
    web.post(f"/code-rules/{number}/remove", json={})
    assert web.get("/code-rules").json() == []
    assert web.post(f"/code-rules/{number}/remove", json={}).status_code == 404
    for wrong in ({**rule, "pattern": ""}, {**rule, "pattern": "a\x00"}, {**rule, "use": "shreds"}):
        assert web.post("/code-rules", json=wrong).status_code == 422
