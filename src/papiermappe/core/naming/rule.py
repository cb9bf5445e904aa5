"""What a naming rule consists of. It can be kept, sent and read as JSON."""

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

MOST_PARTS = 20
LEAST_CHARACTERS, MOST_CHARACTERS = 20, 180
MOST_WIDTH = 9
SAID_BY_PAGE = {"sender", "number", "kind", "place", "pattern"}
Millimetres = Annotated[float, Field(ge=0, le=2000, allow_inf_nan=False)]
FixedText = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]+$")]


class _Value(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class DateSource(StrEnum):
    """Which day a date is."""

    TODAY = "today"
    SCANNED = "scanned"
    """The day on which the first page came in."""
    PRINTED = "printed"
    """The day that the document tells; today where it tells none."""


class DateForm(StrEnum):
    """How a day is spelled."""

    DAY = "day"
    """2026-11-24"""
    DIGITS = "digits"
    """20261124"""
    MONTH = "month"
    """2026-11"""
    YEAR = "year"
    """2026"""


class DatePart(_Value):
    """A day."""

    kind: Literal["date"] = "date"
    source: DateSource = DateSource.TODAY
    form: DateForm = DateForm.DAY


class SubjectPart(_Value):
    """What the document is about: the name of its Mappe, or of its part."""

    kind: Literal["subject"] = "subject"


class SenderPart(_Value):
    """Who has sent it, as the page says."""

    kind: Literal["sender"] = "sender"


class DocumentNumberPart(_Value):
    """The number that is printed on it, of an invoice for example."""

    kind: Literal["number"] = "number"


class DocumentKindPart(_Value):
    """What kind of document it is."""

    kind: Literal["kind"] = "kind"


class DevicePart(_Value):
    """The device that its first page came from."""

    kind: Literal["device"] = "device"


class TicketPart(_Value):
    """The ticket that its first page was scanned by."""

    kind: Literal["ticket"] = "ticket"


class WhoPart(_Value):
    """Who files it, as they call themselves."""

    kind: Literal["who"] = "who"


class TextPart(_Value):
    """The same in every name."""

    kind: Literal["text"] = "text"
    text: FixedText


class PlacePart(_Value):
    """What stands in one place of the first page."""

    kind: Literal["place"] = "place"
    x_mm: Millimetres
    y_mm: Millimetres
    width_mm: Millimetres
    height_mm: Millimetres


class PatternPart(_Value):
    """The first word of the first page that is as a pattern says."""

    kind: Literal["pattern"] = "pattern"
    pattern: FixedText
    """* stands for any letters, ? for one."""


class Restarts(StrEnum):
    """When a counter begins anew."""

    NEVER = "never"
    YEARLY = "yearly"
    MONTHLY = "monthly"


class CounterPart(_Value):
    """A number that goes up by one from name to name."""

    kind: Literal["counter"] = "counter"
    width: Annotated[int, Field(ge=1, le=MOST_WIDTH)] = 4
    """Digits, zeros in front."""
    restarts: Restarts = Restarts.NEVER


class FolderEnd(_Value):
    """What stands before it is the name of a folder; what follows lies in that."""

    kind: Literal["folder"] = "folder"


NamePart = Annotated[
    DatePart
    | SubjectPart
    | SenderPart
    | DocumentNumberPart
    | DocumentKindPart
    | DevicePart
    | TicketPart
    | WhoPart
    | TextPart
    | PlacePart
    | PatternPart
    | CounterPart
    | FolderEnd,
    Field(discriminator="kind"),
]


class Letters(StrEnum):
    """Which letters names have."""

    PLAIN = "plain"
    """a to z and digits: others are spelled with these."""
    ALL = "all"
    """Those of the words they come from, as far as file systems take them."""


class NamingRule(_Value):
    """How file names are made.

    Raises:
        ValueError: it has two counters, or nothing that would stand in the name of the file.
    """

    parts: Annotated[tuple[NamePart, ...], Field(min_length=1, max_length=MOST_PARTS)]
    separator: Literal["_", "-", " ", "."] = "_"
    letters: Letters = Letters.PLAIN
    small: bool = True
    """Whether capitals become small letters."""
    max_characters: Annotated[int, Field(ge=LEAST_CHARACTERS, le=MOST_CHARACTERS)] = 120
    """Of the file's name without its ending, and of each folder's."""

    @model_validator(mode="after")
    def _makes_names(self) -> "NamingRule":
        if sum(part.kind == "counter" for part in self.parts) > 1:
            raise ValueError("a name has one counter at most")
        if self.parts[-1].kind == "folder":
            raise ValueError("the name of the file is missing behind the last folder")
        return self

    @property
    def counter(self) -> CounterPart | None:
        """Its counter, if it has one."""
        return next((part for part in self.parts if part.kind == "counter"), None)

    @property
    def needs_words(self) -> bool:
        """Whether it needs to know all words of the first page."""
        return any(part.kind in {"place", "pattern"} for part in self.parts)

    def needs_page(self, has_subject: bool) -> bool:
        """Return whether it takes anything from what the first page says.

        Args:
            has_subject: whether somebody has said what the document is about.

        >>> NamingRule(parts=[SubjectPart()]).needs_page(has_subject=True)
        False
        """
        return any(
            part.kind in SAID_BY_PAGE
            or (part.kind == "subject" and not has_subject)
            or (part.kind == "date" and part.source is DateSource.PRINTED)
            for part in self.parts
        )


SIMPLE_RULE = NamingRule(parts=(DatePart(source=DateSource.PRINTED), SubjectPart(), CounterPart()))
"""The day, the subject and a number: what is there before any other rule has been made."""
