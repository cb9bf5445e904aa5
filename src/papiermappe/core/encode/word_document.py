"""A text document that can be edited (ECMA-376, .docx)."""

from collections.abc import Iterable, Sequence
from typing import BinaryIO

import docx
from docx.enum.text import WD_BREAK

from papiermappe.core.encode.options import About
from papiermappe.core.reading.structure import Element, Heading, Prose, Table

MOST_LETTERS = 255
"""Of a property; longer ones are refused by the library."""


def write_word_document(pages: Iterable[Sequence[Element]], out: BinaryIO, about: About) -> None:
    """Write headings, paragraphs and tables; each page begins a new one.

    Args:
        pages: what is on each, in the order of reading.
        out: where the file goes.
        about: what it says of itself.
    """
    document = docx.Document()
    properties = document.core_properties
    properties.title, properties.author = _property(about.title), _property(about.author)
    properties.subject, properties.keywords = _property(about.subject), _property(about.keywords)
    properties.created = properties.modified = about.created
    for number, elements in enumerate(pages):
        if number:
            document.add_paragraph().add_run().add_break(WD_BREAK.PAGE)
        for element in elements:
            _add(document, element)
    document.save(out)


def _add(document: "docx.document.Document", element: Element) -> None:
    match element:
        case Heading(text, level):
            document.add_heading(_printable(text), level)
        case Prose(text):
            document.add_paragraph(_printable(text))
        case Table(rows):
            table = document.add_table(len(rows), len(rows[0]), style="Table Grid")
            for row, cells in zip(table.rows, rows, strict=True):
                for cell, text in zip(row.cells, cells, strict=True):
                    cell.text = _printable(text)
            document.add_paragraph()


def _property(text: str) -> str:
    return _printable(text)[:MOST_LETTERS]


def _printable(text: str) -> str:
    return "".join(character for character in text if character.isprintable() or character in "\n\t")
