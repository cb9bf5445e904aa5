"""Files that are brought in: announced, sent in parts, cancelled, opened with a password."""

import asyncio
from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel, Field
from starlette.exceptions import HTTPException

from papiermappe.core.order.landing import BacksOrder
from papiermappe.devices.files import MAX_BYTES
from papiermappe.services import importing, watching
from papiermappe.services.importing import Announced, FromFiles
from papiermappe.web.author import Asks
from papiermappe.web.context import MAX_ID, Ctx, Id
from papiermappe.web.security import MAX_PART_BYTES

router = APIRouter()


class FileToCome(BaseModel):
    """A file that will be sent."""

    name: str = Field(max_length=1000)
    byte_size: Annotated[int, Field(ge=0, lt=2**53)]


class BringIn(BaseModel):
    """Files that will be sent, and what their pages are."""

    files: Annotated[list[FileToCome], Field(min_length=1, max_length=importing.MAX_FILES)]
    both_sides: bool = False
    """Fronts and backs in turn."""

    def announced(self) -> list[Announced]:
        """Return the files as the services know them."""
        return [Announced(file.name, file.byte_size) for file in self.files]


class BringInto(BringIn):
    """Files for one Mappe."""

    backs_of: Annotated[int | None, Field(ge=1, le=MAX_ID)] = None
    """The run whose backs they are."""
    order: BacksOrder = BacksOrder.AS_LAID


class WatchFolder(BaseModel):
    """A folder to be watched."""

    path: str = Field(max_length=1000)
    both_sides: bool = False


class Password(BaseModel):
    """What opens a locked file."""

    password: str = Field(max_length=200)


@router.post("/mappen/{mappe_id}/imports")
def start(ctx: Ctx, caller: Asks, mappe_id: Id, command: BringInto) -> int:
    """Begin to bring files into a Mappe; answer with the run."""
    what = FromFiles(command.both_sides, command.backs_of, command.order)
    return importing.start_import(caller, ctx.store, mappe_id, command.announced(), what)


@router.post("/imports")
def start_each(ctx: Ctx, caller: Asks, command: BringIn) -> list[int]:
    """Begin to bring files in, each into a new Mappe; answer with the runs."""
    return importing.start_imports(caller, ctx.store, command.announced(), command.both_sides)


@router.get("/runs/{run_id}/files")
def list_files(ctx: Ctx, caller: Asks, run_id: Id) -> list[dict[str, object]]:
    """Return the files of a run, in their order, with what is said of them."""
    files = importing.files_of(caller, ctx.store, run_id)
    return [
        {
            **file.model_dump(mode="json", exclude={"message"}),
            "text": ctx.words.text(file.message) if file.message else "",
        }
        for file in files
    ]


@router.put("/imports/{file_id}")
async def receive(
    request: Request, ctx: Ctx, caller: Asks, file_id: Id, at: Annotated[int, Query(ge=0, le=MAX_BYTES)]
) -> int:
    """Take the part of a file that begins at a byte; answer how many bytes are here."""
    part = await part_of(request)
    return await asyncio.to_thread(importing.receive_part, caller, ctx.store, ctx.incoming, file_id, at, part)


async def part_of(request: Request) -> bytes:
    """Return the part of a file that a request brings; refuse one that is too large."""
    part = bytearray()
    async for chunk in request.stream():
        part += chunk
        if len(part) > MAX_PART_BYTES:
            raise HTTPException(413)
    return bytes(part)


@router.post("/imports/{file_id}/cancel")
def cancel(ctx: Ctx, caller: Asks, file_id: Id) -> None:
    """Leave a file out."""
    importing.cancel_file(caller, ctx.store, file_id)


@router.post("/imports/{file_id}/password")
def unlock(ctx: Ctx, caller: Asks, file_id: Id, command: Password) -> None:
    """Try a locked file with a password."""
    importing.give_password(caller, ctx.store, file_id, command.password)


@router.post("/folders")
def watch(ctx: Ctx, caller: Asks, command: WatchFolder) -> int:
    """Watch a folder; each file dropped there comes into a new Mappe."""
    roots = [str(root) for root in ctx.settings.watchable]
    return watching.watch_folder(caller, ctx.store, command.path, roots, command.both_sides)


@router.post("/folders/{folder_id}/remove")
def stop_watching(ctx: Ctx, caller: Asks, folder_id: Id) -> None:
    """Watch a folder no more."""
    watching.stop_watching(caller, ctx.store, folder_id)
