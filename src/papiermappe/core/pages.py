"""Whole steps of work on one page, for a process of its own: bytes and values in, bytes and values out."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from papiermappe.core.analysis import Analysis, analyse
from papiermappe.core.clean.clearing import Areas
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.clean.pile import LEAF_DPI, Leaf, Pile, leaf_of, not_wiped
from papiermappe.core.clean.tone import binarise
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.formats import PageContent, page_content
from papiermappe.core.encode.jpeg import PAGE_QUALITY, encode_jpeg
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import SplitPage, encode_pages, split_page
from papiermappe.core.encode.options import TiffCoding
from papiermappe.core.encode.plain import Readable, encode_pgm, encode_png, readable
from papiermappe.core.encode.sample import telling_spot, window_at
from papiermappe.core.encode.shown import shown
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.order.imprint import INK_DPI, imprint_of
from papiermappe.core.photo.lighting import evenly_lit
from papiermappe.core.photo_sheet import KnownSheet
from papiermappe.core.picture import CapturedPicture, DecodedOnce, Pixels, Reduction, to_grey
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.core.reading.printed import EDGE_SHARE, HEAD_SHARE
from papiermappe.core.sizes import BYTES_A_PICTURE
from papiermappe.core.treatment import (
    PAPER_WHITE,
    REDUCTIONS,
    Part,
    Tone,
    Treatment,
    decoded_reduction,
    flat_size_mm,
    page_box,
    page_size_mm,
    render,
)
from papiermappe.errors import PictureRefused

COPY_PX = 400
"""The shorter side of a reduced copy has so many pixels at least."""
SAMPLE_MM = 44.0, 25.0
LOOKED_AT_MM = 16.0, 8.0
"""What is seen of a sample at least, in its middle."""


class PageSource(NamedTuple):
    """What a page of a file is made from."""

    capture: CapturedPicture
    treatment: Treatment
    colour: ColourKind
    """What the page needs: as it was judged, or as somebody wants it. A tone that was chosen goes before it."""

    def made_of(self, kept_as: MadeOf) -> "PageSource":
        """Return it as a page that is to be made of something, whatever its content."""
        return self._replace(treatment=self.treatment.model_copy(update={"kept_as": kept_as}))


class PageForm(NamedTuple):
    """What a page is made for."""

    kind: Format
    level: Level
    mode: RecognitionMode | None = None
    """How it is to be read; None: not at all."""
    max_dpi: float | None = None
    """What is finer is reduced to it; None: nothing is."""
    tiff: TiffCoding = TiffCoding.AS_LEVEL


class FilePageParts(NamedTuple):
    """A page in the form that a file takes up."""

    content: PageContent
    width_mm: float
    height_mm: float
    readable: Readable | None
    """For the recogniser, where the page is to be read."""


class _Rendered(NamedTuple):
    """A page picture as files show it."""

    pixels: Pixels
    dpi: float
    bilevel: bool
    in_tones: Pixels
    """The same before it was made bilevel: it reads better."""
    kept_as: MadeOf | None

    def split(self, level: Level) -> SplitPage:
        """Return what it is made of in a PDF."""
        return split_page(self.pixels, self.dpi, level, self.bilevel, self.kept_as)


def page_jpeg(
    capture: CapturedPicture, treatment: Treatment, width_px: int | None = None, quality: int = PAGE_QUALITY
) -> bytes:
    """Return the page picture as a JPEG. Raises PictureRefused."""
    return encode_jpeg(render(capture, treatment, width_px), quality)


def page_jpegs(
    pages: Sequence[tuple[CapturedPicture, Treatment]], width_px: int | None, quality: int
) -> list[bytes | None]:
    """Return several page pictures as `page_jpeg` does; None in the place of one whose capture cannot be decoded."""
    made: list[bytes | None] = []
    for capture, treatment in pages:
        try:
            made.append(page_jpeg(capture, treatment, width_px, quality))
        except PictureRefused:
            made.append(None)
    return made


def page_for_file(source: PageSource, form: PageForm) -> FilePageParts:
    """Render a page and bring it into the form that a file takes up. Raises PictureRefused."""
    if form.kind is Format.TIFF and form.tiff is TiffCoding.FAX:
        source = source.made_of(MadeOf.BILEVEL)
    page = _rendered(source, form.level, form.max_dpi)
    pixels = page.in_tones if form.kind.is_of_words else page.pixels
    kept_as = source.treatment.kept_as
    content = page_content(pixels, page.dpi, form.kind, form.level, page.bilevel, kept_as)
    asked = readable(_for_reading(source.capture, page.in_tones, page.dpi), page.dpi, form.mode) if form.mode else None
    return FilePageParts(content, *_size_mm(source), asked)


def readable_page(capture: CapturedPicture, treatment: Treatment, mode: RecognitionMode) -> Readable:
    """Return the page picture for a recogniser. Raises PictureRefused."""
    in_grey = {Tone.AS_SCANNED: Tone.GREY}
    toned = treatment.model_copy(update={"tone": in_grey.get(treatment.tone, treatment.tone)})
    return readable(_for_reading(capture, render(capture, toned), capture.dpi), capture.dpi, mode)


def _for_reading(capture: CapturedPicture, page: Pixels, dpi: float) -> Pixels:
    return evenly_lit(to_grey(page), dpi) if capture.by_camera else page


def readable_rims(capture: CapturedPicture, treatment: Treatment, mode: RecognitionMode) -> Readable:
    """Return the page picture with nothing but its head and foot, which are read in no time. Raises PictureRefused."""
    page = readable_page(capture, treatment, mode)
    grey = page.pixels().copy()
    height = len(grey)
    grey[round(HEAD_SHARE * height) : round((1 - EDGE_SHARE) * height)] = PAPER_WHITE
    return Readable(encode_pgm(grey), page.dpi)


def page_sizes(pages: Sequence[PageSource]) -> list[dict[Level, float]]:
    """Return what the pictures of each page add to a PDF at each level, with its share of what pages have in common.

    Raises:
        PictureRefused: a capture cannot be decoded.
    """
    sizes: list[dict[Level, float]] = [{} for _ in pages]
    for level in Level:
        encoded = encode_pages([_rendered(page, level).split(level) for page in pages])
        share = sum(map(len, {picture.shared for page in encoded for picture in page.pictures()})) / len(pages)
        for known, page in zip(sizes, encoded, strict=True):
            known[level] = page.byte_size + share + BYTES_A_PICTURE * len(page.pictures())
    return sizes


class LevelSamples(NamedTuple):
    """A part of a page as each level would save it."""

    pictures: dict[Level, bytes]
    """PNG."""
    made_of: dict[Level, MadeOf]
    """The whole page."""
    box: tuple[float, float, float, float]
    """Where the part lies: left, top, right, bottom as shares of the page."""


def level_samples(source: PageSource, spot: tuple[float, float] | None = None) -> LevelSamples:
    """Return a part of a page as it looks at each level.

    Args:
        source: of the page.
        spot: the middle of the part, as shares of width and height; None: the part that tells most.

    Raises:
        PictureRefused: the capture cannot be decoded.
    """
    window: tuple[slice, slice] | None = None
    pictures, made_of = {}, {}
    for level in Level:
        page = _rendered(source, level)
        spot = spot or telling_spot(page.in_tones, page.dpi, *LOOKED_AT_MM)
        window = window or window_at(page.pixels, page.dpi, spot, *SAMPLE_MM)
        split = page.split(level)
        made_of[level] = split.made_of
        pictures[level] = encode_png(np.ascontiguousarray(shown(split, *page.pixels.shape[:2])[window]))
        height, width = page.pixels.shape[:2]
    rows, cols = window or (slice(0, height), slice(0, width))
    return LevelSamples(
        pictures, made_of, (cols.start / width, rows.start / height, cols.stop / width, rows.stop / height)
    )


class Arrival(NamedTuple):
    """What is made of a capture when it arrives."""

    analysis: Analysis
    previews: tuple[bytes, ...]
    """Pictures of the page that follows, JPEG, of the widths that were asked for."""
    imprint: bytes
    """By which the page is compared with others."""
    copy: bytes
    """The capture with fewer pixels, from which small pictures are made sooner, JPEG; empty where there is none."""


def examine(
    capture: CapturedPicture,
    widths_px: Sequence[int | None],
    quality: int,
    upright: TurnEstimate | None = None,
    usual_height_mm: float | None = None,
    part: Part | None = None,
    known: KnownSheet | None = None,
) -> Arrival:
    """Return what is found on a capture, and what is made of it. Raises PictureRefused.

    Args:
        capture: the untouched picture.
        widths_px: of the pictures that are made of the page.
        quality: of these as JPEG.
        upright: how the page must be turned, if known.
        usual_height_mm: of the pages that arrived with it, if known.
        part: the page of a spread that is looked at, where it is no more than that.
        known: the sheet on a photo, where that is known.
    """
    once = DecodedOnce.of(capture)
    analysis = analyse(once, upright, usual_height_mm, part, known)
    previews = tuple(page_jpeg(once, analysis.treatment, width_px, quality) for width_px in widths_px)
    head = capture.head()
    by = 1 if capture.by_camera else _copy_reduction(head.width_px, head.height_px)
    copy = encode_jpeg(once.pixels(by)) if by > 1 else b""
    return Arrival(analysis, previews, capture_imprint(once, analysis.treatment), copy)


def _copy_reduction(width_px: int, height_px: int) -> Reduction:
    """Return by how much the copy of a scan is reduced; 1 where the scan is small enough to need none."""
    return next((by for by in REDUCTIONS if min(width_px, height_px) >= by * COPY_PX), 1)


def as_compared(found: Treatment) -> Treatment:
    """Return how a page is treated to be compared with others: as it came, straightened and cut to its sheet."""
    kept = {name: getattr(found, name) for name in ("corners", "curl", "part", "straighten", "crop")}
    return Treatment(**kept)


def capture_imprint(capture: CapturedPicture, found: Treatment) -> bytes:
    """Return the imprint of a page, given what was found on its capture. Raises PictureRefused."""
    as_it_came = as_compared(found)
    head = capture.head()
    width_mm, _ = page_size_mm(head.width_px, head.height_px, capture.dpi, as_it_came)
    width_px = max(1, round(mm_to_px(width_mm, min(capture.dpi, INK_DPI))))
    return imprint_of(render(capture, as_it_came, width_px), width_px / mm_to_px(width_mm, 1.0)).to_bytes()


def framed_only(treatment: Treatment) -> Treatment:
    """Return a treatment without what it does to ink and paper: the page as it is framed."""
    return treatment.shape_only.model_copy(update={"tone": Tone.GREY})


def page_leaf(capture: CapturedPicture, treatment: Treatment) -> Leaf:
    """Return what is kept of a page to lay it on the pile. Raises PictureRefused."""
    once = DecodedOnce.of(capture)
    reduction = decoded_reduction(capture.dpi)
    scan = once.pixels(reduction, grey=True)
    head = capture.head()
    width_mm, _ = page_size_mm(head.width_px, head.height_px, capture.dpi, treatment)
    width_px = max(1, round(mm_to_px(width_mm, min(capture.dpi, LEAF_DPI))))
    page = render(once, framed_only(treatment), width_px)
    flat_mm = flat_size_mm(head.width_px, head.height_px, capture.dpi, treatment)
    across = [x_mm for x_mm, _ in page_box(*flat_mm, treatment).corners]
    dpi = width_px / mm_to_px(width_mm, 1.0)
    return leaf_of(page, dpi, scan, capture.dpi / reduction, (min(across), max(across)))


class PilePart(NamedTuple):
    """Some pages over one another."""

    pile: Pile
    leaves: list[Leaf]
    """Without their pictures, which are in the pile."""
    made: dict[int, bytes]
    """What is to be kept of those that were not known, by their place among the pages."""


class PilePage(NamedTuple):
    """A page to be laid on the pile."""

    capture: CapturedPicture | None
    """None where what is kept of it is known."""
    kept: bytes
    treatment: Treatment
    areas: Areas
    """That are cleared on it."""


def pile_part(size_mm: tuple[float, float], pages: Sequence[PilePage]) -> PilePart:
    """Lay pages over one another. Raises PictureRefused: a capture cannot be decoded, or what was kept is torn."""
    part = PilePart(Pile(size_mm), [], {})
    for at, page in enumerate(pages):
        leaf = page_leaf(page.capture, page.treatment) if page.capture else Leaf.from_bytes(page.kept)
        if page.capture:
            part.made[at] = leaf.to_bytes()
        part.pile.add(leaf, page.areas)
        dust = not_wiped(leaf.dust, page.treatment.zones)
        part.leaves.append(leaf._replace(darker=np.zeros((1, 1), np.uint8), dust=dust))
    return part


def _rendered(source: PageSource, level: Level, max_dpi: float | None = None) -> _Rendered:
    """Render a page with no more colour than it needs.

    Print on plain paper becomes bilevel, except at Faithful, where no difference must show: there only scans that have
    been bilevel do.
    """
    capture, treatment, colour = source
    kept_as = treatment.kept_as
    dpi = min(capture.dpi, max_dpi or capture.dpi)
    width_px = None if dpi == capture.dpi else max(1, round(mm_to_px(_size_mm(source)[0], dpi)))
    if kept_as is MadeOf.PICTURE:
        colour = ColourKind.COLOUR
    if treatment.tone is Tone.AS_SCANNED and colour is not ColourKind.COLOUR:
        treatment = treatment.model_copy(update={"tone": Tone.GREY})
    page = render(capture, treatment, width_px)
    wanted = kept_as is MadeOf.BILEVEL
    if treatment.has_drawn_marks and not wanted:
        return _Rendered(page, dpi, False, page, kept_as)
    if treatment.tone is Tone.WHITE and colour is not ColourKind.COLOUR:
        page = to_grey(page)
    if not wanted and colour is ColourKind.BILEVEL and kept_as is None:
        chosen = source.treatment.tone in {Tone.GREY, Tone.BILEVEL}
        wanted = not chosen and (level is not Level.FAITHFUL or capture.head().is_bilevel)
    if wanted and treatment.tone is not Tone.BILEVEL:
        return _Rendered(np.where(binarise(page, dpi), np.uint8(0), np.uint8(255)), dpi, True, page, kept_as)
    return _Rendered(page, dpi, treatment.tone is Tone.BILEVEL, page, kept_as)


def _size_mm(source: PageSource) -> tuple[float, float]:
    head = source.capture.head()
    return page_size_mm(head.width_px, head.height_px, source.capture.dpi, source.treatment)
