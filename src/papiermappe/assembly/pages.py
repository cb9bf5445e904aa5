"""One page of an assembly, for a process of its own."""

from typing import NamedTuple

import numpy as np

from papiermappe.assembly.order import Colours, Order, format_of
from papiermappe.core.clean.arrival import look_at
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.clean.tone import binarise
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.formats import ReadyPage, ready_page
from papiermappe.core.encode.plain import Readable, readable
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import Tone, Treatment, page_size_mm, render


class MadePage(NamedTuple):
    """A page, ready to be put into a file."""

    width_mm: float
    height_mm: float
    dpi: float
    colour: ColourKind
    treatment: Treatment
    findings: tuple[str, ...]
    way_up_open: bool = False
    """Whether it is not clear which way up it stands."""
    ready: ReadyPage = ReadyPage()
    to_read: Readable | None = None
    """For the recogniser: to be read, or to find the way up."""


def made_page(capture: CapturedPicture, order: Order, upright: TurnEstimate | None = None) -> MadePage:
    """Make a page as it was ordered; `upright` is how it has to be turned, if that is known. Raises PictureRefused."""
    look = look_at(capture, upright)
    found = look.treatment
    steps: dict[str, object] = {}
    if not order.straighten and found.straighten is not None:
        steps["straighten"] = found.straighten.model_copy(update={"on": False})
    if not order.crop and found.crop is not None:
        steps["crop"] = found.crop.model_copy(update={"on": False})
    colour = look.colour if order.colours is Colours.AUTO else ColourKind(order.colours.value)
    wanted = found.model_copy(update=steps)
    head = capture.head()
    width_mm, height_mm = page_size_mm(head.width_px, head.height_px, capture.dpi, wanted)
    dpi = min(capture.dpi, order.dpi or capture.dpi)
    width_px = None if dpi == capture.dpi else max(1, round(mm_to_px(width_mm, dpi)))
    grey_is_enough = colour is not ColourKind.COLOUR
    toned = wanted.model_copy(update={"tone": Tone.GREY if grey_is_enough else Tone.AS_SCANNED})
    page = render(capture, toned, width_px)
    made = MadePage(
        width_mm, height_mm, dpi, colour, toned, tuple(finding.message for finding in look.findings),
        way_up_open=look.way_up_open and upright is None,
        to_read=readable(page, dpi, order.care) if order.languages or look.way_up_open else None,
    )  # fmt: skip
    kind, bilevel = format_of(order.out), colour is ColourKind.BILEVEL
    if bilevel and not kind.is_of_words:
        page = np.where(binarise(page, dpi), np.uint8(0), np.uint8(255))
    return made._replace(ready=ready_page(page, dpi, kind, order.level, bilevel))
