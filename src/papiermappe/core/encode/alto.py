"""ALTO (Analyzed Layout and Text Object, version 4): words and where they stand, as XML."""

from collections.abc import Iterable
from xml.etree import ElementTree as ET

from papiermappe.core.reading.page_text import Block, BoxMm, PageText
from papiermappe.core.reading.spoken import spoken_code

NAMESPACE = "http://www.loc.gov/standards/alto/ns-v4#"
UNITS_A_MM = 10  # MeasurementUnit mm10: tenths of a millimetre


def write_alto(pages: Iterable[PageText], file_name: str) -> bytes:
    """Return the XML of pages, in their order.

    Args:
        pages: as they were read.
        file_name: of the document that they are of.
    """
    ET.register_namespace("", NAMESPACE)
    root = ET.Element(_name("alto"))
    description = ET.SubElement(root, _name("Description"))
    ET.SubElement(description, _name("MeasurementUnit")).text = "mm10"
    source = ET.SubElement(description, _name("sourceImageInformation"))
    ET.SubElement(source, _name("fileName")).text = file_name
    layout = ET.SubElement(root, _name("Layout"))
    for number, page in enumerate(pages, 1):
        _page(layout, page, number)
    ET.indent(root)
    return bytes(ET.tostring(root, "utf-8", xml_declaration=True))


def _name(tag: str) -> str:
    return f"{{{NAMESPACE}}}{tag}"


def _page(layout: ET.Element, page: PageText, number: int) -> None:
    whole = BoxMm(left=0, top=0, right=page.width_mm, bottom=page.height_mm)
    element = ET.SubElement(layout, _name("Page"), ID=f"page{number}", PHYSICAL_IMG_NR=str(number))
    _size(element, whole)
    space = ET.SubElement(element, _name("PrintSpace"))
    _lay(space, whole)
    for at, block in enumerate(page.blocks, 1):
        _block(
            space, block, f"page{number}_block{at}", spoken_code(page) or (page.languages[0] if page.languages else "")
        )


def _block(space: ET.Element, block: Block, name: str, language: str) -> None:
    lines = [line for paragraph in block.paragraphs for line in paragraph.lines]
    element = ET.SubElement(space, _name("TextBlock"), ID=name, LANG=language)
    _lay(element, BoxMm.around(line.box for line in lines))
    for at, line in enumerate(lines, 1):
        row = ET.SubElement(element, _name("TextLine"), ID=f"{name}_line{at}")
        _lay(row, line.box)
        for number, word in enumerate(line.words):
            if number:
                ET.SubElement(row, _name("SP"))
            string = ET.SubElement(row, _name("String"), CONTENT=word.text, WC=f"{word.confidence:.2f}")
            _lay(string, word.box)


def _size(element: ET.Element, box: BoxMm) -> None:
    element.set("WIDTH", str(round(UNITS_A_MM * (box.right - box.left))))
    element.set("HEIGHT", str(round(UNITS_A_MM * (box.bottom - box.top))))


def _lay(element: ET.Element, box: BoxMm) -> None:
    """Say where something lies, and how large it is."""
    element.set("HPOS", str(round(UNITS_A_MM * box.left)))
    element.set("VPOS", str(round(UNITS_A_MM * box.top)))
    _size(element, box)
