"""How small a document becomes, and what each page is made of for that.

A page is split by itself, then encoded together with others, since bilevel parts of several pages share what they
have in common.
"""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np

from papiermappe.core.encode import deflate
from papiermappe.core.encode.encoded import Codec, EncodedPage, EncodedPicture, Layer, MadeOf
from papiermappe.core.encode.ink import PackedInk
from papiermappe.core.encode.jbig2 import page_stream, page_streams
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.layers import Fineness, Layers, Rgb, taken_apart
from papiermappe.core.encode.level import Level
from papiermappe.core.picture import Pixels

BLACK_BELOW = 128
SMALL_PICTURE = 3_000_000  # pictures of fewer values get Huffman tables of their own
PAGES_TOGETHER = 16
PICTURE_SHARE = 0.6  # a page that is picture to this share is kept as one picture


class Settings(NamedTuple):
    """What a level means."""

    fineness: Fineness
    paper_quality: int
    """Of JPEG."""
    ink_quality: int
    picture_dpi: float
    """Of pages that are all picture."""
    picture_quality: int
    shares_ink: bool
    """Whether ink is coded together with that of other pages: smaller, but slower."""


FAITHFUL_QUALITY = 92
SETTINGS = {
    Level.BALANCED: Settings(Fineness(150, 25, 14), 65, 80, 200, 65, shares_ink=False),
    Level.LEAN: Settings(Fineness(100, 25, 18), 45, 60, 150, 45, shares_ink=True),
}


class SplitInk(NamedTuple):
    """Ink that is still to be encoded."""

    ink: PackedInk
    paint: EncodedPicture | Rgb | None
    """None: it is the whole page, black on white."""


class SplitPage(NamedTuple):
    """A page without its ink."""

    layers: tuple[Layer, ...]
    inks: tuple[SplitInk, ...]
    """What is painted after the layers, in this order."""
    shares_ink: bool
    made_of: MadeOf


def split_page(page: Pixels, dpi: float, level: Level, bilevel: bool, kept_as: MadeOf | None = None) -> SplitPage:
    """Decide what a page is made of, and encode everything but its ink.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        level: how small it becomes.
        bilevel: whether the page is ink and paper only, 0 and 255; such a page is kept exactly at every level.
        kept_as: a picture or layers, whatever the content; at Faithful every page that is not bilevel is a picture.

    Raises:
        PictureRefused: not such a picture.
    """
    if bilevel:
        ink = SplitInk(PackedInk.of(np.less(page, BLACK_BELOW)), None)
        return SplitPage((), (ink,), True, MadeOf.BILEVEL)
    if level is Level.FAITHFUL:
        return _one_picture(_faithful(page))
    settings = SETTINGS[level]
    if kept_as is MadeOf.PICTURE:
        return _one_picture(_reduced(page, dpi, settings))
    layers = taken_apart(page, dpi, settings.fineness)
    if layers.pictures_share > PICTURE_SHARE and kept_as is not MadeOf.LAYERS:
        return _one_picture(_reduced(page, dpi, settings))
    return _layered(layers, settings)


def encode_pages(pages: Sequence[SplitPage]) -> list[EncodedPage]:
    """Encode the ink of pages together, `PAGES_TOGETHER` or so of one document."""
    done = [list(page.layers) for page in pages]
    for at in range(max((len(page.inks) for page in pages), default=0)):
        having = [number for number, page in enumerate(pages) if at < len(page.inks)]
        together = [number for number in having if pages[number].shares_ink]
        shared, streams = page_streams([pages[number].inks[at].ink for number in together])
        for number, data in zip(together, streams, strict=True):
            done[number].append(_ink_layer(pages[number].inks[at], data, shared))
        for number in (number for number in having if not pages[number].shares_ink):
            ink = pages[number].inks[at]
            done[number].append(_ink_layer(ink, page_stream(ink.ink.unpacked(), quickly=True), b""))
    return [EncodedPage(tuple(layers), page.made_of) for layers, page in zip(done, pages, strict=True)]


def _ink_layer(ink: SplitInk, data: bytes, shared: bytes) -> Layer:
    picture = EncodedPicture(Codec.JBIG2, data, ink.ink.width_px, ink.ink.height_px, False, shared)
    return Layer(picture) if ink.paint is None else Layer(ink.paint, stencil=picture)


def _one_picture(picture: EncodedPicture) -> SplitPage:
    return SplitPage((Layer(picture),), (), False, MadeOf.PICTURE)


def _faithful(page: Pixels) -> EncodedPicture:
    """Return a JPEG without visible loss, or the page losslessly if that is smaller."""
    jpeg = _jpeg(page, FAITHFUL_QUALITY, full_colour=True)
    lossless = deflate.encoded_within(page, len(jpeg.data))
    if lossless is None:
        return jpeg
    return jpeg._replace(codec=Codec.DEFLATE, data=lossless)


def _reduced(page: Pixels, dpi: float, settings: Settings) -> EncodedPicture:
    scale = min(1.0, settings.picture_dpi / dpi)
    size = tuple(max(1, round(side * scale)) for side in page.shape[1::-1])
    smaller = cv2.resize(page, size, interpolation=cv2.INTER_AREA) if scale < 1 else page
    return _jpeg(np.asarray(smaller, np.uint8), settings.picture_quality)


def _layered(layers: Layers, settings: Settings) -> SplitPage:
    paper = (Layer(layers.paper),) if layers.paper != (255, 255, 255) else ()
    pieces = [Layer(_jpeg(piece.pixels, settings.paper_quality), piece.box) for piece in layers.pieces]
    inks = tuple(
        SplitInk(PackedInk.of(ink), _paint(colours, settings))
        for ink, colours in ((layers.soft, layers.soft_colours), (layers.ink, layers.ink_colours))
    )
    return SplitPage((*paper, *pieces), inks, settings.shares_ink, MadeOf.LAYERS)


def _paint(colours: Pixels | Rgb, settings: Settings) -> EncodedPicture | Rgb:
    return colours if isinstance(colours, tuple) else _jpeg(colours, settings.ink_quality, full_colour=True)


def _jpeg(pixels: Pixels, quality: int, full_colour: bool = False) -> EncodedPicture:
    height, width = pixels.shape[:2]
    small = pixels.size < SMALL_PICTURE
    data = encode_jpeg(pixels, quality, small=small, full_colour=full_colour)
    return EncodedPicture(Codec.JPEG, data, width, height, pixels.ndim == 3)
