"""The request for an assembly, and the report of its result."""

from enum import StrEnum
from pathlib import Path

from pydantic import BaseModel, ConfigDict

from papiermappe.assembly.errors import EndingUnknown
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.message import Message


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


class AssemblyRequest(BaseModel):
    """What to make from which files."""

    model_config = ConfigDict(frozen=True)

    sources: tuple[Path, ...]
    out: Path
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
    refuses_broken: bool = False
    """Whether a file that cannot be read stops everything; else it is left out and named."""


class PageReport(BaseModel):
    """Result of one page."""

    source: str
    number: int
    """In its file, from 1."""
    width_mm: float
    height_mm: float
    colour: str
    made_of: str | None = None
    byte_size: int | None = None
    skew_deg: float = 0.0
    findings: tuple[Message, ...] = ()
    words: int | None = None
    unread: Message | None = None
    """Why it was not read."""


class Report(BaseModel):
    """Result of a request."""

    out: tuple[str, ...]
    pages: tuple[PageReport, ...]
    byte_size: int
    level: Level
    left_out: tuple[Message, ...] = ()
    """Files that could not be read, each with why."""
