"""What operations work on: the pages as they are, and the fields that change."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import cached_property
from typing import Annotated, Any, ClassVar

from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.geometry import Quad
from papiermappe.core.halves import GutterLine
from papiermappe.core.order.places import Place, Side
from papiermappe.core.treatment import SURE, CaptureSize, Treatment, page_box
from papiermappe.errors import PapiermappeError
from papiermappe.message import Message

Fields = Mapping[str, Any]
"""Fields of one page as JSON values: those of its place, `begins`, `capture_id`, and those of its treatment."""

Changes = Mapping[int, Fields]
"""By the page's id, the fields that become something else."""

_AS_THEY_ARE = ("mappe_id", "set_aside", "begins", "capture_id")
"""Fields whose JSON values are what a page holds."""

PageIds = Annotated[tuple[Annotated[int, Field(ge=1, lt=2**31)], ...], Field(min_length=1, max_length=10_000)]


@dataclass(frozen=True)
class PageState:
    """The part of a page that operations need."""

    id: int
    mappe_id: int | None
    """None: it lies nowhere, as a copy that was undone does."""
    rank: Decimal
    side: Side
    set_aside: bool
    stored_treatment: Treatment | Mapping[str, Any]
    """As a value, or as JSON that is validated when it is looked at: moving pages does not need it."""
    capture_id: int
    number: int | None = None
    """The page number printed on it, where it is known."""
    blank: bool = False
    file: tuple[str, int] | None = None
    """The name of the file it comes from, and its page there, where that is known."""
    begins: str | None = None
    """The name of the document that begins with its sheet, empty where it has none yet; None where none begins."""
    accepted: tuple[str, ...] = ()
    """The codes of warnings about it that a person has looked at: it is fine."""
    scan_mm: tuple[float, float] = (0.0, 0.0)
    """Width and height of its capture, or of the sheet on a photo once it is flat, where that is needed."""
    capture_size: CaptureSize | None = None
    """Of its capture, where that is needed."""
    printed_area: Quad | None = None
    """Corners of what is printed on it, where `scan_mm` measures, where that is needed and known."""
    dark_rims: tuple[Quad, ...] = ()
    """Outlines of what is dark along the edges of its capture, where that is needed and known."""
    found_gutter: GutterLine | None = None
    """Where it would be split, on its capture, where that is needed and it looks like a spread."""
    gutter_confidence: float = 0.0
    """0 to 1: how sure that is."""
    stored_found: Mapping[str, Any] | None = None
    """The treatment that follows from what the machine found, as JSON; None where it has not been examined."""

    @cached_property
    def treatment(self) -> Treatment:
        """What is done to its capture."""
        stored = self.stored_treatment
        return stored if isinstance(stored, Treatment) else Treatment.model_validate(stored)

    @cached_property
    def found(self) -> Treatment | None:
        """What the machine would do to its capture; None until that is known."""
        return Treatment.model_validate(self.stored_found) if self.stored_found else None

    @property
    def size_mm(self) -> tuple[float, float]:
        """Its width and height as it is seen, where the size of its capture is known."""
        return page_box(*self.scan_mm, self.treatment).size_mm(self.treatment.quarter_turns)

    @property
    def gutter(self) -> GutterLine | None:
        """Where it would be split, on its capture, or on the sheet of a photo; None where it is no spread."""
        return None if self.treatment.part else self.treatment.gutter or self.found_gutter

    @property
    def gutter_is_sure(self) -> bool:
        """Whether it can be split there without a look."""
        return self.treatment.gutter is not None or self.gutter_confidence >= SURE

    @property
    def place(self) -> Place:
        """Where it lies."""
        return Place(self.id, self.rank, self.side, self.set_aside)

    def fields(self, names: Collection[str]) -> dict[str, Any]:
        """Return some of its fields as JSON values."""
        place: dict[str, Any] = {
            "mappe_id": self.mappe_id,
            "rank": str(self.rank),
            "side": self.side.value,
            "set_aside": self.set_aside,
            "begins": self.begins,
            "capture_id": self.capture_id,
            "accepted": list(self.accepted),
        }
        if not place.keys() >= set(names):
            place |= self.treatment.model_dump(mode="json")
        return {name: place[name] for name in names}

    def with_fields(self, fields: Fields) -> "PageState":
        """Return it with some of its fields set, given as JSON values."""
        set_here: dict[str, Any] = {name: fields[name] for name in _AS_THEY_ARE if name in fields}
        if "rank" in fields:
            set_here["rank"] = Decimal(fields["rank"])
        if "side" in fields:
            set_here["side"] = Side(fields["side"])
        if "accepted" in fields:
            set_here["accepted"] = tuple(fields["accepted"])
        treated = {name: value for name, value in fields.items() if name in Treatment.model_fields}
        if treated:
            whole = self.treatment.model_dump(mode="json") | treated
            set_here["stored_treatment"] = Treatment.model_validate(whole)
        return replace(self, **set_here)


class OperationRefused(PapiermappeError):
    """An operation that cannot be carried out on its pages; none of them is changed."""


class BaseOperation(BaseModel):
    """The root of all operations.

    Subclasses have a `kind`, which is their code on the wire and in the journal, and `apply`.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    whole_mappe: ClassVar[bool] = False
    """Whether `apply` needs all pages of the Mappen it touches, not only those it names."""

    by_numbers: ClassVar[bool] = False
    """Whether `apply` needs the printed numbers of pages, and whether they are blank."""

    by_captures: ClassVar[bool] = False
    """Whether `apply` needs to know captures: the files that pages come from, and their sizes."""

    places_only: ClassVar[bool] = False
    """Whether it changes no more than where pages lie in their Mappe, and needs to know no more."""

    pages: PageIds

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return what changes.

        Args:
            pages: those named that are there; of an operation on the whole Mappe, all of it, in reading order.

        Raises:
            OperationRefused: it cannot be carried out on these pages.
        """
        raise NotImplementedError

    def message(self, count: int) -> Message:
        """Return the history's sentence for the operation, given that it changed `count` pages."""
        return Message(code=str(self.model_dump()["kind"]), params={"count": count})

    @property
    def new_pages(self) -> Sequence[int]:
        """Pages that have been made for it, and lie nowhere yet."""
        return ()

    def named(self, pages: Sequence[PageState]) -> Iterator[PageState]:
        """Yield the pages that the operation names."""
        wanted = frozenset(self.pages)
        return (page for page in pages if page.id in wanted)
