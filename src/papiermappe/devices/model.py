"""Abilities and state of a device, and the settings of a scan."""

from enum import StrEnum
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.paper import BY_NAME, PaperSize

ANY_SIZE = "any"
OWN_SIZE = "own"
FEEDER_MARGIN_MM = 8.0  # room for the skew that a feeder leaves
GLASS_MARGIN_MM = 18.0  # room for the skew that a hand leaves


class Source(StrEnum):
    """Where the paper is."""

    FEEDER = "feeder"
    GLASS = "glass"
    EITHER = "either"
    """The feeder if there is paper in it when a run begins, else the glass."""


class Sides(StrEnum):
    """Which sides are scanned."""

    ONE = "one"
    BOTH = "both"


class Colour(StrEnum):
    """Colour modes."""

    COLOUR = "colour"
    GREY = "grey"
    BILEVEL = "bilevel"
    BY_CONTENT = "by_content"
    """Scanned in colour; pages without colour are then shown in grey."""


class Lies(StrEnum):
    """Which way paper lies, seen from the device's front."""

    UPRIGHT = "upright"
    SIDEWAYS = "sideways"


class TurnsOver(StrEnum):
    """The edge at which printed sheets are turned over to read their backs."""

    LONG_EDGE = "long_edge"
    SHORT_EDGE = "short_edge"
    """Their backs are printed upside down against their fronts."""


class Reach(StrEnum):
    """Where scanners are looked for."""

    NETWORK = "network"
    LOOPBACK = "loopback"
    NOWHERE = "nowhere"


class _Value(BaseModel):
    model_config = ConfigDict(frozen=True)


class SourceAbilities(_Value):
    """What a glass or a feeder can do."""

    width_mm: float
    height_mm: float
    resolutions_dpi: tuple[int, ...]
    colours: tuple[Colour, ...]

    @property
    def colours_by_content(self) -> tuple[Colour, ...]:
        """The colour modes, and by content where there is colour to be left out."""
        return (*self.colours, *((Colour.BY_CONTENT,) if Colour.COLOUR in self.colours else ()))

    def papers(self, lies: Lies = Lies.UPRIGHT) -> list[str]:
        """Return the names of the paper sizes that fit as they lie, that of the whole area, and that of an own size."""
        ways = {name: size.turned() if lies is Lies.SIDEWAYS else size for name, size in BY_NAME.items()}
        fitting = [
            name for name, size in ways.items() if size.width_mm <= self.width_mm and size.height_mm <= self.height_mm
        ]
        return [*fitting, ANY_SIZE, OWN_SIZE]


class Span(_Value):
    """What a device takes for brightness or contrast, in its own numbers."""

    low: int
    normal: int
    high: int

    def at(self, percent: int) -> int:
        """Return the device's number for -100 (least) to 100 (most), 0 being its normal."""
        reach = self.high - self.normal if percent > 0 else self.normal - self.low
        return self.normal + round(reach * percent / 100)


class Abilities(_Value):
    """What a device can do."""

    name: str
    uuid: str | None = None
    admin_url: str | None = None
    glass: SourceAbilities | None = None
    feeder: SourceAbilities | None = None
    duplex: bool = False
    feeder_capacity: int | None = None
    brightness: Span | None = None
    contrast: Span | None = None

    def source(self, source: Source) -> SourceAbilities | None:
        """Return what a source can do; None if the device does not have it. Of either, what its feeder can do."""
        if source is Source.EITHER:
            return self.feeder if self.glass else None
        return self.feeder if source is Source.FEEDER else self.glass


class DeviceState(StrEnum):
    """A device's state, as eSCL names it."""

    IDLE = "Idle"
    PROCESSING = "Processing"
    TESTING = "Testing"
    STOPPED = "Stopped"
    DOWN = "Down"


def plain_uuid(text: str) -> str | None:
    """Return a UUID as RFC 4122 writes it, from any of the ways in which devices do; None where it is none."""
    try:
        return str(UUID(text.strip()))
    except ValueError:
        return None


class JobStatus(_Value):
    """Status of a job."""

    uri: str
    state: str
    """As eSCL names it."""
    images_completed: int | None
    """How many pages of it have been scanned; None if the device does not count."""
    age_s: int | None = None
    """Since when there has been no change of it, as most devices have it; None if the device does not say."""

    @property
    def under_way(self) -> bool:
        """Whether pages are still to come."""
        return self.state in {"Pending", "Processing"}

    @property
    def completed(self) -> bool:
        """Whether it has ended as it should."""
        return self.state == "Completed"


def job_name(uri: str) -> str:
    """Return what tells a job from others: devices give a whole URL at one place, and only a path at another."""
    return uri.rstrip("/").rsplit("/", 1)[-1]


class DeviceStatus(_Value):
    """State of a device."""

    state: DeviceState
    adf_state: str | None = None
    jobs: tuple[JobStatus, ...] = ()

    @property
    def paper_loaded(self) -> bool | None:
        """Whether there is paper in the feeder; None if the device does not say."""
        return {"ScannerAdfLoaded": True, "ScannerAdfEmpty": False}.get(self.adf_state or "")

    def job(self, url: str) -> JobStatus | None:
        """Return the status of a job; None if the device does not know it."""
        return next((job for job in self.jobs if job_name(job.uri) == job_name(url)), None)


class TicketSettings(_Value):
    """Settings of a scan."""

    source: Source = Source.FEEDER
    sides: Sides = Sides.BOTH
    dpi: int = Field(default=300, ge=50, le=1200)
    colour: Colour = Colour.COLOUR
    paper: str = Field(default="A4", max_length=40, pattern=r"^[\w .-]*$")
    width_mm: float = Field(default=100.0, ge=20, le=1200, allow_inf_nan=False)
    height_mm: float = Field(default=150.0, ge=20, le=1200, allow_inf_nan=False)
    """Of paper of an own size, as it lies; they mean nothing for other paper."""
    lies: Lies = Lies.UPRIGHT
    turns_over: TurnsOver = TurnsOver.LONG_EDGE
    brightness: int = Field(default=0, ge=-100, le=100)
    contrast: int = Field(default=0, ge=-100, le=100)
    """Percent of what the device can do, 0 as it does by itself."""

    straighten: bool = True
    crop: bool = True
    upright: bool = True
    """Whether pages are turned upright when they arrive."""
    blank_backs_aside: bool = False
    """Whether backs with nothing on them are set aside when they arrive."""
    cut_at_dividers: bool = False
    """Whether documents begin behind dividers once all pages of a run are in."""
    routine: int = Field(default=0, ge=0, lt=2**31)
    """The routine that is run once all pages of a run are in, by its id; 0: none."""
    pair_backs: bool = True
    """Whether backs that came for earlier fronts are laid to them where it is sure which belong together."""

    @property
    def is_pile(self) -> bool:
        """Whether sheets come one after the other by themselves."""
        return self.source is not Source.GLASS

    @property
    def has_turned_backs(self) -> bool:
        """Whether backs come upside down against their fronts."""
        return self.sides is Sides.BOTH and self.turns_over is TurnsOver.SHORT_EDGE

    def fitted(self, abilities: Abilities) -> "TicketSettings":
        """Return the ticket with each setting that the device does not offer replaced by the nearest that it does."""
        source = self.source if abilities.source(self.source) else (Source.FEEDER if abilities.feeder else Source.GLASS)
        able = abilities.source(source)
        if able is None:
            return self
        two_sided = source is not Source.GLASS and abilities.duplex
        colours = able.colours_by_content
        return self.model_copy(
            update={
                "source": source,
                "sides": self.sides if two_sided else Sides.ONE,
                "dpi": min(able.resolutions_dpi, key=lambda dpi: abs(dpi - self.dpi)),
                "colour": self.colour if self.colour in colours else colours[0],
                "paper": self.paper if self.paper in able.papers(self.lies) else ANY_SIZE,
                "width_mm": min(self.width_mm, able.width_mm) if self.paper == OWN_SIZE else self.width_mm,
                "height_mm": min(self.height_mm, able.height_mm) if self.paper == OWN_SIZE else self.height_mm,
                "brightness": self.brightness if abilities.brightness else 0,
                "contrast": self.contrast if abilities.contrast else 0,
            }
        )

    def at(self, abilities: Abilities, status: DeviceStatus) -> "TicketSettings":
        """Return the ticket with the source that has paper now, where either would do, as the device can do it."""
        if self.source is not Source.EITHER:
            return self
        source = Source.FEEDER if status.paper_loaded else Source.GLASS
        return self.model_copy(update={"source": source}).fitted(abilities)

    def area_mm(self, able: SourceAbilities) -> tuple[float, float]:
        """Return width and height of the area to scan: the paper with room for skew, limited to the source."""
        size = self._paper_size()
        if size is None:
            return able.width_mm, able.height_mm
        margin_mm = FEEDER_MARGIN_MM if self.source is Source.FEEDER else GLASS_MARGIN_MM
        return min(size.width_mm + margin_mm, able.width_mm), min(size.height_mm + margin_mm, able.height_mm)

    def _paper_size(self) -> PaperSize | None:
        """Return the paper as it lies; None if it may have any size."""
        if self.paper == OWN_SIZE:
            return PaperSize(OWN_SIZE, self.width_mm, self.height_mm)
        size = BY_NAME.get(self.paper)
        return size.turned() if size and self.lies is Lies.SIDEWAYS else size
