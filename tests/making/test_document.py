"""Pages made into a document, whoever supplies them."""

import threading
from collections.abc import Callable
from typing import TypeVar

import numpy as np
import pytest
from tests.helpers import PATIENCE_S, here, page_saying

from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import PAGES_TOGETHER
from papiermappe.core.encode.plain import Readable, encode_png
from papiermappe.core.pages import PageForm, PageSource, page_for_file
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.reading.page_text import PageText, RecognitionMode
from papiermappe.core.treatment import Tone, Treatment
from papiermappe.making.document import make_pages
from papiermappe.message import Message

T = TypeVar("T")

FORM = PageForm(Format.PDF, Level.LEAN, RecognitionMode.ACCURATE)


def print_page(shift: int = 0) -> Pixels:
    """Return an A5 page of small black marks on white, grey, at 100 dpi."""
    page = np.full((827, 583), 250, np.uint8)
    for top in range(100 + shift, 700, 20):
        for left in range(80, 500, 12):
            page[top : top + 8, left : left + 5] = 15
    return page


class Supply:
    """Pages of which the second cannot be read, and the third is left out."""

    def __init__(self) -> None:
        self.read_pages: list[int] = []

    def source(self, item: int) -> PageSource | None:
        """Return a page of print."""
        if item == 3:
            return None
        return PageSource(CapturedPicture(encode_png(print_page(item)), 100.0), Treatment(), ColourKind.BILEVEL)

    def known_text(self, item: int) -> PageText | None:
        """Know what the fourth says."""
        return page_saying("known before") if item == 4 else None

    def read(self, item: int, page: Readable) -> PageText | Message:
        """Read all but the second."""
        assert page.pixels().ndim == 2
        self.read_pages.append(item)
        return Message(code="recogniser_absent") if item == 2 else page_saying("two words")


def test_pages_come_in_order_read_once_and_share_what_they_have_in_common() -> None:
    supply = Supply()
    made = list(make_pages(range(1, 5), supply, FORM, here))
    assert [page.item for page in made] == [1, 2, 4]
    assert sorted(supply.read_pages) == [1, 2]
    assert [page.words for page in made] == [2, None, 2]
    assert [page.unread.code if page.unread else None for page in made] == [None, "recogniser_absent", None]
    assert {page.made_of for page in made} == {MadeOf.BILEVEL}
    pictures = [picture for page in made if page.page.encoded for picture in page.page.encoded.pictures()]
    shared = len(pictures[0].shared)
    for page in made:
        assert page.page.encoded is not None
        assert page.byte_size == page.page.encoded.byte_size + shared // 3


def test_while_pages_are_encoded_the_next_ones_are_made() -> None:
    next_made, count = threading.Event(), 2 * PAGES_TOGETHER

    class Many(Supply):
        def source(self, item: int) -> PageSource | None:
            if item == count:
                next_made.set()
            return super().source(1)

    def compute(function: Callable[..., T], /, *arguments: object) -> T:
        # if the next ones were made only after this, there would be nothing to wait for
        assert function is page_for_file or next_made.wait(PATIENCE_S)
        return function(*arguments)

    made = list(make_pages(range(1, count + 1), Many(), FORM._replace(mode=None), compute))
    assert [page.item for page in made] == list(range(1, count + 1))


@pytest.mark.parametrize("format_", [Format.PDF, Format.TIFF])
def test_progress_is_told_with_each_page_and_not_with_each_group_that_is_encoded(format_: Format) -> None:
    told: list[int] = []
    first = next(make_pages(range(1, 5), Supply(), FORM._replace(kind=format_), here, told.append))
    assert first.item == 1
    assert told == ([1, 2, 3] if format_ is Format.PDF else [1])  # those of a PDF are encoded together


@pytest.mark.parametrize(
    ("colour", "tone", "level", "made_of"),
    [
        (ColourKind.BILEVEL, Tone.AS_SCANNED, Level.LEAN, MadeOf.BILEVEL),
        (ColourKind.BILEVEL, Tone.WHITE, Level.BALANCED, MadeOf.BILEVEL),
        (ColourKind.BILEVEL, Tone.AS_SCANNED, Level.FAITHFUL, MadeOf.PICTURE),  # no difference must show
        (ColourKind.GREY, Tone.AS_SCANNED, Level.LEAN, MadeOf.LAYERS),
        (ColourKind.BILEVEL, Tone.GREY, Level.LEAN, MadeOf.LAYERS),  # somebody wants it in grey
        (ColourKind.COLOUR, Tone.BILEVEL, Level.LEAN, MadeOf.BILEVEL),  # somebody wants it black and white
    ],
)
def test_pages_get_no_more_colour_than_they_need(colour: ColourKind, tone: Tone, level: Level, made_of: MadeOf) -> None:
    capture = CapturedPicture(encode_png(np.dstack([print_page()] * 3)), 100.0)
    parts = page_for_file(PageSource(capture, Treatment(tone=tone), colour), PageForm(Format.PDF, level))
    assert parts.content.split is not None
    assert parts.content.split.made_of is made_of


def test_fine_pages_are_reduced_where_that_is_wanted() -> None:
    source = PageSource(CapturedPicture(encode_png(print_page()), 100.0), Treatment(), ColourKind.GREY)
    parts = page_for_file(source, PageForm(Format.TIFF, Level.BALANCED, max_dpi=50))
    assert parts.content.tiff is not None
    assert parts.content.tiff.pixels.shape[1] == pytest.approx(583 / 2, abs=1)
    assert parts.width_mm == pytest.approx(583 / 100 * 25.4, abs=0.1)
