"""Encoded pages, as files take them up."""

from enum import StrEnum
from typing import NamedTuple

from papiermappe.core.encode.layers import Box, Rgb
from papiermappe.core.picture import read_head

WHOLE_PAGE = Box(0.0, 0.0, 1.0, 1.0)


class Codec(StrEnum):
    """How a picture is encoded."""

    JPEG = "jpeg"
    JBIG2 = "jbig2"
    DEFLATE = "deflate"
    """Rows with PNG filters (ISO/IEC 15948, clause 9), deflated."""


class EncodedPicture(NamedTuple):
    """A picture as it lies in a file."""

    codec: Codec
    data: bytes
    width_px: int
    height_px: int
    is_colour: bool
    shared: bytes = b""
    """What it has in common with pictures of other pages, to be read first."""


class Layer(NamedTuple):
    """Something painted on a page."""

    paint: EncodedPicture | Rgb
    """What is painted: a picture, or one colour."""
    box: Box = WHOLE_PAGE
    stencil: EncodedPicture | None = None
    """A bilevel picture: where it has ink, paint comes through. None: everywhere."""


class MadeOf(StrEnum):
    """What a page was made of."""

    PICTURE = "picture"
    BILEVEL = "bilevel"
    LAYERS = "layers"


class EncodedPage(NamedTuple):
    """A page as it lies in a file: layers, the first painted first, on white paper."""

    layers: tuple[Layer, ...]
    made_of: MadeOf

    def pictures(self) -> list[EncodedPicture]:
        """Return its pictures."""
        parts = [part for layer in self.layers for part in (layer.paint, layer.stencil)]
        return [part for part in parts if isinstance(part, EncodedPicture)]

    @property
    def byte_size(self) -> int:
        """How much its pictures weigh, without what they share with other pages."""
        return sum(len(picture.data) for picture in self.pictures())


def from_jpeg(data: bytes) -> EncodedPage:
    """Take a JPEG as it is. Raises PictureRefused."""
    head = read_head(data)
    picture = EncodedPicture(Codec.JPEG, data, head.width_px, head.height_px, head.is_colour)
    return EncodedPage((Layer(picture),), MadeOf.PICTURE)
