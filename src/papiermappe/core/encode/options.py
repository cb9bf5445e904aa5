"""What a person may ask of a document beyond its format and its level."""

from datetime import datetime
from enum import StrEnum
from typing import Annotated, NamedTuple

from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level


class TiffCoding(StrEnum):
    """How the pages of a TIFF are coded (TIFF 6.0, tag 259)."""

    AS_LEVEL = "as_level"
    """Print as the fax code, the rest without loss at Faithful, as JPEG otherwise."""
    FAX = "fax"
    """All pages in black and white (ITU-T T.6)."""
    DEFLATE = "deflate"
    """Without loss."""
    JPEG = "jpeg"


class SlipPlace(StrEnum):
    """Whether the record of a document goes with it."""

    KEPT = "kept"
    """It stays at the desk."""
    ATTACHED = "attached"
    """In the PDF, which is PDF/A-3 then."""
    BESIDE = "beside"
    """A file of its own next to the document."""


SLIP_ENDING = ".slip.json"
MIN_LIMIT_BYTES, MAX_LIMIT_BYTES = 10_000, 2_000_000_000


class DocumentOptions(BaseModel):
    """What a document says of itself, how large it may become, and what goes with it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: Annotated[str, Field(max_length=200)] = ""
    """Empty: its subject."""
    author: Annotated[str, Field(max_length=200)] = ""
    subject: Annotated[str, Field(max_length=300)] = ""
    keywords: Annotated[str, Field(max_length=500)] = ""
    tiff: TiffCoding = TiffCoding.AS_LEVEL
    limit_bytes: Annotated[int, Field(ge=MIN_LIMIT_BYTES, le=MAX_LIMIT_BYTES)] | None = None
    """A PDF that would be larger gets a smaller level on as many pages as it takes."""
    slip: SlipPlace = SlipPlace.KEPT

    @property
    def needs_pdf(self) -> bool:
        """Whether only a PDF can have what is asked for."""
        return self.limit_bytes is not None or self.slip is SlipPlace.ATTACHED


class About(NamedTuple):
    """What a document says about itself."""

    title: str
    """Shown by readers in place of the file name."""
    created: datetime
    """With its time zone."""
    language: str | None = None
    """Of its text, as in BCP 47; None where that is not known."""
    author: str = ""
    subject: str = ""
    keywords: str = ""
    """With commas between them."""


class Attachment(NamedTuple):
    """A file that a document carries."""

    name: str
    media_type: str
    data: bytes
    description: str = ""


class FileForm(NamedTuple):
    """What kind of file pages are written to."""

    kind: Format
    level: Level
    about: About
    tiff: TiffCoding = TiffCoding.AS_LEVEL
    attachments: tuple[Attachment, ...] = ()
    """Of a PDF."""
    password: str = ""
    """Without it, a PDF does not open; empty: it is not encrypted."""
