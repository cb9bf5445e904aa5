"""What the pages of a filed document were made of, and what they weigh."""

from collections import Counter
from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict

from papiermappe.core.encode.encoded import EncodedPage, MadeOf
from papiermappe.core.page_text import PageText
from papiermappe.services.words import count, weigh


class MadePage(BaseModel):
    """What a page was made of."""

    model_config = ConfigDict(frozen=True)

    made_of: MadeOf
    byte_size: int
    words: int | None
    """That were read on it; None where it was not read."""


def made_pages(pages: Sequence[EncodedPage], texts: Sequence[PageText | None]) -> list[MadePage]:
    """Return what pages that were finished together are made of; what they share is shared out evenly."""
    shared = {picture.shared for page in pages for picture in page.pictures()}
    share = sum(map(len, shared)) // max(1, len(pages))
    return [
        MadePage(
            made_of=page.made_of,
            byte_size=page.byte_size + share,
            words=None if text is None else sum(len(line.words) for line in text.lines()),
        )
        for page, text in zip(pages, texts, strict=True)
    ]


def in_words(pages: Sequence[MadePage]) -> str:
    """Return what a document is made of, for a person."""
    (kind, number), *others = Counter(page.made_of for page in pages).most_common()
    told = [f"{kind.value.capitalize()} on {count(number, 'page')}", *(f"{one.value} on {n}" for one, n in others)]
    heaviest = max(range(len(pages)), key=lambda at: pages[at].byte_size)
    heavy = f"the heaviest is page {heaviest + 1} with {weigh(pages[heaviest].byte_size)}" if len(pages) > 1 else ""
    read = [page.words for page in pages if page.words is not None]
    can_be_found = f"{count(sum(read), 'word')} can be searched" if read else "its text cannot be searched"
    return "; ".join(filter(None, [", ".join(told), heavy, can_be_found])) + "."
