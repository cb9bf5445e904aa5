"""The camera of a desk: its frames are judged as they come, its pictures are received like files."""

import time
from typing import Annotated

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from papiermappe.core.photo.watching import CameraWatch, Seen, SeenState
from papiermappe.core.picture import Pixels, decode
from papiermappe.errors import PapiermappeError, PictureRefused
from papiermappe.services import camera
from papiermappe.services.importing import Announced
from papiermappe.services.mappen import must_be_visible
from papiermappe.web.author import Asks
from papiermappe.web.context import MAX_ID, Context, Ctx, Id
from papiermappe.web.events import WINDOW
from papiermappe.web.imports import FileToCome
from papiermappe.web.security import from_our_pages

router = APIRouter()

MAX_FRAME_BYTES = 1_000_000
MAX_FRAME_PX = 3_000_000
NOT_FROM_HERE, TOO_LARGE, GONE = 4403, 4413, 4404
"""Codes by which a window is told why it is not listened to (RFC 6455, 7.4.2: from 4000 on they are ours)."""
BY_HAND, AGAIN = "by_hand", "again"


Share = Annotated[float, Field(ge=-1, le=2)]
SharePlace = tuple[Share, Share]


class CameraPicture(FileToCome):
    """A picture that the camera of a desk has taken."""

    again_file: Annotated[int | None, Field(ge=1, le=MAX_ID)] = None
    """The picture that is taken again."""
    near: tuple[SharePlace, SharePlace, SharePlace, SharePlace] | None = None
    """The corners of the sheet as the last frame showed them, as shares of its width and height."""


class CameraEnd(BaseModel):
    """What is to become of the pictures of a camera."""

    model_config = ConfigDict(extra="forbid")

    open_book: bool = False
    """Whether each shows two pages, which are to be split."""


class FrameAnswer(BaseModel):
    """What a window is told of a frame."""

    state: SeenState
    corners: list[tuple[float, float]] | None
    """Of the sheet, as shares of the width and the height of the frame, clockwise."""
    name: str | None = None
    """That a divider gives the next document."""
    by_table: bool = False
    """Whether the empty table told where the sheet is: then the corners are to be sent with the picture."""


@router.post("/mappen/{mappe_id}/camera-pictures")
def announce(ctx: Ctx, caller: Asks, mappe_id: Id, command: CameraPicture) -> int:
    """Expect a picture of the desk's camera; answer with the file as which its parts are sent."""
    picture = Announced(command.name, command.byte_size)
    return camera.expect_picture(caller, ctx.store, mappe_id, picture, again_file=command.again_file, near=command.near)


@router.post("/mappen/{mappe_id}/camera-end")
def end(ctx: Ctx, caller: Asks, mappe_id: Id, command: CameraEnd) -> None:
    """End what the desk's camera takes for the Mappe, when all that is here has been read."""
    camera.end_pictures(caller, ctx.store, mappe_id, open_book=command.open_book)


@router.websocket("/mappen/{mappe_id}/camera")
async def watch(socket: WebSocket, mappe_id: int) -> None:
    """Judge frames, one after the other: a JPEG comes, what it shows is answered.

    `by_hand`: it was taken all the same. `again`: what was taken last may be taken once more.

    Frames are kept nowhere. What a person has taken by hand is not taken once more by itself.
    """
    ctx: Context = socket.app.state.context
    await socket.accept()
    if not from_our_pages(socket.headers, {"ws": "http", "wss": "https"}[socket.url.scheme]):
        await socket.close(NOT_FROM_HERE)
        return
    try:
        await run_in_threadpool(must_be_visible, WINDOW, ctx.store, mappe_id)
    except PapiermappeError:
        await socket.close(GONE)
        return
    judge = _Judge()
    try:
        while True:
            message = await socket.receive()
            if message["type"] == "websocket.disconnect":
                return
            if message.get("text") == BY_HAND:
                await run_in_threadpool(judge.note_taken)
                continue
            if message.get("text") == AGAIN:
                judge.forget()
                continue
            frame = message.get("bytes") or b""
            if len(frame) > MAX_FRAME_BYTES:
                await socket.close(TOO_LARGE)
                return
            answer = await run_in_threadpool(judge.judged, frame)
            await socket.send_text(answer.model_dump_json())
    except WebSocketDisconnect:
        return


class _Judge:
    """Judges the frames of one window."""

    def __init__(self) -> None:
        self._watch = CameraWatch()
        self._last: Pixels | None = None

    def judged(self, jpeg: bytes) -> FrameAnswer:
        """Return what is to be said of a frame; of what is no picture, that no sheet is seen."""
        try:
            frame = decode(jpeg, MAX_FRAME_PX)
        except PictureRefused:
            return FrameAnswer(state=SeenState.NO_SHEET, corners=None)
        if frame.ndim != 3:
            return FrameAnswer(state=SeenState.NO_SHEET, corners=None)
        self._last = frame
        return _answer(self._watch.judge(frame, time.monotonic()), frame)

    def note_taken(self) -> None:
        """Take what the last frame showed for taken."""
        if self._last is not None:
            self._watch.note_taken(self._last)

    def forget(self) -> None:
        """Let the sheet that was taken last be taken once more, after it has been moved."""
        self._watch.forget()


def _answer(seen: Seen, frame: Pixels) -> FrameAnswer:
    if seen.corners_px is None:
        return FrameAnswer(state=seen.state, corners=None)
    height, width = frame.shape[:2]
    corners = [((float(x) + 0.5) / width, (float(y) + 0.5) / height) for x, y in seen.corners_px]
    return FrameAnswer(state=seen.state, corners=corners, name=seen.name, by_table=seen.by_table)
