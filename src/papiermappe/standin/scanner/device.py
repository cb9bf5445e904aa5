"""A scanner without its network: paper, states, jobs. What it delivers is an exposure, not yet a picture."""

import random
import uuid
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Literal, NamedTuple

from pydantic import BaseModel, Field

from papiermappe.core.order.places import Side
from papiermappe.core.paper import PaperSize
from papiermappe.standin.paper.drawing import DrawnSide, draw_side
from papiermappe.standin.paper.originals import ORIGINALS
from papiermappe.standin.paper.physics import Lay, Optics, Region, corners_mm, lay_sheet
from papiermappe.standin.scanner.profiles import Profile, Source

READING_DPI = 150
NOTHING = "nothing"


class Light(NamedTuple):
    """The numbers of brightness and contrast."""

    low: int
    normal: int
    high: int


LIGHT = Light(0, 1000, 2000)
_NO_PAPER = PaperSize("none", 1, 1)
EDGE_MM = 6.0
GAP_MM = (14.0, 22.0)
_BESIDE_THE_BED = Lay((-20.0, -20.0), 0.0)


class LaidSheet(BaseModel):
    """One sheet as it lies in the feeder or on the glass."""

    original: str
    sheet: int = 0
    seed: int = 0
    upside_down: bool = False
    turned_over: bool = False
    """Its back lies where the front should."""

    def side(self, side: Side) -> DrawnSide:
        """Return what the sensor for fronts or backs sees."""
        if self.original == NOTHING:
            return draw_side(_NO_PAPER, None)
        original = ORIGINALS[self.original]
        drawn = original.sheets[self.sheet]
        shows_front = (side is Side.FRONT) != self.turned_over
        paper = drawn.paper or original.paper
        return draw_side(paper, drawn.front if shows_front else drawn.back, sideways=drawn.sideways)


class SheetBeside(BaseModel):
    """A sheet that lies on the glass beside the first one."""

    laid: LaidSheet
    centre_mm: tuple[float, float]
    angle_deg: float

    @property
    def lay(self) -> Lay:
        """How it lies."""
        return Lay(self.centre_mm, self.angle_deg)


Trouble = Literal["ScannerAdfJam", "ScannerAdfMispick", "ScannerAdfMultipickDetected", "ScannerAdfDuplexPageTooLong"]
"""What keeps a sheet from coming, as eSCL names it."""


class Faults(BaseModel):
    """What goes wrong in the next run, when this sheet should come; sheets are counted from 1, on the glass by jobs."""

    jam_at: int | None = Field(default=None, ge=1)
    double_at: int | None = Field(default=None, ge=1)
    too_long_at: int | None = Field(default=None, ge=1)
    """Longer than both sides can be taken of; a run of one side takes it."""
    mispick_at: int | None = Field(default=None, ge=1)
    cover_at: int | None = Field(default=None, ge=1)
    """The cover is opened."""
    gone_at: int | None = Field(default=None, ge=1)
    """The device is gone from the network."""
    restart_at: int | None = Field(default=None, ge=1)
    """It is switched off and on."""


class Paper(BaseModel):
    """All that lies in and on a device: what stays where it is when the power goes."""

    feeder: list[LaidSheet] = []
    glass: LaidSheet | None = None
    beside: list[SheetBeside] = []
    """Other originals on the glass."""
    leaves: list[LaidSheet] = Field(default_factory=list)
    """What is bound, and lies on the glass once it is turned there."""
    cover_open: bool = False
    lid_raised: bool = False
    """Something thick keeps the lid from lying flat."""
    gone: bool = False
    asleep: bool = False
    """Its first answer takes long; then it is awake."""
    faults: Faults = Faults()
    trouble: Trouble | None = None


class JobState(StrEnum):
    """The life of a job, as eSCL names it: Processing, then one of the others."""

    PROCESSING = "Processing"
    COMPLETED = "Completed"
    CANCELED = "Canceled"
    ABORTED = "Aborted"


class Colour(StrEnum):
    """Colour modes, as eSCL names them."""

    BILEVEL = "BlackAndWhite1"
    GREY = "Grayscale8"
    COLOUR = "RGB24"


class SettingsRefused(Exception):
    """The device cannot do what the settings ask."""


class Busy(Exception):
    """Another job has the device, or it is stopped."""


class Stuck(Exception):
    """The paper does not come: jammed, doubled, or the cover is open."""


class SwitchedOff(Exception):
    """There is no answer."""


@dataclass(frozen=True)
class ScanRequest:
    """Scan settings, parsed."""

    source: Literal["Platen", "Feeder"]
    duplex: bool
    dpi: int
    colour: Colour
    document_format: str
    region: Region | None = None
    compression: int = 25
    brightness: int = LIGHT.normal
    contrast: int = LIGHT.normal


class Truth(BaseModel):
    """What is really on a delivered picture."""

    original: str
    sheet: int
    side: Side
    page_number: int | None
    skew_deg: float
    """Of the content against upright, counter-clockwise positive; 180 degrees more where it lies upside down."""
    corners_mm: list[tuple[float, float]]
    lines: list[str]


@dataclass(frozen=True)
class Exposure:
    """One side before the sensor: all that its picture follows from."""

    laid: LaidSheet
    side: Side
    lay: Lay
    optics: Optics
    region: Region
    request: ScanRequest
    beside: tuple[tuple[LaidSheet, Lay], ...] = ()
    """What lies on the glass as well."""

    @property
    def seed(self) -> int:
        """The seed of this side's light and noise."""
        return self.laid.seed * 2 + (self.side is Side.BACK)

    def truth(self) -> Truth:
        """Return what is really on the picture."""
        drawn = self.laid.side(self.side)
        texts = [line.text for line in drawn.lines]
        numbers = [
            int(line.text.removeprefix("Page "))
            for line in drawn.lines
            if line.y_mm > drawn.paper.height_mm - 20 and line.text.removeprefix("Page ").isdigit()
        ]
        return Truth(
            original=self.laid.original,
            sheet=self.laid.sheet,
            side=self.side,
            page_number=numbers[-1] if numbers else None,
            skew_deg=self.lay.angle_deg,
            corners_mm=list(corners_mm(drawn, self.lay, self.region)),
            lines=texts,
        )


@dataclass
class Job:
    """One scan job."""

    request: ScanRequest
    uuid: str = field(default_factory=lambda: str(uuid.uuid4()))
    state: JobState = JobState.PROCESSING
    reason: str = "JobScanning"
    fed: int = 0
    back_waiting: LaidSheet | None = None
    glass_taken: bool = False
    truths: list[Truth] = field(default_factory=list)
    touched_s: float = 0.0

    @property
    def exposed(self) -> int:
        """How many sides have passed the sensor, whether or not they have reached the client."""
        return len(self.truths)


class Device:
    """A scanner: what lies in it, and its jobs, the newest last."""

    def __init__(self, profile: Profile, paper: Paper | None = None) -> None:
        self.profile = profile
        self.paper = paper or Paper()
        self.jobs: list[Job] = []

    @property
    def active(self) -> Job | None:
        """The job that has the device."""
        return next((job for job in self.jobs if job.state is JobState.PROCESSING), None)

    @property
    def adf_state(self) -> str:
        """The feeder's state, as eSCL names it."""
        if self.paper.cover_open:
            return "ScannerAdfHatchOpen"
        if self.paper.trouble:
            return self.paper.trouble
        if (job := self.active) and job.request.source == "Feeder":
            return "ScannerAdfProcessing"
        return "ScannerAdfLoaded" if self.paper.feeder else "ScannerAdfEmpty"

    @property
    def state(self) -> str:
        """The device's state, as eSCL names it."""
        if self.paper.cover_open or self.paper.trouble:
            return "Stopped"
        return "Processing" if self.active else "Idle"

    def lay_in_feeder(self, sheets: Sequence[LaidSheet]) -> None:
        """Put sheets under those that lie in the feeder already, as many as it holds."""
        room = self.profile.feeder_capacity - len(self.paper.feeder)
        self.paper.feeder.extend(sheets[:room])

    def lay_on_glass(self, sheets: Sequence[LaidSheet]) -> None:
        """Lay the first sheet into the corner, and the others apart from it and from each other, row by row.

        Those for which there is no room are left away. Of what is bound, one place after the other will lie there.
        """
        self.paper.glass, self.paper.beside, self.paper.leaves = sheets[0], [], []
        if ORIGINALS[sheets[0].original].bound:
            self.paper.leaves = list(sheets[1:])
            return
        glass = self.profile.glass
        if glass is None:
            return
        first = sheets[0].side(Side.FRONT).paper
        right_mm, top_mm, row_mm = first.width_mm + EDGE_MM, EDGE_MM, first.height_mm + EDGE_MM
        for laid in sheets[1:]:
            hand = random.Random(laid.seed)  # noqa: S311 (how a hand lays paper)
            paper = laid.side(Side.FRONT).paper
            gap_mm, angle_deg = hand.uniform(*GAP_MM), hand.uniform(-2.5, 2.5)
            if right_mm + gap_mm + paper.width_mm > glass.width_mm - EDGE_MM:
                right_mm, top_mm, row_mm = EDGE_MM, top_mm + row_mm + gap_mm, 0.0
                gap_mm = 0.0
            if top_mm + paper.height_mm > glass.height_mm - EDGE_MM or paper.width_mm > glass.width_mm - 2 * EDGE_MM:
                continue
            centre = right_mm + gap_mm + paper.width_mm / 2, top_mm + paper.height_mm / 2
            self.paper.beside.append(SheetBeside(laid=laid, centre_mm=centre, angle_deg=angle_deg))
            right_mm += gap_mm + paper.width_mm
            row_mm = max(row_mm, paper.height_mm)

    def clear_path(self) -> None:
        """Take out what is stuck; it goes back on top of the pile, where it is counted already."""
        self.paper.trouble = None

    def restart(self) -> None:
        """Switch it off and on: paper stays, jobs are forgotten."""
        self.jobs = []

    def start(self, request: ScanRequest) -> Job:
        """Begin a job.

        Raises:
            Busy: stopped, or another job is running.
            SettingsRefused: the settings cannot be met, or the feeder is empty.
        """
        if self.state != "Idle":
            raise Busy(self.state)
        source = self._source(request)
        if request.dpi not in source.resolutions_dpi:
            raise SettingsRefused("resolution")
        if request.source == "Feeder" and not self.paper.feeder:
            raise SettingsRefused("the feeder is empty")
        region = request.region or Region(0, 0, source.width_mm, source.height_mm)
        if (
            region.x_mm + region.width_mm > source.width_mm + 0.2
            or region.y_mm + region.height_mm > source.height_mm + 0.2
        ):
            raise SettingsRefused("region")
        job = Job(request)
        self.jobs = [*self.jobs[-19:], job]
        return job

    def _source(self, request: ScanRequest) -> Source:
        source = self.profile.feeder if request.source == "Feeder" else self.profile.glass
        if source is None or (request.duplex and not (self.profile.duplex and request.source == "Feeder")):
            raise SettingsRefused("source")
        return source

    def foresee(self, job: Job) -> Exposure | None:
        """Return what `expose` would deliver next if nothing goes wrong; changes nothing."""
        if job.state is not JobState.PROCESSING:
            return None
        if job.request.source == "Platen":
            return None if job.glass_taken else self._exposure(job, self.paper.glass, Side.FRONT)
        if job.back_waiting:
            return self._exposure(job, job.back_waiting, Side.BACK)
        return self._exposure(job, self.paper.feeder[0], Side.FRONT) if self.paper.feeder else None

    def expose(self, job: Job) -> Exposure | None:
        """Bring the next side before the sensor; None where the job has no more.

        Raises:
            Stuck: the paper does not come; the job is aborted.
            SwitchedOff: the device has no power, or no network, for now.
        """
        if job.state is not JobState.PROCESSING:
            return None
        self._check_power(job)
        if job.request.source == "Feeder" and not job.back_waiting:
            self._check_path(job)
        exposure = self.foresee(job)
        if exposure is None:
            job.state, job.reason = JobState.COMPLETED, "JobCompletedSuccessfully"
            return None
        if job.request.source == "Platen":
            job.glass_taken = True
        elif job.back_waiting:
            job.back_waiting = None
        else:
            fed = self.paper.feeder.pop(0)
            job.fed += 1
            job.back_waiting = fed if job.request.duplex else None
        job.truths.append(exposure.truth())
        return exposure

    def delivered(self, job: Job) -> None:
        """Note that a side has reached the client; a glass job ends with it."""
        if job.request.source == "Platen":
            job.state, job.reason = JobState.COMPLETED, "JobCompletedSuccessfully"
            if self.paper.leaves and job.request.dpi >= READING_DPI:  # not after a look
                self.paper.glass = self.paper.leaves.pop(0)

    def cancel(self, job: Job) -> None:
        """End a job before its time."""
        if job.state is JobState.PROCESSING:
            job.state, job.reason = JobState.CANCELED, "JobCanceledByUser"

    def _check_power(self, job: Job) -> None:
        """Raise SwitchedOff if power or network is to fail now."""
        faults = self.paper.faults
        glass_jobs = sum(other.request.source == "Platen" for other in self.jobs)
        sheet = glass_jobs if job.request.source == "Platen" else job.fed + 1
        if (
            sheet not in {faults.gone_at, faults.restart_at}
            or job.back_waiting
            or not (self.paper.feeder or job.request.source == "Platen")
        ):
            return
        self.paper.gone, self.paper.faults = sheet == faults.gone_at, Faults()
        self.restart()
        raise SwitchedOff

    def _check_path(self, job: Job) -> None:
        faults = self.paper.faults
        if self.paper.feeder and faults.jam_at == job.fed + 1:
            self.paper.trouble, self.paper.faults = "ScannerAdfJam", Faults()
        elif len(self.paper.feeder) > 1 and faults.double_at == job.fed + 1:
            self.paper.trouble, self.paper.faults = "ScannerAdfMultipickDetected", Faults()
        elif self.paper.feeder and job.request.duplex and faults.too_long_at == job.fed + 1:
            self.paper.trouble, self.paper.faults = "ScannerAdfDuplexPageTooLong", Faults()
        elif self.paper.feeder and faults.mispick_at == job.fed + 1:
            self.paper.trouble, self.paper.faults = "ScannerAdfMispick", Faults()
        elif self.paper.feeder and faults.cover_at == job.fed + 1:
            self.paper.cover_open, self.paper.faults = True, Faults()
        if self.paper.trouble or self.paper.cover_open:
            job.state, job.reason = JobState.ABORTED, "AbortedBySystem"
            raise Stuck(self.adf_state)

    def _exposure(self, job: Job, laid: LaidSheet | None, side: Side) -> Exposure:
        source, on_glass = self._source(job.request), job.request.source == "Platen"
        optics = source.optics
        if on_glass and self.paper.lid_raised:
            optics = replace(optics, light_from_mm=source.width_mm)
        region = job.request.region or Region(0, 0, source.width_mm, source.height_mm)
        if laid is None:
            return Exposure(LaidSheet(original=NOTHING), side, _BESIDE_THE_BED, optics, region, job.request)
        paper = laid.side(side).paper
        lies_across = paper.width_mm > source.width_mm
        size_mm = (paper.height_mm, paper.width_mm) if lies_across else (paper.width_mm, paper.height_mm)
        lay = lay_sheet(*size_mm, laid.upside_down, optics, laid.seed)
        if lies_across:
            lay = Lay(lay.centre_mm, lay.angle_deg + 90.0)
        if side is Side.BACK:
            lay = Lay(lay.centre_mm, -lay.angle_deg)
        beside = tuple((other.laid, other.lay) for other in self.paper.beside) if on_glass else ()
        return Exposure(laid, side, lay, optics, region, job.request, beside)
