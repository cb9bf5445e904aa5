"""Operations that say where documents begin in a Mappe, and that make Mappen of its parts."""

from collections.abc import Sequence
from typing import Annotated, ClassVar, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from papiermappe.core.naming.names import MAX_SUBJECT, one_line
from papiermappe.core.operations.model import BaseOperation, Changes, PageIds, PageState
from papiermappe.message import Message

PartName = Annotated[str, Field(max_length=400)]


class Cut(BaseOperation):
    """Begin a document with the sheet of each page, under a name that may be empty.

    >>> Cut(pages=(3,), names=("Lease of the lower meadow",)).only
    False
    """

    kind: Literal["cut"] = "cut"
    pages: PageIds | tuple[()] = ()
    names: Annotated[tuple[PartName, ...], Field(max_length=10_000)]
    """Of the documents, in the order of the pages."""
    only: bool = False
    """Whether documents begin at no other page of the Mappe."""
    aside: Annotated[tuple[Annotated[int, Field(ge=1, lt=2**31)], ...], Field(max_length=10_000)] = ()
    """Pages that only divide documents, and are set aside."""
    whole_mappe: ClassVar[bool] = True

    @field_validator("names", mode="after")
    @classmethod
    def _on_one_line(cls, names: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(one_line(name)[:MAX_SUBJECT] for name in names)

    @model_validator(mode="after")
    def _a_name_each(self) -> Self:
        if len(self.names) != len(self.pages) or len(set(self.pages)) != len(self.pages):
            raise ValueError("each page once, with a name each")
        return self

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return where documents begin, or begin no more, and what is set aside."""
        names = dict(zip(self.pages, self.names, strict=True))
        aside = frozenset(self.aside)
        changes: dict[int, dict[str, object]] = {}
        for page in pages:
            begins = names.get(page.id, None if self.only else page.begins)
            if begins != page.begins:
                changes.setdefault(page.id, {})["begins"] = begins
            if page.id in aside and not page.set_aside:
                changes.setdefault(page.id, {})["set_aside"] = True
        return changes

    def message(self, count: int) -> Message:
        """Return a message that counts the documents, not the pages."""
        del count
        if len(self.pages) == 1 and self.names[0] and not self.only:
            return Message(code="part_named", params={"name": self.names[0]})
        return Message(code="cut", params={"count": len(self.pages)})


class Uncut(BaseOperation):
    """Begin no document with these pages: theirs goes on the one before."""

    kind: Literal["uncut"] = "uncut"

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the pages that no document begins with any more."""
        return {page.id: {"begins": None} for page in self.named(pages) if page.begins is not None}


class PartInto(BaseModel):
    """Pages, and the Mappe that they become."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    mappe: int
    pages: PageIds


class CutIntoMappen(BaseOperation):
    """Make a Mappe of each part but the first. Windows cannot send it: a service opens the Mappen."""

    kind: Literal["cut_into_mappen"] = "cut_into_mappen"
    parts: tuple[PartInto, ...]
    ends: tuple[int, ...] = ()
    """Pages of the first part that began a document; there is only one now."""
    whole_mappe: ClassVar[bool] = True

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the Mappen of the pages; their places stay."""
        mappe_of = {page: part.mappe for part in self.parts for page in part.pages}
        changes: dict[int, dict[str, object]] = {}
        for page in pages:
            if page.id in mappe_of and page.mappe_id != mappe_of[page.id]:
                changes[page.id] = {"mappe_id": mappe_of[page.id]}
            if page.begins is not None and (page.id in mappe_of or page.id in self.ends):
                changes.setdefault(page.id, {})["begins"] = None
        return changes

    def message(self, count: int) -> Message:
        """Return a message that counts the Mappen."""
        del count
        return Message(code="cut_into_mappen", params={"count": len(self.parts) + 1})
