"""Pages taken apart and put together again, seen through a reader that is not ours."""

import io
from datetime import UTC, datetime

import cv2
import numpy as np
import pypdfium2
import pytest

from papiermappe.core.encode.encoded import Codec, EncodedPage, EncodedPicture, MadeOf
from papiermappe.core.encode.layers import Fineness, taken_apart
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import encode_pages, split_page
from papiermappe.core.encode.options import About
from papiermappe.core.encode.pdf import PdfPage, write_pdf
from papiermappe.core.paper import A5
from papiermappe.core.picture import Pixels, to_grey
from papiermappe.standin.paper.drawing import Drawing, draw_side

DPI = 200
NOW = datetime(2026, 11, 26, 9, 14, tzinfo=UTC)
BLUE, RED = "#23389b", "#b3261e"
FINE = Fineness(100, 25, 10)


def _draw(page: Drawing) -> None:
    for line in range(8):
        page.text(15, 20 + 6 * line, "The cooperative weighs the pears, crate by crate.", 10)
    page.box(15, 80, 40, 20, fill="#fff27a", stroke=None)
    page.text(18, 90, "marked", 10)
    page.text(15, 120, "SIGNED", 18, "Helvetica-Bold", BLUE)
    page.text(90, 120, "PAID", 24, "Helvetica-Bold", RED)


@pytest.fixture(scope="module")
def page() -> Pixels:
    """Print, a marked place, something blue and something red on cream paper, a little blurred and noisy."""
    drawn = draw_side(A5, _draw).raster(DPI).astype(np.float32) * (np.array((252, 250, 240), np.float32) / 255)
    noisy = cv2.GaussianBlur(drawn, (0, 0), 0.6) + np.random.default_rng(2).normal(0, 2, drawn.shape)
    return noisy.clip(0, 255).astype(np.uint8)


def seen(page: EncodedPage) -> Pixels:
    """Return what a reader shows of a page, at the resolution it was made from, RGB."""
    out = io.BytesIO()
    write_pdf([PdfPage(page, A5.width_mm, A5.height_mm)], out, About("Page", NOW))
    document = pypdfium2.PdfDocument(out.getvalue())
    picture = np.array(document[0].render(scale=DPI / 72, rev_byteorder=True).to_numpy()[..., :3])
    document.close()
    return picture


def made(page: Pixels, level: Level) -> EncodedPage:
    """Return a page as a document of its own has it."""
    return encode_pages([split_page(page, DPI, level, bilevel=False)])[0]


def mean_colour(picture: Pixels, place_mm: tuple[float, float, float, float], where: Pixels) -> np.ndarray:
    """Return the mean colour of the ink in a place: left, top, right and bottom in mm."""
    left, top, right, bottom = (round(side / 25.4 * DPI) for side in place_mm)
    part, ink = picture[top:bottom, left:right], to_grey(where)[top:bottom, left:right] < 170
    return np.asarray(part[ink].mean(axis=0))


def test_ink_paper_and_what_lies_on_it_come_apart(page: Pixels) -> None:
    layers = taken_apart(page, DPI, FINE)
    # Cream paper, as drawn; ink is dark, paper is not.
    assert np.abs(np.array(layers.paper) - (252, 250, 240)).max() <= 2
    grey = to_grey(page)
    assert grey[layers.ink].max() < 200
    assert (grey[~layers.ink] > 90).all()
    # Of all that is on the paper only the marked place is neither ink nor bare: 40 x 20 mm of 148 x 210.
    (marked,) = layers.pieces
    assert marked.box.left == pytest.approx(15 / 148, abs=0.04)
    assert marked.box.bottom == pytest.approx(100 / 210, abs=0.04)
    middle = tuple(round(share * side) for share, side in zip((0.5, 0.75), marked.pixels.shape[:2], strict=True))
    assert np.abs(marked.pixels[middle].astype(int) - (252, 237, 115)).max() < 12


@pytest.mark.parametrize("level", Level)
def test_each_level_shows_print_and_colours_as_they_were(page: Pixels, level: Level) -> None:
    picture = seen(made(page, level))
    assert picture.shape == page.shape
    for place_mm in ((15, 112, 60, 121), (90, 112, 130, 121)):
        away = mean_colour(picture, place_mm, page) - mean_colour(page, place_mm, page)
        assert np.abs(away).max() < 22, level
    # Where no ink is near, the paper keeps its colour; the middle of the mark keeps its own.
    for x_mm, y_mm in ((74, 180), (45, 97)):
        at = round(y_mm / 25.4 * DPI), round(x_mm / 25.4 * DPI)
        window = (slice(at[0] - 8, at[0] + 8), slice(at[1] - 8, at[1] + 8))
        assert np.abs(picture[window].mean(axis=(0, 1)) - page[window].mean(axis=(0, 1))).max() < 6, level


def test_the_levels_differ_in_size(page: Pixels) -> None:
    faithful, balanced, lean = (made(page, level).byte_size for level in Level)
    assert lean < balanced < faithful / 3


def test_grey_stays_grey(page: Pixels) -> None:
    encoded = made(to_grey(page), Level.LEAN)
    pictures = [part for layer in encoded.layers for part in (layer.paint, layer.stencil)]
    assert not any(one.is_colour for one in pictures if isinstance(one, EncodedPicture))
    assert all(one[0] == one[1] == one[2] for one in pictures if isinstance(one, tuple) and len(one) == 3)


def test_a_page_that_is_all_picture_stays_one(page: Pixels) -> None:
    clouds = np.random.default_rng(4).uniform(0, 255, (20, 14, 3)).astype(np.float32)
    photo = cv2.resize(clouds, page.shape[1::-1], interpolation=cv2.INTER_CUBIC).clip(0, 255).astype(np.uint8)
    encoded = made(photo, Level.LEAN)
    assert encoded.made_of is MadeOf.PICTURE
    assert np.abs(seen(encoded).astype(int) - photo).mean() < 6


def test_print_on_a_dark_field_stays_sharp() -> None:
    """A dark field is ink, the light letters are holes in it: at full resolution, however lean."""

    def draw(page: Drawing) -> None:
        page.box(15, 20, 118, 40, fill="#1a2a44", stroke=None)
        page.text(22, 45, "Orchard", 24, "Helvetica-Bold", "#ffffff")

    drawn = draw_side(A5, draw).raster(DPI)
    away = np.abs(seen(made(drawn, Level.LEAN)).astype(int) - drawn).max(axis=2)
    assert (away > 100).mean() < 0.001


@pytest.mark.parametrize("colour", [(28, 104, 66), (70, 70, 70), (96, 60, 24)])
def test_a_grainy_dark_field_has_no_light_specks(colour: tuple[int, int, int]) -> None:
    drawn = draw_side(A5, lambda page: page.text(20, 60, "The pruning year", 20)).raster(DPI)
    field = np.zeros(drawn.shape[:2], np.bool_)
    field[320:640, 100:1100] = True  # 40 mm high
    print_on_it = drawn[..., 0] < 128
    sharp = drawn.astype(np.float32)
    sharp[field] = colour
    sharp[print_on_it] = (244, 240, 228)
    grain = np.random.default_rng(5).normal(0, 6, field.shape)[..., None]
    page = (cv2.GaussianBlur(sharp, (0, 0), 0.6) + grain).clip(0, 255).astype(np.uint8)
    inside = cv2.erode(field.view(np.uint8), np.ones((9, 9))).view(np.bool_)
    inside &= ~cv2.dilate(print_on_it.view(np.uint8), np.ones((9, 9))).view(np.bool_)
    for level in (Level.BALANCED, Level.LEAN):
        shown = to_grey(seen(made(page, level)))
        own = float(np.dot(colour, (0.299, 0.587, 0.114)))
        assert (np.abs(shown[inside] - own) > 40).mean() < 0.0005  # of 320 000 pixels; the grain never reaches so far
        letters = cv2.erode(print_on_it.view(np.uint8), np.ones((3, 3))).view(np.bool_)
        assert np.median(shown[letters]) > 200


@pytest.mark.parametrize("shape", [(1, 1), (1, 50), (50, 1), (7, 7), (40, 3, 3), (203, 101, 3)])
@pytest.mark.parametrize("level", Level)
def test_any_size_is_a_page(shape: tuple[int, ...], level: Level) -> None:
    noise = np.random.default_rng(1).integers(0, 256, shape).astype(np.uint8)
    for page in (noise, np.zeros(shape, np.uint8), np.full(shape, 255, np.uint8)):
        assert seen(made(page, level)).size


def test_lossless_is_taken_where_it_is_smaller() -> None:
    """A drawn form without noise: rules, few letters, large even areas."""

    def draw(page: Drawing) -> None:
        for row in range(12):
            page.box(15, 20 + 14 * row, 118, 10, fill="#dfe8f2")
        page.text(20, 15, "Weights", 12)

    drawn = draw_side(A5, draw).raster(100)
    encoded = encode_pages([split_page(drawn, 100, Level.FAITHFUL, bilevel=False)])[0]
    (layer,) = encoded.layers
    assert isinstance(layer.paint, EncodedPicture)
    assert layer.paint.codec is Codec.DEFLATE
    out = io.BytesIO()
    write_pdf([PdfPage(encoded, A5.width_mm, A5.height_mm)], out, About("Page", NOW))
    document = pypdfium2.PdfDocument(out.getvalue())
    (image,) = document[0].get_objects()
    bitmap = image.get_bitmap(render=False)
    assert np.array_equal(np.array(bitmap.to_numpy())[..., 2::-1], drawn)
    document.close()
