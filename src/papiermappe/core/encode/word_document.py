"""A text document that can be edited (ECMA-376, .docx)."""

from collections.abc import Iterable, Sequence
from io import BytesIO
from typing import BinaryIO

import docx
from docx.document import Document
from docx.enum.section import WD_SECTION
from docx.enum.text import WD_BREAK
from docx.oxml.ns import qn
from docx.section import Section
from docx.shared import Mm
from docx.text.paragraph import Paragraph

from papiermappe.core.encode.options import About
from papiermappe.core.paper import A4
from papiermappe.core.reading.figures import Figure
from papiermappe.core.reading.structure import Columns, Element, Heading, ListItem, Picture, Prose, Simple, Table

MOST_LETTERS = 255
"""Of a property; longer ones are refused by the library."""
MARGIN_MM = 22.0
TEXT_MM = A4.width_mm - 2 * MARGIN_MM
"""How wide the text is."""
INDENT_MM = 8.0
BETWEEN_COLUMNS_TWIPS = 454  # 8 mm


def write_word_document(pages: Iterable[Sequence[Element]], out: BinaryIO, about: About) -> None:
    """Write headings, paragraphs, lists, tables, columns and pictures; each page begins a new one.

    Items keep the numbers that are printed, since others may refer to them; bullets are the program's own.

    Args:
        pages: what is on each, in the order of reading.
        out: where the file goes.
        about: what it says of itself.
    """
    document = docx.Document()
    _on_paper(document.sections[0])
    properties = document.core_properties
    properties.title, properties.author = _property(about.title), _property(about.author)
    properties.subject, properties.keywords = _property(about.subject), _property(about.keywords)
    properties.created = properties.modified = about.created
    if about.language:
        properties.language = about.language
        for told in document.styles.element.xpath("w:docDefaults/w:rPrDefault/w:rPr/w:lang"):
            told.set(qn("w:val"), about.language)
    writer = _Writer(document)
    for number, elements in enumerate(pages):
        if number:
            writer.begin_page()
        for element in elements:
            writer.add(element)
    document.save(out)


def _on_paper(section: Section) -> None:
    section.page_width, section.page_height = Mm(A4.width_mm), Mm(A4.height_mm)
    section.left_margin = section.right_margin = section.top_margin = section.bottom_margin = Mm(MARGIN_MM)


class _Writer:
    """Adds elements to a document."""

    def __init__(self, document: Document) -> None:
        self._document = document
        self._new_page = False

    def begin_page(self) -> None:
        """Have the next paragraph begin a page."""
        if self._new_page:
            self._placed(self._document.add_paragraph())  # of an empty page, too
        self._new_page = True

    def add(self, element: Element) -> None:
        """Add an element; what is no paragraph, and begins a page, gets an empty one above it."""
        if isinstance(element, Columns):
            self._add_columns(element)
            return
        self._add(element)

    def _add(self, element: Simple) -> None:
        match element:
            case Heading(text, level):
                self._placed(self._document.add_heading(_printable(text), level))
            case Prose(text):
                self._placed(self._document.add_paragraph(_printable(text)))
            case ListItem(text, ""):
                self._placed(self._document.add_paragraph(_printable(text), style="List Bullet"))
            case ListItem(text, number):
                item = self._placed(self._document.add_paragraph(f"{number}\t{_printable(text)}"))
                item.paragraph_format.left_indent = Mm(INDENT_MM)
                item.paragraph_format.first_line_indent = Mm(-INDENT_MM)
            case Picture(figure):
                self._add_picture(figure)
            case Table(rows):
                self._add_table(rows)

    def _add_table(self, rows: Sequence[Sequence[str]]) -> None:
        if self._new_page:
            self._placed(self._document.add_paragraph())
        table = self._document.add_table(len(rows), len(rows[0]), style="Table Grid")
        for row, cells in zip(table.rows, rows, strict=True):
            for cell, text in zip(row.cells, cells, strict=True):
                cell.text = _printable(text)
        self._document.add_paragraph()

    def _add_picture(self, figure: Figure) -> None:
        """Add a picture in its own size, as far from the left as it is on the page."""
        box = figure.box
        paragraph = self._placed(self._document.add_paragraph())
        paragraph.add_run().add_picture(BytesIO(figure.png), width=Mm(min(box.right - box.left, TEXT_MM)))
        room = TEXT_MM - (box.right - box.left)
        paragraph.paragraph_format.left_indent = Mm(max(0.0, min(box.left - MARGIN_MM, room)))

    def _add_columns(self, element: Columns) -> None:
        if self._new_page:
            self._placed(self._document.add_paragraph())
        _in_columns(self._document.add_section(WD_SECTION.CONTINUOUS), len(element.columns))
        for number, column in enumerate(element.columns):
            if number:
                self._document.add_paragraph().add_run().add_break(WD_BREAK.COLUMN)
            for simple in column:
                self._add(simple)
        _in_columns(self._document.add_section(WD_SECTION.CONTINUOUS), 1)

    def _placed(self, paragraph: Paragraph) -> Paragraph:
        paragraph.paragraph_format.page_break_before = True if self._new_page else None
        self._new_page = False
        return paragraph


def _in_columns(section: Section, count: int) -> None:
    """Set how many columns a section has (ECMA-376, part 1, 17.6.4)."""
    columns = section._sectPr.find(qn("w:cols"))  # the library has no name for it
    columns.set(qn("w:num"), str(count))
    columns.set(qn("w:space"), str(BETWEEN_COLUMNS_TWIPS))


def _property(text: str) -> str:
    return _printable(text)[:MOST_LETTERS]


def _printable(text: str) -> str:
    return "".join(character for character in text if character.isprintable() or character in "\n\t")
