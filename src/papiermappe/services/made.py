"""What the pages of a filed document were made of, and what they weigh."""

from collections import Counter
from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict

from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.encode.formats import FilePage
from papiermappe.services.words import count, weigh


class MadePage(BaseModel):
    """What a page was made of."""

    model_config = ConfigDict(frozen=True)

    made_of: MadeOf | None
    """None in files other than PDF."""
    byte_size: int
    words: int | None
    """That were read on it; None where it was not read."""


def made_pages(pages: Sequence[FilePage]) -> list[MadePage]:
    """Return what pages that were finished together are made of; what they share is shared out evenly."""
    encoded = [page.encoded for page in pages if page.encoded]
    shared = {picture.shared for page in encoded for picture in page.pictures()}
    share = sum(map(len, shared)) // max(1, len(pages))
    return [
        MadePage(
            made_of=page.encoded.made_of if page.encoded else None,
            byte_size=page.encoded.byte_size + share if page.encoded else 0,
            words=None if page.text is None else sum(len(line.words) for line in page.text.lines()),
        )
        for page in pages
    ]


def in_words(pages: Sequence[MadePage]) -> str:
    """Return what a document is made of, for a person."""
    kinds = Counter(page.made_of.value for page in pages if page.made_of).most_common()
    told = [f"{kind} on {number if at else count(number, 'page')}" for at, (kind, number) in enumerate(kinds)]
    heaviest = max(range(len(pages)), key=lambda at: pages[at].byte_size)
    heavy = f"the heaviest is page {heaviest + 1} with {weigh(pages[heaviest].byte_size)}"
    read = [page.words for page in pages if page.words is not None]
    found = f"{count(sum(read), 'word')} can be searched" if read else "its text cannot be searched"
    parts = [", ".join(told), heavy if kinds and len(pages) > 1 else "", found]
    sentence = "; ".join(part for part in parts if part)
    return f"{sentence[0].upper()}{sentence[1:]}."
