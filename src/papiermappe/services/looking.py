"""A look at the glass: what lies on it, fast and at low resolution. It is shown for a while, and is never a page."""

import contextlib
from uuid import uuid4

from pydantic import BaseModel, ConfigDict
from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.glass import see_glass
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.zones import Zone
from papiermappe.devices.errors import AnswerRefused, DeviceError
from papiermappe.devices.escl import EsclClient, Limits
from papiermappe.devices.model import ANY_SIZE, Colour, Sides, Source, SourceAbilities, TicketSettings
from papiermappe.errors import PapiermappeError
from papiermappe.message import Message
from papiermappe.services.caller import Caller
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Device, Run, RunState
from papiermappe.store.queue import JobKind, enqueue

LEAST_DPI = 150
"""Enough to find edges through a scanner's noise."""


class Look(BaseModel):
    """What lies on the glass."""

    model_config = ConfigDict(ser_json_bytes="base64", val_json_bytes="base64")

    jpeg: bytes
    """As it is shown: smaller than the device sent it."""
    width_mm: float
    height_mm: float
    originals: list[Zone]
    """The boxes round the originals, in reading order; none where nothing stands out."""
    light_gets_in: bool
    """Whether the lid does not lie flat."""


class LookOutcome(BaseModel):
    """How a look ended."""

    model_config = ConfigDict(ser_json_bytes="base64", val_json_bytes="base64")

    look: Look | None = None
    problem: Message | None = None
    """What was in the way."""


@transaction
def request_look(_: Caller, session: Session, device_id: int) -> str:
    """Have the glass of a device looked at; return the name under which the look will be known.

    Raises:
        NotFound: there is no such device.
        NotPossible: a run has it.
    """
    _free_device(session, device_id)
    name = uuid4().hex
    enqueue(session, JobKind.LOOK, device_id=device_id, name=name)
    return name


def quickest(able: SourceAbilities) -> TicketSettings:
    """Return the fastest settings that show enough."""
    enough = [dpi for dpi in able.resolutions_dpi if dpi >= LEAST_DPI] or list(able.resolutions_dpi)
    colour = Colour.COLOUR if Colour.COLOUR in able.colours else able.colours[0]
    return TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=min(enough), colour=colour, paper=ANY_SIZE)


def look_seen(store: Store, name: str) -> LookOutcome | None:
    """Return how a look ended; None until it has."""
    kept = store.blobs.cached(Blobs.look_key(name))
    return LookOutcome.model_validate_json(kept) if kept else None


def look_at_glass(store: Store, device_id: int, name: str, compute: Compute, limits: Limits) -> None:
    """Scan the whole glass quickly, find what lies on it, and keep that for a while under a name."""
    if look_seen(store, name) is not None:
        return
    try:
        outcome = LookOutcome(look=_look(store, device_id, compute, limits))
    except PapiermappeError as exc:
        outcome = LookOutcome(problem=exc.message)
    store.blobs.cache(Blobs.look_key(name), outcome.model_dump_json().encode())


def _look(store: Store, device_id: int, compute: Compute, limits: Limits) -> Look:
    with store.begin() as session:
        device = _free_device(session, device_id)
    with EsclClient(device.url, limits) as client:
        able = client.abilities().glass
        if able is None:
            raise NotPossible("no_glass", device=device.name)
        ticket = quickest(able)
        job = client.start(ticket)
        try:
            data = client.next_page(job)
        finally:
            with contextlib.suppress(DeviceError):
                client.cancel(job)
    if data is None:
        raise AnswerRefused("answer_unreadable")
    picture = CapturedPicture(data, float(ticket.dpi), limits.page_px)
    seen = compute(see_glass, picture, (able.width_mm, able.height_mm))
    return Look(width_mm=able.width_mm, height_mm=able.height_mm, **seen._asdict())


def _free_device(session: Session, device_id: int) -> Device:
    """Return a device that no run has. Raises NotFound, NotPossible."""
    device = session.get(Device, device_id)
    if device is None:
        raise NotFound("device_gone")
    live = exists().where(Run.device_id == device_id, Run.state.in_([RunState.RECEIVING, RunState.WAITING]))
    if session.scalar(select(live)):
        raise NotPossible("device_at_work_now", device=device.name)
    return device
