"""PDF (ISO 32000): one picture a page, at the true size of the paper."""

from collections.abc import Iterable
from datetime import datetime
from typing import BinaryIO, NamedTuple

import pikepdf

from papiermappe.core.encode.encoded import Codec, EncodedPicture
from papiermappe.core.geometry import POINTS_PER_MM

FILTERS = {Codec.JPEG: pikepdf.Name.DCTDecode, Codec.JBIG2: pikepdf.Name.JBIG2Decode}


class PdfPage(NamedTuple):
    """One page: its picture and the size of its paper."""

    picture: EncodedPicture
    width_mm: float
    height_mm: float


def write_pdf(pages: Iterable[PdfPage], out: BinaryIO, title: str, created: datetime) -> int:
    """Write a PDF of the pages in their order.

    Args:
        pages: taken one at a time.
        out: where the file goes.
        title: shown by readers in place of the file name.
        created: with its time zone.

    Returns:
        The number of pages written.

    Raises:
        ValueError: there are no pages.
    """
    pdf = pikepdf.new()
    for page in pages:
        _append(pdf, page)
    if not pdf.pages:
        raise ValueError("a PDF needs at least one page")
    pdf.docinfo["/Title"] = title
    pdf.docinfo["/Producer"] = "Papiermappe"
    pdf.docinfo["/CreationDate"] = pikepdf.models.metadata.encode_pdf_date(created)
    pdf.Root.ViewerPreferences = pikepdf.Dictionary(DisplayDocTitle=True)
    pdf.save(out, linearize=True, deterministic_id=True)
    return len(pdf.pages)


def _append(pdf: pikepdf.Pdf, page: PdfPage) -> None:
    picture = pikepdf.Stream(
        pdf,
        page.picture.data,
        Type=pikepdf.Name.XObject,
        Subtype=pikepdf.Name.Image,
        Width=page.picture.width_px,
        Height=page.picture.height_px,
        ColorSpace=pikepdf.Name.DeviceRGB if page.picture.is_colour else pikepdf.Name.DeviceGray,
        BitsPerComponent=1 if page.picture.codec is Codec.JBIG2 else 8,
        Filter=FILTERS[page.picture.codec],
    )
    width_pt, height_pt = (round(side_mm * POINTS_PER_MM, 3) for side_mm in (page.width_mm, page.height_mm))
    pdf.add_blank_page(page_size=(width_pt, height_pt))
    added = pdf.pages[-1]
    added.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(Page=picture))
    added.Contents = pikepdf.Stream(pdf, f"q {width_pt} 0 0 {height_pt} 0 0 cm /Page Do Q".encode())
