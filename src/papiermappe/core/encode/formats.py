"""Files of every format: what a page has to become for one, and writing it."""

from collections.abc import Callable, Iterable, Iterator
from itertools import chain
from typing import BinaryIO, NamedTuple

from papiermappe.core.clean.tone import binarise
from papiermappe.core.encode.alto import write_alto
from papiermappe.core.encode.encoded import EncodedPage, MadeOf
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import FAITHFUL_QUALITY, SplitPage, split_page
from papiermappe.core.encode.options import FileForm
from papiermappe.core.encode.pdf import PdfPage, write_pdf
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.encode.tiff import JPEG_QUALITY, TiffPage, write_tiff
from papiermappe.core.encode.web_page import WebPage, write_web_page
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.aligned import aligned_tables
from papiermappe.core.reading.figures import Figure, find_figures
from papiermappe.core.reading.page_text import PageText
from papiermappe.core.reading.spoken import spoken_tag
from papiermappe.core.reading.structure import Element, elements_of
from papiermappe.core.reading.tables import Grid, find_tables

BETWEEN_PAGES = "\n\f\n"  # of plain text


class PageContent(NamedTuple):
    """What a page has become for a file; which of it, the format says."""

    split: SplitPage | None = None
    """For a PDF."""
    tiff: TiffPage | None = None
    picture: bytes | None = None
    """Encoded, a file of its own."""
    grids: tuple[Grid, ...] = ()
    """Of its tables, for a text document."""
    figures: tuple[Figure, ...] = ()
    """What may be pictures, for a text document."""


def page_content(
    page: Pixels, dpi: float, kind: Format, level: Level, bilevel: bool, kept_as: MadeOf | None = None
) -> PageContent:
    """Make a page ready for a file.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        kind: of the file.
        level: how small it becomes.
        bilevel: whether it is ink and paper only, 0 and 255.
        kept_as: what it is made of in a PDF; None: that goes by its content.

    Raises:
        PictureRefused: not such a picture.
    """
    match kind:
        case Format.PDF:
            return PageContent(split=split_page(page, dpi, level, bilevel, kept_as))
        case Format.TIFF:
            return PageContent(tiff=TiffPage(page, dpi, bilevel))
        case Format.JPEG | Format.WEB_PAGE:
            return PageContent(picture=encode_jpeg(page, JPEG_QUALITY.get(level, FAITHFUL_QUALITY)))
        case Format.PNG:
            return PageContent(picture=encode_png(page))
        case Format.WORD:
            ink = binarise(page, dpi)
            grids = tuple(find_tables(ink, dpi))
            return PageContent(grids=grids, figures=tuple(find_figures(page, ink, dpi, grids)))
        case _:
            return PageContent()


class FilePage(NamedTuple):
    """A page on its way into a file."""

    content: PageContent
    width_mm: float
    height_mm: float
    text: PageText | None = None
    encoded: EncodedPage | None = None
    """What it became when it was encoded together with others; for a PDF."""
    begins: str | None = None
    """The name of the part that begins with it."""


def write_file(form: FileForm, pages: Iterable[FilePage], out: BinaryIO, temporary: Callable[[], BinaryIO]) -> None:
    """Write pages, taken one at a time, to a file.

    Args:
        form: of the file.
        pages: made ready for it.
        out: open for reading as well.
        temporary: gives files for parts of a long PDF.

    Raises:
        ValueError: there are no pages, or several in a file that can have one only.
    """
    language, pages = _language_of_first(pages)
    about = form.about._replace(language=language or form.about.language)
    match form.kind:
        case Format.PDF:
            write_pdf(_pdf_pages(pages), out, about, temporary, form.attachments, form.password)
        case Format.TIFF:
            coded = (page.content.tiff for page in pages if page.content.tiff)
            write_tiff(coded, out, form.level, form.tiff, about)
        case Format.WORD:
            # Imported where it is wanted: its library would take 4 MB of every process.
            from papiermappe.core.encode.word_document import write_word_document

            read = ((page, page.text) for page in pages if page.text)
            elements = (_elements(text, page.content) for page, text in read)
            write_word_document(elements, out, about)
        case Format.ALTO:
            out.write(write_alto((page.text for page in pages if page.text), about.title))
        case Format.WEB_PAGE:
            drawn = (WebPage(page.content.picture or b"", page.width_mm, page.height_mm, page.text) for page in pages)
            write_web_page(drawn, out, about)
        case Format.TEXT:
            out.write(BETWEEN_PAGES.join(page.text.text for page in pages if page.text).encode())
        case _:
            (page,) = pages
            out.write(page.content.picture or b"")


def _language_of_first(pages: Iterable[FilePage]) -> tuple[str | None, Iterable[FilePage]]:
    """Return the language of the first of pages, where its words tell it, and all of the pages."""
    left = iter(pages)
    first = next(left, None)
    return (None, left) if first is None else (spoken_tag(first.text), chain([first], left))


def _elements(text: PageText, content: PageContent) -> list[Element]:
    """Return what is on a page, with the tables that rules show and those that their alignment does."""
    return elements_of(text, (*content.grids, *aligned_tables(text, content.grids)), content.figures)


def _pdf_pages(pages: Iterable[FilePage]) -> Iterator[PdfPage]:
    for page in pages:
        if page.encoded is not None:
            yield PdfPage(page.encoded, page.width_mm, page.height_mm, page.text, page.begins)
