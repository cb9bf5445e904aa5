"""Pictures are looked at before they are decoded."""

import io
import struct
import zlib
from collections.abc import Callable

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageOps

from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.pages import page_jpeg
from papiermappe.core.picture import CapturedPicture, Pixels, Reduction, decode, read_head, shrunk, to_grey
from papiermappe.core.treatment import Treatment
from papiermappe.errors import PictureRefused


def bomb(width_px: int, height_px: int) -> bytes:
    """Return a PNG of a few hundred bytes whose head claims the given size (ISO/IEC 15948, 11.2)."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width_px, height_px, 8, 0, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"\0" * 1000)) + chunk(b"IEND", b"")
    )


def test_a_head_is_read_without_decoding(grey_page: Pixels) -> None:
    head = read_head(encode_jpeg(grey_page))
    assert (head.width_px, head.height_px, head.is_colour, head.media_type) == (80, 120, False, "image/jpeg")


@pytest.mark.parametrize("size_px", [(40_000, 40_000), (2_000_000_000, 2_000_000_000)])
def test_a_huge_picture_is_refused_before_decoding(size_px: tuple[int, int]) -> None:
    with pytest.raises(PictureRefused, match=r"picture_too_large\(limit_megapixels=250\)"):
        decode(bomb(*size_px))


def test_no_other_limit_holds_than_ours() -> None:
    """Pillow refuses 179 megapixels by itself, and warns of half as many."""
    head = read_head(bomb(20_000, 12_500))
    assert (head.width_px, head.height_px) == (20_000, 12_500)
    assert read_head(bomb(20_000, 20_000), limit_px=400_000_000).height_px == 20_000


def test_the_limit_is_a_parameter(grey_page: Pixels) -> None:
    data = encode_jpeg(grey_page)
    assert decode(data, limit_px=80 * 120).shape == (120, 80)
    with pytest.raises(PictureRefused, match="picture_too_large"):
        decode(data, limit_px=80 * 120 - 1)


@given(st.binary(max_size=400))
def test_nonsense_is_refused(data: bytes) -> None:
    with pytest.raises(PictureRefused):
        decode(data)


@given(st.integers(0, 600), st.integers(0, 255))
def test_a_damaged_picture_is_refused_or_decoded_at_its_size(at: int, value: int) -> None:
    data = bytearray(encode_jpeg(np.tile(np.arange(80, dtype=np.uint8), (120, 1))))
    data[at % len(data)] = value
    try:
        pixels = decode(bytes(data), limit_px=100_000)
    except PictureRefused:
        return
    assert pixels.dtype == np.uint8
    assert pixels.size <= 3 * 100_000


@pytest.mark.parametrize("encode", [encode_jpeg, encode_png])
@pytest.mark.parametrize("reduction", [1, 2, 4, 8])
@pytest.mark.parametrize("shape", [(120, 80), (120, 80, 3), (121, 83), (1, 1), (1, 300, 3)])
def test_reduced_sizes_are_rounded_up(
    encode: Callable[[Pixels], bytes], reduction: Reduction, shape: tuple[int, ...]
) -> None:
    data = encode(np.full(shape, 200, np.uint8))
    assert decode(data, reduction=reduction).shape[:2] == (-(-shape[0] // reduction), -(-shape[1] // reduction))


def test_colours_keep_their_order_at_every_reduction() -> None:
    red = np.zeros((64, 64, 3), np.uint8)
    red[..., 0] = 250
    reductions: tuple[Reduction, ...] = (1, 2, 4, 8)
    for reduction in reductions:
        assert decode(encode_jpeg(red), reduction=reduction)[..., 0].min() > 200


def test_alpha_and_palettes_decode(grey_page: Pixels) -> None:
    with_alpha = np.dstack([grey_page] * 3 + [np.full_like(grey_page, 255)])
    data = cv2.imencode(".png", with_alpha)[1].tobytes()
    assert np.array_equal(to_grey(decode(data)), grey_page)


def test_grey_stays_as_it_is(grey_page: Pixels, png: Callable[..., CapturedPicture]) -> None:
    assert to_grey(grey_page) is grey_page
    assert np.array_equal(png(grey_page).pixels(), grey_page)


def test_shrinking_takes_the_mean_of_whole_squares() -> None:
    page = np.arange(7 * 5, dtype=np.uint8).reshape(7, 5)
    # the first square is 0, 1, 5, 6: mean 3; the last whole one 22, 23, 27, 28: mean 25
    small = shrunk(page, 2)
    assert small.shape == (3, 2)
    assert (small[0, 0], small[2, 1]) == (3, 25)
    assert shrunk(page, 1) is page
    assert shrunk(page, 9) is page


def test_a_small_picture_of_a_photo_of_a_large_table_is_made() -> None:
    """A sheet that is small on a photo makes the photo half a metre wide: its lane picture has less than 10 dpi."""
    table = np.full((384, 512, 3), 90, np.uint8)
    capture = CapturedPicture(encode_png(table), 23.0, by_camera=True)  # 565 mm wide: 40 px of it are 1.8 dpi
    assert decode(page_jpeg(capture, Treatment(), 40, 80)).shape == (30, 40, 3)


@pytest.mark.parametrize("orientation", range(1, 9))
@pytest.mark.parametrize("reduction", [1, 2])
def test_a_picture_comes_upright_as_its_exif_tells(orientation: int, reduction: Reduction) -> None:
    """Held against Pillow, which turns pictures by code of its own."""
    across = np.add.outer(np.arange(0, 80, 2), np.arange(0, 120, 2)).astype(np.uint8)
    across[:10, :10] = 255
    out, exif = io.BytesIO(), Image.Exif()
    exif[0x0112] = orientation
    Image.fromarray(np.dstack([across, across // 2, across // 3])).save(out, "JPEG", quality=95, exif=exif)
    upright = ImageOps.exif_transpose(Image.open(io.BytesIO(out.getvalue())))
    head = read_head(out.getvalue())
    assert (head.width_px, head.height_px) == upright.size
    expected = np.asarray(upright).reshape(
        upright.height // reduction, reduction, upright.width // reduction, reduction, 3
    )
    seen = decode(out.getvalue(), reduction=reduction)
    assert np.abs(seen.astype(float) - expected.mean(axis=(1, 3))).mean() < 3


@pytest.mark.parametrize("told", [0, 9, 65535])
def test_an_orientation_that_there_is_not_changes_nothing(told: int) -> None:
    out, exif = io.BytesIO(), Image.Exif()
    exif[0x0112] = told
    Image.fromarray(np.zeros((20, 30), np.uint8)).save(out, "JPEG", exif=exif)
    assert decode(out.getvalue()).shape == (20, 30)
