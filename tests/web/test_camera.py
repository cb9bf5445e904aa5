"""The camera of a desk: frames that are judged, and who may send them."""

import io

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from starlette.testclient import WebSocketTestSession
from starlette.websockets import WebSocketDisconnect
from tests.web.conftest import ORIGIN

from papiermappe.core.order.places import Side
from papiermappe.core.picture import Pixels
from papiermappe.services import mappen
from papiermappe.services.caller import Caller
from papiermappe.standin.camera.photos import sheet_of
from papiermappe.standin.camera.scene import Scene, Table, corners_px, photograph
from papiermappe.standin.camera.session import overhead
from papiermappe.store.database import Store
from papiermappe.web import camera

CAMERA = overhead(640)
LETTER = sheet_of("letter-share", 0, Side.FRONT)


def jpeg(pixels: Pixels) -> bytes:
    """Return a frame as a browser sends it."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "JPEG", quality=75)
    return out.getvalue()


def said(socket: WebSocketTestSession, frame: bytes) -> dict[str, object]:
    """Return what is said of a frame."""
    socket.send_bytes(frame)
    answer: dict[str, object] = socket.receive_json()
    return answer


def closed_with(web: TestClient, path: str, headers: dict[str, str], frame: bytes = b"") -> int:
    """Return the code with which the server closes a connection."""
    with web.websocket_connect(path, headers=headers) as socket:
        if frame:
            socket.send_bytes(frame)
        with pytest.raises(WebSocketDisconnect) as closed:
            socket.receive_json()
    return int(closed.value.code)


def test_frames_are_judged_until_one_is_to_be_taken(web: TestClient, mappe: int) -> None:
    frame = jpeg(photograph(Scene(Table.SLATE, sheet=LETTER), CAMERA))
    with web.websocket_connect(f"/mappen/{mappe}/camera", headers=ORIGIN) as socket:
        states: list[object] = []
        while not states or states[-1] != "take":
            answer = said(socket, frame)
            states.append(answer["state"])
            assert len(states) < 2000
        assert states[0] == "moving"
        found = np.array(answer["corners"]) * (640, 480)
        assert found == pytest.approx(corners_px(LETTER, CAMERA), abs=3)
        assert said(socket, frame)["state"] == "in"


def test_what_was_taken_by_hand_is_in(web: TestClient, mappe: int) -> None:
    frame = jpeg(photograph(Scene(Table.SLATE, sheet=LETTER), CAMERA))
    with web.websocket_connect(f"/mappen/{mappe}/camera", headers=ORIGIN) as socket:
        said(socket, frame)
        socket.send_text(camera.BY_HAND)
        said(socket, frame)
        assert said(socket, frame)["state"] == "in"


@pytest.mark.parametrize("frame", [b"no picture", b"\xff\xd8\xff" + bytes(50), jpeg(np.zeros((8, 8), np.uint8))])
def test_what_is_no_frame_shows_no_sheet(web: TestClient, mappe: int, frame: bytes) -> None:
    with web.websocket_connect(f"/mappen/{mappe}/camera", headers=ORIGIN) as socket:
        assert said(socket, frame) == {"state": "no_sheet", "corners": None, "name": None, "by_table": False}


def test_a_frame_that_is_too_large_ends_it(web: TestClient, mappe: int) -> None:
    code = closed_with(web, f"/mappen/{mappe}/camera", ORIGIN, bytes(camera.MAX_FRAME_BYTES + 1))
    assert code == camera.TOO_LARGE


def test_other_sites_have_nothing_judged(web: TestClient, mappe: int) -> None:
    assert closed_with(web, f"/mappen/{mappe}/camera", {"Origin": "http://evil.test"}) == camera.NOT_FROM_HERE


def test_a_mappe_that_is_not_there_is_not_watched_for(web: TestClient, store: Store, mappe: int) -> None:
    assert closed_with(web, "/mappen/999/camera", ORIGIN) == camera.GONE
    mappen.clear(Caller("anna"), store, mappe)
    assert closed_with(web, f"/mappen/{mappe}/camera", ORIGIN) == camera.GONE
