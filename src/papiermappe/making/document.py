"""Making a document from pages, some of them ahead of their turn."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import islice
from typing import Generic, NamedTuple, Protocol, TypeVar

from papiermappe.ahead import in_order
from papiermappe.compute import Compute
from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.formats import FilePage
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import PAGES_TOGETHER, encode_pages
from papiermappe.core.encode.plain import Readable
from papiermappe.core.pages import PageForm, PageSource, page_for_file
from papiermappe.core.reading.page_text import PageText
from papiermappe.message import Message

PAGES_AHEAD = 3
GROUPS_AT_ONCE = 2
"""While one is encoded, the pages of the next one are made."""

S = TypeVar("S")
S_contra = TypeVar("S_contra", contravariant=True)


class PageSupply(Protocol[S_contra]):
    """Where pages come from, and who reads them. Called from several threads."""

    def source(self, item: S_contra, /) -> PageSource | None:
        """Return what a page is made from; None if it is left out."""
        ...

    def known_text(self, item: S_contra, /) -> PageText | None:
        """Return the text of a page if it is known already."""
        ...

    def read(self, item: S_contra, page: Readable, /) -> PageText | Message:
        """Read a page, or return why that is not possible."""
        ...


class MadePage(NamedTuple, Generic[S]):
    """A page, made for a file."""

    item: S
    page: FilePage
    unread: Message | None
    """Why it could not be read."""
    byte_size: int | None
    """Of it, with its share of what it has in common with others; None but for a PDF."""
    level: Level

    @property
    def made_of(self) -> MadeOf | None:
        """What it was made of; None but for a PDF."""
        return self.page.encoded.made_of if self.page.encoded else None

    @property
    def words(self) -> int | None:
        """How many words were read on it; None where it was not read."""
        return None if self.page.text is None else sum(len(line.words) for line in self.page.text.lines())

    @property
    def guesses(self) -> int:
        """How many words were left out, since they were guessed rather than read."""
        return self.page.text.guesses if self.page.text else 0


def make_pages(
    items: Iterable[S],
    supply: PageSupply[S],
    form: PageForm,
    compute: Compute,
    rendered: Callable[[int], None] | None = None,
    levels: Sequence[Level] | None = None,
) -> Iterator[MadePage[S]]:
    """Yield the pages of a document in order, a few of them made ahead; those of a PDF are encoded some at a time.

    Args:
        items: one for each page.
        supply: of the pages.
        form: what they are made for.
        compute: runs the heavy parts.
        rendered: called with the number of pages that are rendered and read, though perhaps not encoded yet.
        levels: of each page; None: all have the one of the form.

    Raises what the supply and `compute` raise.
    """

    def make(numbered: tuple[int, S]) -> MadePage[S] | None:
        at, item = numbered
        source = supply.source(item)
        if source is None:
            return None
        text: PageText | Message | None = supply.known_text(item) if form.mode else None
        level = levels[at] if levels else form.level
        asked = form._replace(level=level, mode=form.mode if text is None else None)
        parts = compute(page_for_file, source, asked)
        if parts.readable is not None:
            text = supply.read(item, parts.readable)
        unread = text if isinstance(text, Message) else None
        page = FilePage(parts.content, parts.width_mm, parts.height_mm, text if isinstance(text, PageText) else None)
        return MadePage(item, page, unread, None, level)

    def make_each() -> Iterator[MadePage[S]]:
        kept = (page for page in in_order(make, enumerate(items), PAGES_AHEAD) if page is not None)
        for count, page in enumerate(kept, 1):
            if rendered is not None:
                rendered(count)
            yield page

    made = make_each()
    if form.kind is not Format.PDF:
        yield from made
        return
    groups = iter(lambda: list(islice(made, PAGES_TOGETHER)), [])
    for encoded in in_order(lambda group: _encoded_together(group, compute), groups, GROUPS_AT_ONCE):
        yield from encoded


def _encoded_together(group: list[MadePage[S]], compute: Compute) -> list[MadePage[S]]:
    encoded = compute(encode_pages, [made.page.content.split for made in group])
    shared = {picture.shared for page in encoded for picture in page.pictures()}
    share = sum(map(len, shared)) // len(group)
    return [
        made._replace(page=made.page._replace(encoded=page), byte_size=page.byte_size + share)
        for made, page in zip(group, encoded, strict=True)
    ]
