"""Routines: keeping, changing, trying and running them; as files in and out."""

from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Path
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel, Field

from papiermappe.core.naming.names import name_part
from papiermappe.core.operations.drafting import DraftStep
from papiermappe.core.operations.steps import Step, Steps
from papiermappe.message import Message
from papiermappe.services import routines, running_routines, trying_routines
from papiermappe.services.routine_runs import RoutineWanted
from papiermappe.web.author import Asks
from papiermappe.web.context import NOT_KEPT, Ctx, Id
from papiermappe.web.mappen import Change
from papiermappe.web.pictures import JpegResponse

router = APIRouter()

Name = Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]
PictureName = Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]


class NamedSteps(BaseModel):
    """Steps under a name."""

    name: str = Field(min_length=1, max_length=300)
    steps: Steps


class FileText(BaseModel):
    """What a file holds."""

    text: str


class RunWanted(RoutineWanted):
    """A routine to be run, by somebody who knew all changes up to `seen`."""

    seen: Change


class StepView(BaseModel):
    """A step, with words."""

    step: Step
    message: Message
    pages: int | None = None
    """How many it was done to, where it is proposed."""
    typical: bool = True
    """Whether it is proposed to be kept."""


class RoutineView(BaseModel):
    """A routine, with words."""

    id: int
    name: str
    steps: list[StepView]


class RoutineList(BaseModel):
    """All that are kept."""

    routines: list[RoutineView]


class Draft(BaseModel):
    """What was done to a Mappe, as steps."""

    steps: list[StepView]


@router.get("/routines", response_class=JSONResponse)
def kept(ctx: Ctx, caller: Asks) -> Response:
    """Return all routines, by their names."""
    views = [
        RoutineView(id=one.id, name=one.name, steps=[StepView(step=step, message=step.message) for step in one.steps])
        for one in routines.list_routines(caller, ctx.store)
    ]
    return _in_words(ctx, RoutineList(routines=views))


@router.post("/routines")
def keep(ctx: Ctx, caller: Asks, command: NamedSteps) -> int:
    """Keep steps under a new name."""
    return routines.keep_routine(caller, ctx.store, command.name, command.steps)


@router.post("/routines/{routine_id}")
def change(ctx: Ctx, caller: Asks, routine_id: Id, command: NamedSteps) -> None:
    """Give a routine other steps, or another name."""
    routines.change_routine(caller, ctx.store, routine_id, command.name, command.steps)


@router.post("/routines/{routine_id}/remove")
def remove(ctx: Ctx, caller: Asks, routine_id: Id) -> None:
    """Remove a routine."""
    routines.remove_routine(caller, ctx.store, routine_id)


@router.post("/routines/{routine_id}/take-back")
def take_back(ctx: Ctx, caller: Asks, routine_id: Id) -> None:
    """Take back a routine that was removed."""
    routines.take_routine_back(caller, ctx.store, routine_id)


@router.get("/routines/{routine_id}/file")
def export(ctx: Ctx, caller: Asks, routine_id: Id) -> Response:
    """Send a routine as a file."""
    file = routines.routine_file(caller, ctx.store, routine_id)
    named = quote(f"{name_part(file.name) or 'routine'}.json")
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{named}"}
    return Response(file.to_json(), media_type="application/json", headers=headers)


@router.post("/routine-files")
def bring_in(ctx: Ctx, caller: Asks, command: FileText) -> int:
    """Keep the routine of a file."""
    return routines.import_routine(caller, ctx.store, command.text.encode())


@router.get("/mappen/{mappe_id}/routine-draft", response_class=JSONResponse)
def draft(ctx: Ctx, caller: Asks, mappe_id: Id) -> Response:
    """Return what was done to a Mappe, as steps of a new routine."""
    found = routines.draft_of(caller, ctx.store, mappe_id)
    return _in_words(ctx, Draft(steps=[_drafted(step) for step in found]))


@router.post("/mappen/{mappe_id}/routine-runs")
def run(ctx: Ctx, caller: Asks, mappe_id: Id, command: RunWanted) -> str:
    """Have a routine run; return the name under which its progress is known."""
    wanted = RoutineWanted(name=command.name, steps=command.steps, pages=command.pages)
    return running_routines.request_routine(caller, ctx.store, mappe_id, wanted, command.seen)


@router.get("/mappen/{mappe_id}/routine-runs/{name}", response_class=JSONResponse)
def ran(ctx: Ctx, caller: Asks, mappe_id: Id, name: Name) -> Response:
    """Return how far a routine is."""
    return _in_words(ctx, running_routines.routine_ran(caller, ctx.store, mappe_id, name))


@router.post("/mappen/{mappe_id}/routine-trials")
def attempt(ctx: Ctx, caller: Asks, mappe_id: Id, command: RoutineWanted) -> str:
    """Have a routine tried on a few pages; return the name under which that is known."""
    return trying_routines.request_trial(caller, ctx.store, mappe_id, command)


@router.get("/mappen/{mappe_id}/routine-trials/{name}", response_class=JSONResponse)
def tried(ctx: Ctx, caller: Asks, mappe_id: Id, name: Name) -> Response:
    """Return what trying a routine has shown so far."""
    return _in_words(ctx, trying_routines.routine_tried(caller, ctx.store, mappe_id, name))


@router.get("/mappen/{mappe_id}/routine-trials/{name}/{picture}.jpg", response_class=JpegResponse)
def picture(ctx: Ctx, caller: Asks, mappe_id: Id, name: Name, picture: PictureName) -> Response:
    """Send the picture of a page as it would be."""
    jpeg = trying_routines.tried_picture(caller, ctx.store, mappe_id, name, picture)
    return JpegResponse(jpeg, headers=NOT_KEPT)


def _drafted(found: DraftStep) -> StepView:
    return StepView(step=found.step, message=found.step.message, pages=found.pages, typical=found.typical)


def _in_words(ctx: Ctx, answer: BaseModel) -> Response:
    body = answer.model_dump_json(context={"words": ctx.words})
    return Response(body, media_type="application/json", headers=NOT_KEPT)
