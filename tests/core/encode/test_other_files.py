"""Files other than PDF, read back by programs and libraries that are not ours."""

import io
from datetime import UTC, datetime
from typing import Any
from xml.etree import ElementTree as ET

import docx
import numpy as np
import pytest
from PIL import Image, ImageSequence

from papiermappe.core.encode.alto import NAMESPACE, write_alto
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import About, TiffCoding
from papiermappe.core.encode.tiff import TiffPage, write_tiff
from papiermappe.core.encode.word_document import write_word_document
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.reading.structure import Element, Heading, Prose, Table

NOW = datetime(2026, 11, 26, 9, 14, tzinfo=UTC)
BOX = BoxMm(left=20, top=30, right=41.5, bottom=35)
TEXT = PageText(
    width_mm=210,
    height_mm=297,
    languages=("deu",),
    blocks=(
        Block(paragraphs=(Paragraph(lines=(Line(words=(Word(text="Größe<&>", box=BOX, confidence=0.9),), box=BOX),)),)),
    ),
)


def _tags(frame: Any) -> dict[int, int]:
    return dict(frame.tag_v2)


@pytest.mark.parametrize(("level", "tag"), [(Level.FAITHFUL, 8), (Level.BALANCED, 7), (Level.LEAN, 7)])
def test_a_tiff_has_all_pages_each_in_its_way(grey_page: Pixels, level: Level, tag: int) -> None:
    colour = np.dstack([grey_page, grey_page, 255 - grey_page])
    ink = np.where(grey_page < 128, np.uint8(0), np.uint8(255))
    pages = [TiffPage(grey_page, 300, False), TiffPage(colour, 200, False), TiffPage(ink, 600, True)]
    out = io.BytesIO()
    assert write_tiff(iter(pages), out, level) == 3
    with Image.open(out) as tiff:
        frames = [(frame.copy(), _tags(frame)[259], frame.info["dpi"][0]) for frame in ImageSequence.Iterator(tiff)]
    # Compression (TIFF 6.0): 4 is T.6, 7 JPEG, 8 deflate.
    assert [compression for _, compression, _ in frames] == [tag, tag, 4]
    assert [round(float(dpi)) for _, _, dpi in frames] == [300, 200, 600]
    assert np.array_equal(np.asarray(frames[2][0]), ink > 0)
    away = np.abs(np.asarray(frames[1][0]).astype(int) - colour)
    assert away.max() == 0 if level is Level.FAITHFUL else away.mean() < 8


@pytest.mark.parametrize(
    ("coding", "level", "tags"),  # Compression (TIFF 6.0) of a page in grey, and of one of ink and paper
    [
        (TiffCoding.DEFLATE, Level.LEAN, [8, 8]),
        (TiffCoding.JPEG, Level.FAITHFUL, [7, 7]),
        (TiffCoding.FAX, Level.BALANCED, [7, 4]),
    ],
)
def test_a_tiff_is_coded_as_it_is_wanted(grey_page: Pixels, coding: TiffCoding, level: Level, tags: list[int]) -> None:
    ink = np.where(grey_page < 128, np.uint8(0), np.uint8(255))
    out = io.BytesIO()
    about = About("Lease", NOW, author="Mira Öz", subject="The upper meadow")
    write_tiff([TiffPage(grey_page, 300, False), TiffPage(ink, 300, True)], out, level, coding, about)
    with Image.open(out) as tiff:
        frames = [(frame.copy(), _tags(frame)) for frame in ImageSequence.Iterator(tiff)]
    assert [told[259] for _, told in frames] == tags
    assert [str(frames[0][1].get(tag)) for tag in (269, 270, 315)] == ["Lease", "The upper meadow", "Mira Oz"]
    if coding is TiffCoding.DEFLATE:
        assert np.array_equal(np.asarray(frames[0][0]), grey_page)


def test_a_tiff_needs_a_page() -> None:
    with pytest.raises(ValueError, match="at least one page"):
        write_tiff([], io.BytesIO(), Level.LEAN)


def test_alto_tells_words_and_places() -> None:
    root = ET.fromstring(write_alto([TEXT, TEXT], "lease.pdf"))  # noqa: S314 (it is ours)
    (first, _) = root.iter(f"{{{NAMESPACE}}}Page")
    (word,) = first.iter(f"{{{NAMESPACE}}}String")
    # In tenths of a millimetre, as MeasurementUnit says.
    assert next(root.iter(f"{{{NAMESPACE}}}MeasurementUnit")).text == "mm10"
    assert (word.get("CONTENT"), word.get("HPOS"), word.get("WIDTH"), word.get("HEIGHT")) == (
        "Größe<&>", "200", "215", "50",
    )  # fmt: skip
    assert (first.get("WIDTH"), first.get("HEIGHT")) == ("2100", "2970")
    names = [element.get("ID") for element in root.iter() if element.get("ID")]
    assert len(names) == len(set(names))


def test_a_word_document_has_headings_paragraphs_and_tables() -> None:
    out = io.BytesIO()
    pages: list[list[Element]] = [
        [Heading("Lease", 1), Prose("As agreed\x00.")],
        [Table((("Sort", "Crates"), ("Pears", "12")))],
    ]
    write_word_document(pages, out, About("Lease", NOW))
    document = docx.Document(out)
    styles = [
        (paragraph.style and paragraph.style.name, paragraph.text)
        for paragraph in document.paragraphs
        if paragraph.text.strip()
    ]
    assert styles == [("Heading 1", "Lease"), ("Normal", "As agreed.")]
    (table,) = document.tables
    assert [[cell.text for cell in row.cells] for row in table.rows] == [["Sort", "Crates"], ["Pears", "12"]]
    assert document.core_properties.title == "Lease"
