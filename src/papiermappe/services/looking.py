"""A look at the glass: what lies on it, fast and at low resolution. It is shown, and never kept."""

import contextlib
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from sqlalchemy import exists, select

from papiermappe.core.clean import find_originals, stray_light
from papiermappe.core.clean.stray_light import is_of_light
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.pages import page_jpeg
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import Treatment
from papiermappe.core.zones import Zone
from papiermappe.devices.errors import AnswerRefused, DeviceError
from papiermappe.devices.escl import EsclClient, Limits
from papiermappe.devices.model import ANY_SIZE, Colour, Sides, Source, SourceAbilities, TicketSettings
from papiermappe.services.caller import Caller
from papiermappe.services.devices import device_at
from papiermappe.services.errors import NotPossible
from papiermappe.store.database import Store
from papiermappe.store.models import Run, RunState

LEAST_DPI = 150
"""Enough to find edges through a scanner's noise."""
SHOWN_PX = 900
WHOLE_SHARE = 0.97
"""A find that takes so much of the glass is the glass itself."""


class Look(NamedTuple):
    """What lies on the glass."""

    jpeg: bytes
    """As it is shown: smaller than the device sent it."""
    width_mm: float
    height_mm: float
    originals: list[Zone]
    """The boxes round the originals, in reading order; none where nothing stands out."""
    light_gets_in: bool
    """Whether the lid does not lie flat."""


def look_at_glass(caller: Caller, store: Store, device_id: int, limits: Limits) -> Look:
    """Scan the whole glass quickly, and find what lies on it.

    Raises:
        NotFound: there is no such device.
        NotPossible: it has no glass, or a run has it.
        DeviceError: it does not answer as it should.
    """
    device = device_at(caller, store, device_id)
    with store.begin() as session:
        live = exists().where(Run.device_id == device_id, Run.state.in_([RunState.RECEIVING, RunState.WAITING]))
        if session.scalar(select(live)):
            raise NotPossible("device_at_work_now", device=device.name)
    with EsclClient(device.url, limits) as client:
        able = client.abilities().glass
        if able is None:
            raise NotPossible("no_glass", device=device.name)
        ticket = _quick(able)
        job = client.start(ticket)
        try:
            data = client.next_page(job)
        finally:
            with contextlib.suppress(DeviceError):
                client.cancel(job)
    if data is None:
        raise AnswerRefused("answer_unreadable")
    picture = CapturedPicture(data, float(ticket.dpi), limits.page_px)
    shown = page_jpeg(picture, Treatment(), SHOWN_PX, THUMBNAIL_QUALITY)
    originals = originals_on(picture, able)
    light_gets_in = stray_light(picture.pixels(), picture.dpi, [original.corners() for original in originals])
    if light_gets_in:
        size_mm = able.width_mm, able.height_mm
        originals = [original for original in originals if not is_of_light(original.corners(), size_mm)]
    return Look(shown, able.width_mm, able.height_mm, originals, light_gets_in)


def _quick(able: SourceAbilities) -> TicketSettings:
    """Return the fastest settings that show enough."""
    enough = [dpi for dpi in able.resolutions_dpi if dpi >= LEAST_DPI] or list(able.resolutions_dpi)
    colour = Colour.COLOUR if Colour.COLOUR in able.colours else able.colours[0]
    return TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=min(enough), colour=colour, paper=ANY_SIZE)


def originals_on(picture: CapturedPicture, able: SourceAbilities) -> list[Zone]:
    """Return the boxes round what lies on a glass, in mm from its corner, in reading order."""
    boxes = [_on_glass(corners, able) for corners in find_originals(picture.pixels(), picture.dpi)]
    whole_mm2 = able.width_mm * able.height_mm
    return [box for box in boxes if box.width_mm * box.height_mm < WHOLE_SHARE * whole_mm2]


def _on_glass(corners: Sequence[tuple[float, float]], able: SourceAbilities) -> Zone:
    """Return a box as far as it lies on the glass."""
    places = np.clip(np.array(corners), 0.0, (able.width_mm, able.height_mm))
    (left, top), (right, bottom) = places.min(axis=0), places.max(axis=0)
    return Zone(
        x_mm=round(float(left), 1),
        y_mm=round(float(top), 1),
        width_mm=round(max(1.0, float(right - left)), 1),
        height_mm=round(max(1.0, float(bottom - top)), 1),
    )
