"""The request for an assembly, and the report of its result."""

from enum import StrEnum
from pathlib import Path

from pydantic import BaseModel, ConfigDict, SecretStr

from papiermappe.assembly.errors import EndingUnknown
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import DocumentOptions
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.core.reading.proposal import Proposals
from papiermappe.message import Message

DEFAULT_LANGUAGES = ("eng",)


class Colours(StrEnum):
    """Which colour pages keep."""

    AUTO = "auto"
    """What each page needs."""
    COLOUR = "colour"
    GREY = "grey"
    BILEVEL = "bilevel"


def format_of(file: Path) -> Format:
    """Return the format of a file by its extension. Raises EndingUnknown."""
    ending = {".tiff": ".tif", ".jpeg": ".jpg"}.get(file.suffix.lower(), file.suffix.lower())
    try:
        return Format(ending)
    except ValueError as exc:
        raise EndingUnknown("ending_unknown", file=file.name, known=", ".join(Format)) from exc


class CutRequest(BaseModel):
    """By what pages are cut into documents, each a file of its own."""

    model_config = ConfigDict(frozen=True)

    rule: CutRule
    every: int = 1
    """Sheets a document, for the rule that counts them."""

    @property
    def needs_text(self) -> bool:
        """Whether what is printed on pages must be known."""
        return self.rule is CutRule.NUMBERS


class AssemblyRequest(BaseModel):
    """What to make from which files."""

    model_config = ConfigDict(frozen=True)

    sources: tuple[Path, ...] = ()
    fronts: tuple[Path, ...] = ()
    backs: tuple[Path, ...] = ()
    """Files of fronts and of backs that are put together; then there are no other sources."""
    backs_lie: BacksOrder | None = None
    """In which order the backs lie; None: that is found out."""
    cut: CutRequest | None = None
    """None: all pages are one document."""
    out: Path
    """Documents that were cut get its name with their numbers and names behind it."""
    replaces: bool = True
    """Whether files that are there may be written over."""
    level: Level = Level.BALANCED
    languages: tuple[str, ...] = ()
    """That pages are read in; empty: they are not read."""
    mode: RecognitionMode = RecognitionMode.ACCURATE
    """How thoroughly they are read."""
    straighten: bool = True
    crop: bool = True
    dpi: float | None = None
    """Of pages that are finer than this; of pages of PDFs. None: as they are, PDFs at 300."""
    colours: Colours = Colours.AUTO
    wipe_shared: bool = False
    """Whether holes, staples, folds, shadows and lines of dust are wiped that most pages of a side show."""
    clean_borders: bool = False
    """Whether dark rims along the edges of scans are wiped, where no crop has taken them away."""
    photos: bool = False
    """Whether pictures are photos of sheets also where they do not name a camera."""
    split_spreads: bool = False
    """Whether spreads whose gutter is sure become two pages, left then right."""
    align_margins: bool = False
    """Whether what is printed is moved to where it is on most pages: from the left, or of spreads from the gutter."""
    routine: Path | None = None
    """A file with a routine, whose steps are done first."""
    naming_rule: Path | None = None
    """A file with a naming rule: documents get their names by it, in the folder of `out`; None: that of `out`."""
    options: DocumentOptions = DocumentOptions()
    """What documents say of themselves, how large they may be, and how a TIFF is coded."""
    password: SecretStr = SecretStr("")
    """Without it a PDF does not open; empty: it is not encrypted."""
    refuses_broken: bool = False
    """Whether a file that cannot be read stops everything; else it is left out and named."""

    @property
    def files(self) -> tuple[Path, ...]:
        """All that is read."""
        return self.sources or (*self.fronts, *self.backs)


class PlaceInFile(BaseModel):
    """A page of a file."""

    file: str
    page: int
    """From 1."""


class PairReport(BaseModel):
    """A sheet: its two sides, as far as they are there."""

    front: PlaceInFile | None
    back: PlaceInFile | None
    evidence: list[str]
    """What speaks for it, in codes."""
    confidence: float


class PairsReport(BaseModel):
    """How fronts and backs were put together, where that was asked for."""

    pairs: list[PairReport] | None = None
    """The sheets that fronts and backs were put together to; None where that was not asked for."""
    backs_lie: BacksOrder | None = None
    missing: list[PlaceInFile] = []
    """The pages whose other side is missing."""
    doubled: list[PlaceInFile] = []
    """Pages that came twice, and are left out."""
    sure: bool | None = None
    """Whether every pair is sure."""


class PartReport(BaseModel):
    """A document that pages were cut into."""

    name: str
    file: str
    pages: list[PlaceInFile]
    proposals: Proposals | None = None
    """What its first page says of it; None where that was not read."""


class MisfitReport(BaseModel):
    """A step that could not be done to some pages."""

    step: Message
    pages: list[PlaceInFile]
    reason: Message


Corner = tuple[float, float]


class ZoneReport(BaseModel):
    """An area that is wiped on a page."""

    name: str
    """The same on all pages that have it."""
    kind: str
    confidence: float
    """The share of the pages of its side that show what is wiped."""
    corners: tuple[Corner, Corner, Corner, Corner]
    """On the picture as it came, in mm from its top left: its own top left, top right, bottom right, bottom left."""


class PageReport(BaseModel):
    """Result of one page."""

    source: str
    number: int
    """In its file, from 1."""
    width_mm: float
    height_mm: float
    colour: str
    level: Level
    made_of: str | None = None
    byte_size: int | None = None
    skew_deg: float = 0.0
    operations: tuple[str, ...] = ()
    """What was done to it, in codes."""
    corners_px: tuple[Corner, ...] | None = None
    """Of the sheet on a photo, in px of it, clockwise from the top left of the page; None where it is a scan."""
    confidence: float | None = None
    """How sure they are; below 0.5 the photo stays as it came."""
    half: str | None = None
    """`left` or `right` where it is one page of a spread."""
    gutter: tuple[Corner, ...] | None = None
    """Of a spread, on the picture as it came, in mm from its top left, from the top of the spread to its bottom."""
    gutter_confidence: float | None = None
    margins_mm: Corner = (0.0, 0.0)
    """How far what is printed was moved right and down."""
    zones: tuple[ZoneReport, ...] = ()
    findings: tuple[Message, ...] = ()
    unsure: tuple[Message, ...] = ()
    """What was left undone since it is not sure."""
    words: int | None = None
    guesses: int = 0
    """Words that were left out, since they were guessed rather than read."""
    unread: Message | None = None
    """Why it was not read."""


class Report(PairsReport):
    """Result of a request."""

    out: tuple[str, ...]
    proposals: Proposals | None = None
    """What the first page says of the document, with which it could be named; None where it was not read."""
    parts: list[PartReport] | None = None
    """The documents that the pages were cut into; None where that was not asked for."""
    pages: tuple[PageReport, ...]
    byte_size: int
    level: Level
    misfits: tuple[MisfitReport, ...] = ()
    """Where steps could not be done."""
    left_out: tuple[Message, ...] = ()
    """Files that could not be read, each with why."""
