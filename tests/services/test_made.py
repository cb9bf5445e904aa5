"""What a document is made of is told in words."""

import pytest
from tests.helpers import page_saying

from papiermappe.core.encode.encoded import Codec, EncodedPage, EncodedPicture, Layer, MadeOf
from papiermappe.services.made import MadePage, in_words, made_pages

LAYERS, BILEVEL, PICTURE = MadeOf.LAYERS, MadeOf.BILEVEL, MadeOf.PICTURE


def page(kind: MadeOf, byte_size: int, words: int | None = None) -> MadePage:
    """Return a page that was made."""
    return MadePage(made_of=kind, byte_size=byte_size, words=words)


@pytest.mark.parametrize(
    ("pages", "said"),
    [
        ([page(BILEVEL, 4_200)], "Black and white on 1 page; its text cannot be searched."),
        (
            [page(LAYERS, 21_000, 300), page(PICTURE, 1_250_000, 0), page(LAYERS, 30_000, None)],
            "Ink and paper apart on 2 pages, one picture on 1; the heaviest is page 2 with 1.2 MB; "
            "300 words can be searched.",
        ),
    ],
)
def test_in_words(pages: list[MadePage], said: str) -> None:
    assert in_words(pages) == said


def test_what_pages_share_is_shared_out() -> None:
    def encoded(data: bytes) -> EncodedPage:
        picture = EncodedPicture(Codec.JBIG2, data, 10, 10, False, shared=b"s" * 90)
        return EncodedPage((Layer((0, 0, 0), stencil=picture),), LAYERS)

    made = made_pages([encoded(b"12345"), encoded(b"123")], [page_saying("two words"), None])
    assert [(one.byte_size, one.words) for one in made] == [(50, 2), (48, None)]
