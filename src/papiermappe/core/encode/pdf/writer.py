"""PDF/A-2u (ISO 19005-2): pages at the true size of their paper, with text that can be found and copied.

With files attached it is PDF/A-3u (ISO 19005-3); with a password it is no PDF/A, which cannot be encrypted.
"""

from collections.abc import Callable, Iterable, Sequence
from contextlib import ExitStack
from datetime import datetime
from io import BytesIO
from itertools import chain, islice
from typing import BinaryIO, NamedTuple

import pikepdf

from papiermappe.core.encode.encoded import Codec, EncodedPage, EncodedPicture, Layer
from papiermappe.core.encode.options import About, Attachment
from papiermappe.core.encode.pdf.font import Characters, font_of
from papiermappe.core.encode.pdf.icc import srgb_profile
from papiermappe.core.encode.pdf.metadata import tell
from papiermappe.core.encode.pdf.text import FONT, text_content
from papiermappe.core.geometry import POINTS_PER_MM
from papiermappe.core.reading.page_text import PageText

FILTERS = {
    Codec.JPEG: pikepdf.Name.DCTDecode,
    Codec.JBIG2: pikepdf.Name.JBIG2Decode,
    Codec.DEFLATE: pikepdf.Name.FlateDecode,
}
PNG_ROWS = 15  # of the predictors of Flate, the one of PNG (ISO 32000-1, table 10)
PAGES_A_PART = 50
"""Each part of so many pages is put aside before the next, so that memory does not grow with the document."""


class PdfPage(NamedTuple):
    """One page."""

    picture: EncodedPage
    width_mm: float
    height_mm: float
    text: PageText | None = None
    """What is written on it, where that was read."""
    begins: str | None = None
    """The name of what begins with it, for the bookmarks."""


def write_pdf(
    pages: Iterable[PdfPage],
    out: BinaryIO,
    about: About,
    aside: Callable[[], BinaryIO] = BytesIO,
    attachments: Sequence[Attachment] = (),
    password: str = "",
) -> int:
    """Write a PDF of the pages in their order.

    Args:
        pages: taken one at a time.
        out: where the file goes.
        about: what it says about itself.
        aside: opens a place where a part waits, to be written and read.
        attachments: files that it carries.
        password: without which it does not open (AES-256, ISO 32000-2, 7.6); empty: it is not encrypted.

    Returns:
        The number of pages written.

    Raises:
        ValueError: there are no pages.
    """
    with ExitStack() as waiting:
        pdf = waiting.enter_context(pikepdf.new())
        bookmarks: list[tuple[str, int]] = []
        rest = iter(pages)
        while part := list(islice(rest, 1)):
            place = waiting.enter_context(aside())
            pages_of_part = chain(part, islice(rest, PAGES_A_PART - 1))
            bookmarks += _write_part(pages_of_part, len(pdf.pages), place, about.language)
            pdf.pages.extend(waiting.enter_context(pikepdf.open(place)).pages)
        if not pdf.pages:
            raise ValueError("a PDF needs at least one page")
        tell(pdf, about, None if password else 3 if attachments else 2)
        for attachment in attachments:
            _attach(pdf, attachment, about.created)
        _show_as(pdf, bookmarks)
        _claim_colours(pdf)
        sealed = pikepdf.Encryption(user=password, owner=password, R=6) if password else None
        pdf.save(out, linearize=True, deterministic_id=sealed is None, min_version="1.7", encryption=sealed)
        return len(pdf.pages)


def _write_part(pages: Iterable[PdfPage], first: int, place: BinaryIO, language: str | None) -> list[tuple[str, int]]:
    """Write some pages as a PDF of their own; return what begins among them, and where in the whole."""
    bookmarks = []
    with pikepdf.new() as pdf:
        part = _Part(pdf, language)
        for at, page in enumerate(pages, first):
            part.append(page)
            if page.begins is not None:
                bookmarks.append((page.begins, at))
        part.finish()
        pdf.save(place)
    return bookmarks


class _Part:
    """Pages of a document, with what they share.

    Args:
        pdf: takes them.
        language: of the document, as in BCP 47.
    """

    def __init__(self, pdf: pikepdf.Pdf, language: str | None) -> None:
        self._pdf = pdf
        self._language = language
        self._characters = Characters()
        self._font = pdf.make_indirect(pikepdf.Dictionary())
        self._shared: dict[bytes, pikepdf.Stream] = {}

    def append(self, page: PdfPage) -> None:
        """Append a page."""
        width_pt, height_pt = (round(side_mm * POINTS_PER_MM, 3) for side_mm in (page.width_mm, page.height_mm))
        self._pdf.add_blank_page(page_size=(width_pt, height_pt))
        added = self._pdf.pages[-1]
        added.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary())
        content = b""
        for number, layer in enumerate(page.picture.layers):
            content += self._painted(added, layer, f"/Layer{number}", width_pt, height_pt)
        if page.text is not None:
            content += text_content(page.text, height_pt, self._characters, self._language)
            added.Resources.Font = pikepdf.Dictionary({f"/{FONT}": self._font})
        added.Contents = self._pdf.make_stream(content)

    def finish(self) -> None:
        """Complete what the pages share."""
        for name, value in font_of(self._pdf, self._characters).items():
            self._font[name] = value

    def _painted(self, page: pikepdf.Page, layer: Layer, name: str, width_pt: float, height_pt: float) -> bytes:
        """Return the operators that paint a layer."""
        left, top, right, bottom = layer.box
        place = f"{(right - left) * width_pt:.3f} 0 0 {(bottom - top) * height_pt:.3f} {left * width_pt:.3f} "
        place += f"{(1 - bottom) * height_pt:.3f} cm"
        colour = ""
        if isinstance(layer.paint, EncodedPicture):
            picture = self._picture(layer.paint)
            if layer.stencil is not None:
                picture.Mask = self._stencil(layer.stencil)
        else:
            colour = " ".join(f"{level / 255:.3f}" for level in layer.paint) + " rg "
            if layer.stencil is None:
                return f"q {colour}{place} 0 0 1 1 re f Q\n".encode()
            picture = self._stencil(layer.stencil)
        page.Resources.XObject[name] = picture
        return f"q {colour}{place} {name} Do Q\n".encode()

    def _picture(self, picture: EncodedPicture) -> pikepdf.Stream:
        return self._stream(
            picture,
            ColorSpace=pikepdf.Name.DeviceRGB if picture.is_colour else pikepdf.Name.DeviceGray,
            BitsPerComponent=1 if picture.codec is Codec.JBIG2 else 8,
        )

    def _stencil(self, ink: EncodedPicture) -> pikepdf.Stream:
        return self._stream(ink, ImageMask=True, BitsPerComponent=1)

    def _stream(self, picture: EncodedPicture, **more: object) -> pikepdf.Stream:
        stream = self._pdf.make_stream(
            picture.data,
            Type=pikepdf.Name.XObject,
            Subtype=pikepdf.Name.Image,
            Width=picture.width_px,
            Height=picture.height_px,
            Filter=FILTERS[picture.codec],
            **more,
        )
        if picture.shared:
            if picture.shared not in self._shared:
                self._shared[picture.shared] = self._pdf.make_stream(picture.shared)
            stream.DecodeParms = pikepdf.Dictionary(JBIG2Globals=self._shared[picture.shared])
        if picture.codec is Codec.DEFLATE:
            stream.DecodeParms = pikepdf.Dictionary(
                Predictor=PNG_ROWS, Colors=3 if picture.is_colour else 1, BitsPerComponent=8, Columns=picture.width_px
            )
        return stream


def _show_as(pdf: pikepdf.Pdf, bookmarks: list[tuple[str, int]]) -> None:
    """Have readers show the title, numbers from 1 and the bookmarks."""
    pdf.Root.ViewerPreferences = pikepdf.Dictionary(DisplayDocTitle=True)
    pdf.Root.PageLabels = pikepdf.Dictionary(Nums=[0, pikepdf.Dictionary(S=pikepdf.Name.D)])
    if bookmarks:
        with pdf.open_outline() as outline:
            outline.root.extend(pikepdf.OutlineItem(name, page) for name, page in bookmarks)


def _attach(pdf: pikepdf.Pdf, attachment: Attachment, created: datetime) -> None:
    """Attach a file that says more of the document (ISO 19005-3, 6.8 and annex E)."""
    stamp = pikepdf.models.metadata.encode_pdf_date(created.replace(microsecond=0))
    spec = pikepdf.AttachedFileSpec(
        pdf,
        attachment.data,
        description=attachment.description,
        filename=attachment.name,
        mime_type=attachment.media_type,
        creation_date=stamp,
        mod_date=stamp,
        relationship=pikepdf.Name.Supplement,
    )
    pdf.attachments[attachment.name] = spec  # and names it among the associated files (ISO 19005-3, 6.8)


def _claim_colours(pdf: pikepdf.Pdf) -> None:
    """Say that colours are sRGB (ISO 19005-2, 6.2.3)."""
    profile = pdf.make_stream(srgb_profile(), N=3)
    intent = pikepdf.Dictionary(
        Type=pikepdf.Name.OutputIntent,
        S=pikepdf.Name.GTS_PDFA1,
        OutputConditionIdentifier="sRGB IEC61966-2.1",
        Info="sRGB IEC61966-2.1",
        DestOutputProfile=profile,
    )
    pdf.Root.OutputIntents = pikepdf.Array([pdf.make_indirect(intent)])
