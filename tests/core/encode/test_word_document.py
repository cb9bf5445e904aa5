"""Text documents, opened by an office program that is not ours."""

import io
import shutil
import subprocess
from datetime import UTC, datetime
from pathlib import Path

import docx
import numpy as np
import pypdfium2
import pytest
from docx.oxml.ns import qn

from papiermappe.core.encode.options import About
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.encode.word_document import write_word_document
from papiermappe.core.reading.figures import Figure
from papiermappe.core.reading.page_text import BoxMm
from papiermappe.core.reading.structure import Columns, Element, Heading, ListItem, Picture, Prose, Table

ABOUT = About("Lease", datetime(2026, 11, 29, 9, 14, tzinfo=UTC), author="Mira Öz")
STAMP = Figure(BoxMm(left=120, top=90, right=150, bottom=110), encode_png(np.full((80, 120, 3), 120, np.uint8)))
PAGES: list[list[Element]] = [
    [
        Heading("Lease of the upper meadow", 1),
        Prose("The tenant prunes in winter."),
        ListItem("He keeps the fences.", "1."),
        ListItem("He mows twice.", "2."),
        ListItem("crates"),
        Table((("Sort", "Crates"), ("Größe", "12"))),
        Columns(((Prose("left column"), Heading("left heading", 2)), (Prose("right column"),))),
        Prose("All agreed."),
        Picture(STAMP),
    ],
    [Columns(((Prose("second page"),), (Prose("and beside it"),)))],
    [Table((("third", "page"),))],
]
SAID = (
    "Lease of the upper meadow The tenant prunes in winter. 1. He keeps the fences. 2. He mows twice. crates",
    "Sort Crates Größe 12 left column left heading right column All agreed. second page and beside it third page",
)


@pytest.fixture
def file(tmp_path: Path) -> Path:
    """The document of these pages."""
    out = tmp_path / "lease.docx"
    with out.open("wb") as opened:
        write_word_document(PAGES, opened, ABOUT)
    return out


def converted(file: Path, to: str) -> Path:
    """Return what the office program makes of a document."""
    office = shutil.which("soffice") or "soffice"
    home = file.parent / "office"
    where = ["--convert-to", to, "--outdir", str(file.parent), str(file)]
    command = [office, f"-env:UserInstallation={home.as_uri()}", "--headless", "--norestore", *where]
    subprocess.run(command, check=True, capture_output=True, timeout=120)
    return file.with_suffix(f".{to.partition(':')[0]}")


def test_an_office_program_shows_the_same_words_in_the_same_order_on_as_many_pages(file: Path) -> None:
    document = pypdfium2.PdfDocument(converted(file, "pdf"))
    said, sizes = [], set()
    for page in document:
        text = page.get_textpage()
        said.append([word for word in text.get_text_range().split() if word not in {"•", "\uf0b7", "·"}])
        sizes.add(tuple(round(side / 72 * 25.4) for side in page.get_size()))
        text.close()
    document.close()
    assert [word for page in said for word in page] == " ".join(SAID).split()
    assert [page[0] for page in said] == ["Lease", "second", "third"]
    assert sizes == {(210, 297)}


def test_what_can_be_worked_on_is_what_it_looks_like(file: Path) -> None:
    document = docx.Document(str(file))
    styles = {paragraph.text: paragraph.style.name for paragraph in document.paragraphs if paragraph.style}
    assert styles["Lease of the upper meadow"] == "Heading 1"
    assert styles["left heading"] == "Heading 2"
    assert styles["crates"] == "List Bullet"
    assert styles["1.\tHe keeps the fences."] == "Normal"
    assert [[cell.text for cell in row.cells] for row in document.tables[0].rows] == [
        ["Sort", "Crates"],
        ["Größe", "12"],
    ]
    columns = [section._sectPr.find(qn("w:cols")).get(qn("w:num")) for section in document.sections]
    assert columns == [None, "2", "1", "2", "1"]
    (picture,) = document.inline_shapes
    assert round(picture.width.mm) == 30
    holder = next(one for one in document.paragraphs if one._p.xpath(".//pic:pic"))
    assert holder.paragraph_format.left_indent is not None
    assert holder.paragraph_format.left_indent.mm == pytest.approx(120 - 22, abs=0.5)


def test_an_empty_page_stays_a_page() -> None:
    out = io.BytesIO()
    write_word_document([[], [Prose("second")], [], [Prose("fourth")]], out, ABOUT)
    breaks = [paragraph.paragraph_format.page_break_before for paragraph in docx.Document(out).paragraphs]
    assert breaks.count(True) == 3
