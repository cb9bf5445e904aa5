"""Encoded pictures: looked at before they are decoded, decoded at full or reduced size, encoded again.

Decoded pictures are `uint8`, grey `(h, w)` or RGB `(h, w, 3)`, rows from the top.
"""

import io
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import reduce
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from papiermappe.core.compiled import compiled
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.photo_sheet import PhotoSheet
from papiermappe.errors import PictureRefused

# Pillow's own limit, of 179 megapixels, is the process's: here it is a parameter, and checked before decoding.
Image.MAX_IMAGE_PIXELS = None

Pixels = NDArray[np.uint8]
Reduction = Literal[1, 2, 4, 8]

MIN_DPI, MAX_DPI = 10.0, 4800.0
LEAST_DPI = 1.0  # of a small picture of something large, as of a photo of a table

ORIENTATION = 0x0112
TO_UPRIGHT = {
    1: (0, False), 2: (0, True), 3: (2, False), 4: (2, True), 5: (3, True), 6: (3, False), 7: (1, True), 8: (1, False),
}  # fmt: skip
"""For each orientation, the quarter turns counter-clockwise, and whether it is mirrored left to right after them."""
LYING = frozenset({5, 6, 7, 8})

JPEG = "image/jpeg"
MEDIA_TYPES = {"JPEG": JPEG, "PNG": "image/png"}

_REDUCED_COLOUR = {
    1: cv2.IMREAD_COLOR_RGB,
    2: cv2.IMREAD_REDUCED_COLOR_2,
    4: cv2.IMREAD_REDUCED_COLOR_4,
    8: cv2.IMREAD_REDUCED_COLOR_8,
}
_REDUCED_GREY = {
    1: cv2.IMREAD_GRAYSCALE,
    2: cv2.IMREAD_REDUCED_GRAYSCALE_2,
    4: cv2.IMREAD_REDUCED_GRAYSCALE_4,
    8: cv2.IMREAD_REDUCED_GRAYSCALE_8,
}


@dataclass(frozen=True)
class PictureHead:
    """What the header of an encoded picture says about it."""

    media_type: str
    width_px: int
    height_px: int
    is_colour: bool
    dpi: float | None
    is_bilevel: bool = False
    """Whether it has two levels only."""
    orientation: int = 1
    """How its pixels must be turned or mirrored to stand upright (Exif 2.32, 4.6.5, Orientation); sizes are of that."""


@dataclass(frozen=True)
class CapturedPicture:
    """One side of a sheet as the device delivered it: encoded, with its resolution."""

    data: bytes
    dpi: float
    limit_px: int = DEFAULT_LIMIT_PX
    by_camera: bool = False
    """Whether a camera saw it, so that it shows a sheet somewhere on a table; else it is a scan."""
    sheet: PhotoSheet | None = None
    """Where that sheet is, as it was found when the photo came; None: it has not been looked for."""

    def head(self) -> PictureHead:
        """Return what the header says. Raises PictureRefused."""
        return read_head(self.data, self.limit_px)

    def pixels(self, reduction: Reduction = 1, grey: bool = False) -> Pixels:
        """Return the decoded picture, each side divided by `reduction` and rounded up. Raises PictureRefused."""
        return decode(self.data, self.limit_px, reduction, grey)


class DecodedOnce(CapturedPicture):
    """A captured picture that keeps its last decoded pixels, for consumers that ask for them in turn, also smaller."""

    @classmethod
    def of(cls, capture: CapturedPicture) -> "DecodedOnce":
        """Return a captured picture as one that is decoded once."""
        return cls(capture.data, capture.dpi, capture.limit_px, capture.by_camera, capture.sheet)

    def pixels(self, reduction: Reduction = 1, grey: bool = False) -> Pixels:
        """Return the decoded picture as any captured one does; it must not be changed. Raises PictureRefused."""
        kept: tuple[tuple[Reduction, bool], Pixels] | None = self.__dict__.get("kept")
        if kept is not None and kept[0] == (reduction, grey):
            return kept[1]
        if kept is not None and kept[0][1] == grey and 1 < kept[0][0] < reduction:
            return shrunk(kept[1], reduction // kept[0][0])  # as good, and decoding would take longer
        pixels = super().pixels(reduction, grey)
        self.__dict__["kept"] = (reduction, grey), pixels
        return pixels


def read_head(data: bytes, limit_px: int = DEFAULT_LIMIT_PX) -> PictureHead:
    """Read size and kind without decoding.

    Raises:
        PictureRefused: not a JPEG or PNG, or more pixels than `limit_px`.
    """
    try:
        picture = Image.open(io.BytesIO(data), formats=tuple(MEDIA_TYPES))
    except Exception as exc:  # what Pillow says of broken data depends on how they are broken
        raise PictureRefused("picture_unreadable") from exc
    width_px, height_px = picture.size
    if width_px * height_px > limit_px:
        raise PictureRefused("picture_too_large", limit_megapixels=round(limit_px / 1e6))
    orientation = exif_orientation(picture)
    if orientation in LYING:
        width_px, height_px = height_px, width_px
    return PictureHead(
        media_type=MEDIA_TYPES[str(picture.format)],
        width_px=width_px,
        height_px=height_px,
        is_colour=picture.mode not in {"1", "L", "I", "I;16", "LA"},
        is_bilevel=picture.mode == "1",
        dpi=named_dpi(picture.info),
        orientation=orientation,
    )


def exif_orientation(picture: Image.Image) -> int:
    """Return what EXIF tells of how a picture must be turned, 1 to 8; 1, upright, where it tells nothing true."""
    try:
        told = picture.getexif().get(ORIENTATION, 1)
    except Exception:  # noqa: BLE001 (damaged EXIF: what Pillow says of it depends on the damage)
        return 1
    return told if told in TO_UPRIGHT else 1


def named_dpi(info: Mapping[Any, Any]) -> float | None:
    """Return the resolution that a picture names, from what Pillow tells of it; None if none that can be true."""
    try:
        dpi = float(info["dpi"][0])
    except (KeyError, IndexError, TypeError, ValueError, ZeroDivisionError, OverflowError):
        return None
    return dpi if MIN_DPI <= dpi <= MAX_DPI else None


def decode(data: bytes, limit_px: int = DEFAULT_LIMIT_PX, reduction: Reduction = 1, grey: bool = False) -> Pixels:
    """Decode a JPEG or PNG, its size checked first; it comes upright, as its EXIF tells.

    Args:
        data: the encoded picture.
        limit_px: more pixels than this are refused before decoding.
        reduction: divides each side; JPEG decodes faster for it.
        grey: leave out the colour, which is faster still.

    Raises:
        PictureRefused: broken, too large or of another kind.
    """
    head = read_head(data, limit_px)
    if reduction != 1 and head.media_type != JPEG:  # the decoder would round down, and so move what is far off
        return _reduced(decode(data, limit_px, 1, grey), reduction)
    in_colour = head.is_colour and not grey
    flags = (_REDUCED_COLOUR if in_colour else _REDUCED_GREY)[reduction] | cv2.IMREAD_IGNORE_ORIENTATION
    try:
        pixels = cv2.imdecode(np.frombuffer(data, np.uint8), flags)
    except cv2.error as exc:
        raise PictureRefused("picture_damaged") from exc
    if pixels is None:
        raise PictureRefused("picture_damaged")
    if in_colour and reduction != 1:
        pixels = cv2.cvtColor(pixels, cv2.COLOR_BGR2RGB)
    turn, mirror = TO_UPRIGHT[head.orientation]
    upright = turned(np.asarray(pixels, np.uint8), turn)
    return np.asarray(cv2.flip(upright, 1), np.uint8) if mirror else upright


def _reduced(pixels: Pixels, by: Reduction) -> Pixels:
    """Return a picture with each side divided and rounded up, as a JPEG is decoded."""
    down, across = (-side % by for side in pixels.shape[:2])
    whole = pixels
    if down or across:
        whole = np.asarray(cv2.copyMakeBorder(pixels, 0, down, 0, across, cv2.BORDER_REPLICATE), np.uint8)
    return shrunk(whole, by)


def checked(pixels: Pixels, dpi: float) -> Pixels:
    """Return decoded pixels unchanged, in contiguous memory.

    Raises:
        PictureRefused: not `uint8`, not grey or RGB, without a pixel, or with a resolution that cannot be.
    """
    if not isinstance(pixels, np.ndarray) or pixels.dtype != np.uint8:
        raise PictureRefused("picture_not_uint8", found=str(getattr(pixels, "dtype", "?")))
    if pixels.ndim not in {2, 3} or pixels.shape[2:] not in {(), (3,)} or 0 in pixels.shape:
        raise PictureRefused("picture_wrong_shape", found=str(pixels.shape))
    if not LEAST_DPI <= dpi <= MAX_DPI:  # false for NaN, too
        raise PictureRefused("resolution_out_of_range", found=str(dpi))
    return np.ascontiguousarray(pixels)


def to_grey(pixels: Pixels) -> Pixels:
    """Return the picture as grey `(h, w)`; grey pictures come back as they are."""
    return pixels if pixels.ndim == 2 else np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY), np.uint8)


def turned(pixels: Pixels, quarter_turns: int) -> Pixels:
    """Return the picture turned counter-clockwise by quarters, in contiguous memory."""
    how = {1: cv2.ROTATE_90_COUNTERCLOCKWISE, 2: cv2.ROTATE_180, 3: cv2.ROTATE_90_CLOCKWISE}.get(quarter_turns % 4)
    return pixels if how is None else np.asarray(cv2.rotate(pixels, how), np.uint8)


def written_to(pixels: Pixels, out: Pixels | None) -> Pixels:
    """Return `out` with the pixels in it, or a copy of them where it is None; nothing is copied onto itself.

    >>> page = np.zeros((2, 3), np.uint8)
    >>> written_to(page, page) is page, written_to(page, None) is page
    (True, False)
    """
    if out is None:
        return pixels.copy()
    if out is not pixels:
        np.copyto(out, pixels)
    return out


def darkest_channel(pixels: Pixels) -> Pixels:
    """Return the least level of each pixel, (h, w)."""
    return pixels if pixels.ndim == 2 else _of_channels(_darkest, pixels)


def lightest_channel(pixels: Pixels) -> Pixels:
    """Return the greatest level of each pixel, (h, w)."""
    return pixels if pixels.ndim == 2 else _of_channels(_lightest, pixels)


def _of_channels(fill: Callable[[NDArray[np.uint8], NDArray[np.uint8]], None], pixels: Pixels) -> Pixels:
    """Return (h, w) that a compiled loop fills from RGB: ten times as fast as channel by channel."""
    levels = np.empty(pixels.shape[:2], np.uint8)
    fill(np.ascontiguousarray(pixels).reshape(-1), levels.reshape(-1))
    return levels


@compiled("void(u1[::1], u1[::1])")
def _darkest(rgb: NDArray[np.uint8], levels: NDArray[np.uint8]) -> None:
    for at in range(levels.size):
        levels[at] = min(rgb[3 * at], min(rgb[3 * at + 1], rgb[3 * at + 2]))


@compiled("void(u1[::1], u1[::1])")
def _lightest(rgb: NDArray[np.uint8], levels: NDArray[np.uint8]) -> None:
    for at in range(levels.size):
        levels[at] = max(rgb[3 * at], max(rgb[3 * at + 1], rgb[3 * at + 2]))


def light_and_tint(pixels: NDArray[np.uint8] | NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Return the mean of the channels, (h, w), and by how much the one that is farthest from it differs, (h, w)."""
    levels = np.asarray(pixels, np.float32)
    if levels.ndim == 2:
        return levels, np.zeros_like(levels)
    light = np.asarray(cv2.transform(levels, np.full((1, 3), 1 / 3, np.float32)), np.float32)
    away = [cv2.absdiff(channel, light) for channel in cv2.split(levels)]
    return light, np.asarray(reduce(cv2.max, away), np.float32)


def shrunk(pixels: Pixels, by: int) -> Pixels:
    """Return the picture with each side divided by a whole number: the mean of whole squares, which is quick.

    Rows and columns that do not fill a square at the bottom and the right are left out; what cannot be divided comes
    back as it is.
    """
    height, width = pixels.shape[0] // max(by, 1), pixels.shape[1] // max(by, 1)
    if by <= 1 or min(height, width) == 0:
        return pixels
    whole = pixels[: height * by, : width * by]
    if by % 2 == 0:  # halving has a quick way of its own
        return shrunk(
            np.asarray(cv2.resize(whole, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA), np.uint8), by // 2
        )
    return np.asarray(cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA), np.uint8)
