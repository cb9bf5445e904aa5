"""The language of a document is that of its first page, and other pages say their own."""

import io
from datetime import UTC, datetime

import docx
import pikepdf
import pytest

from papiermappe.core.encode.encoded import from_jpeg
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.formats import FilePage, PageContent, write_file
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import About, FileForm
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word

ABOUT = About("Lease", datetime(2026, 11, 30, tzinfo=UTC), "en")
GERMAN = "Wir danken Ihnen für das Schreiben und senden die Ware mit der Bahn auf Ihre Rechnung"
ENGLISH = "We thank you for the letter and send the goods to your station with this train"
NOTHING_TOLD = "Weir Russet 40 310 kg"


def read(text: str) -> PageText:
    """Return what was read on a page with both languages at hand, English as the main one."""
    box = BoxMm(left=20, top=30, right=190, bottom=35)
    line = Line(words=tuple(Word(text=word, box=box, confidence=0.9) for word in text.split()), box=box)
    blocks = (Block(paragraphs=(Paragraph(lines=(line,)),)),)
    return PageText(width_mm=210, height_mm=297, languages=("eng", "deu"), blocks=blocks)


def written(kind: Format, picture: Pixels, *texts: str) -> bytes:
    """Return a file of pages with these texts."""
    jpeg = encode_jpeg(picture)
    pages = [
        FilePage(PageContent(picture=jpeg), 210, 297, read(text) if text else None, from_jpeg(jpeg)) for text in texts
    ]
    out = io.BytesIO()
    write_file(FileForm(kind, Level.FAITHFUL, ABOUT), iter(pages), out, io.BytesIO)
    return out.getvalue()


@pytest.mark.parametrize(
    ("texts", "document", "pages"),
    [
        ([GERMAN, GERMAN], "de", [None, None]),
        ([ENGLISH, GERMAN], "en", [None, "de"]),
        ([GERMAN, ENGLISH, NOTHING_TOLD], "de", [None, "en", None]),  # what tells nothing is taken to go on
        ([NOTHING_TOLD], "en", [None]),  # the main one of those it was read in
        (["", GERMAN], "en", [None, "de"]),
    ],
)
def test_a_pdf_says_which_language_its_pages_are_in(
    grey_page: Pixels, texts: list[str], document: str, pages: list[str | None]
) -> None:
    with pikepdf.open(io.BytesIO(written(Format.PDF, grey_page, *texts))) as pdf:
        assert str(pdf.Root.Lang) == document
        for page, language in zip(pdf.pages, pages, strict=True):
            marked = f"/Span <</Lang ({language})>> BDC".encode()
            assert (marked in page.Contents.read_bytes()) is (language is not None)


def test_a_web_page_says_so_too(grey_page: Pixels) -> None:
    told = written(Format.WEB_PAGE, grey_page, GERMAN, ENGLISH).decode()
    assert '<html lang="de">' in told
    assert told.count('lang="en"') == 1


def test_alto_says_it_of_each_block(grey_page: Pixels) -> None:
    told = written(Format.ALTO, grey_page, GERMAN, ENGLISH).decode()
    assert [told.count(f'LANG="{code}"') for code in ("deu", "eng")] == [1, 1]


def test_an_office_program_checks_the_spelling_in_the_language_of_the_document(grey_page: Pixels) -> None:
    document = docx.Document(io.BytesIO(written(Format.WORD, grey_page, GERMAN)))
    (told,) = document.styles.element.xpath("w:docDefaults/w:rPrDefault/w:rPr/w:lang/@w:val")
    assert told == "de"
    assert document.core_properties.language == "de"
