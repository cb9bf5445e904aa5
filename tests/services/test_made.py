"""What a document is made of is told in words."""

import pytest
from tests.helpers import page_saying

from papiermappe.core.encode.encoded import Codec, EncodedPage, EncodedPicture, Layer, MadeOf
from papiermappe.core.encode.formats import FilePage, ReadyPage
from papiermappe.core.page_text import PageText
from papiermappe.services.made import MadePage, in_words, made_pages

LAYERS, BILEVEL, PICTURE = MadeOf.LAYERS, MadeOf.BILEVEL, MadeOf.PICTURE


def page(kind: MadeOf | None, byte_size: int, words: int | None = None) -> MadePage:
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
        ([page(None, 0, 12), page(None, 0, 30)], "42 words can be searched."),
    ],
)
def test_in_words(pages: list[MadePage], said: str) -> None:
    assert in_words(pages) == said


def test_what_pages_share_is_shared_out() -> None:
    def finished(data: bytes, text: PageText | None) -> FilePage:
        picture = EncodedPicture(Codec.JBIG2, data, 10, 10, False, shared=b"s" * 90)
        encoded = EncodedPage((Layer((0, 0, 0), stencil=picture),), LAYERS)
        return FilePage(ReadyPage(), 210, 297, text, encoded)

    made = made_pages([finished(b"12345", page_saying("two words")), finished(b"123", None)])
    assert [(one.byte_size, one.words) for one in made] == [(50, 2), (48, None)]
