"""What operations work on: the pages as they are, and the fields that change."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from typing import Annotated, Any, ClassVar

from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.geometry import Quad
from papiermappe.core.order.places import Place, Side
from papiermappe.core.treatment import Treatment
from papiermappe.errors import PapiermappeError
from papiermappe.message import Message

Fields = Mapping[str, Any]
"""Fields of one page as JSON values: those of its place, `begins`, `capture_id`, and those of its treatment."""

Changes = Mapping[int, Fields]
"""By the page's id, the fields that become something else."""

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
    printed_area: Quad | None = None
    """Corners of what is printed on it, where `scan_mm` measures, where that is needed and known."""
    dark_rims: tuple[Quad, ...] = ()
    """Outlines of what is dark along the edges of its capture, where that is needed and known."""
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
