"""JBIG2 pages, decoded by programs that are not ours: every pixel has to come back."""

import io
import subprocess
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pypdfium2
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from PIL import Image

from papiermappe.core.encode.encoded import Codec
from papiermappe.core.encode.ink import Ink, PackedInk
from papiermappe.core.encode.jbig2 import file_of, page_stream, page_streams, segments
from papiermappe.core.encode.jbig2.generic import NOMINAL, WIDE, Adaptive, generic_region
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import encode_pages, split_page
from papiermappe.core.encode.options import About
from papiermappe.core.encode.pdf import PdfPage, write_pdf
from papiermappe.standin.paper.drawing import draw_side
from papiermappe.standin.paper.originals import ORIGINALS

DPI = 200
NOW = datetime(2026, 11, 25, 9, 14, tzinfo=UTC)
QUICK = settings(deadline=None, max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])


def decoded(page: bytes, folder: Path, shared: bytes = b"") -> Ink:
    """Return what jbig2dec makes of a page."""
    (folder / "page.jb2").write_bytes(file_of(page, shared))
    command = ["jbig2dec", "-t", "pbm", "-o", str(folder / "page.pbm"), str(folder / "page.jb2")]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    with Image.open(folder / "page.pbm") as picture:
        return ~np.asarray(picture)  # the library reads 1, black, as False


def fax_size(ink: Ink) -> int:
    """Return how many bytes libtiff's group 4 fax code takes."""
    fax = io.BytesIO()
    Image.fromarray(~ink).save(fax, "TIFF", compression="group4")
    return len(fax.getvalue())


def with_edge_noise(ink: Ink, hand: np.random.Generator) -> Ink:
    """Turn over a fifth of the pixels at the edges of ink, as a scanner does."""
    edge = np.zeros_like(ink)
    edge[:, 1:] = ink[:, 1:] != ink[:, :-1]
    return ink ^ (edge & (hand.random(ink.shape) < 0.2))


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where files go."""
    return tmp_path_factory.mktemp("jbig2")


@pytest.fixture(scope="module")
def letter() -> Ink:
    """A drawn letter."""
    german = ORIGINALS["german"]
    return draw_side(german.paper, german.sheets[0].front).raster(DPI)[..., 1] < 128


@pytest.fixture(scope="module")
def lease() -> list[Ink]:
    """The sides of a drawn lease."""
    original = ORIGINALS["lease"]
    return [draw_side(original.paper, sheet.front).raster(DPI)[..., 1] < 128 for sheet in original.sheets[:4]]


@QUICK
@given(arrays(np.bool_, st.tuples(st.integers(1, 40), st.integers(1, 70))))
def test_any_picture_comes_back(folder: Path, ink: Ink) -> None:
    assert np.array_equal(decoded(page_stream(ink), folder), ink)


@QUICK
@given(arrays(np.bool_, st.tuples(st.integers(1, 40), st.integers(1, 70))), st.sampled_from([NOMINAL, WIDE]))
def test_any_picture_comes_back_wherever_the_adaptive_pixels_are(folder: Path, ink: Ink, adaptive: Adaptive) -> None:
    """Even where that is not the smallest."""
    height, width = ink.shape
    region = generic_region(ink, [adaptive])
    assert region.adaptive == adaptive
    page = segments.segment(1, segments.PAGE, 1, segments.page_information(width, height))
    data = segments.generic_data(segments.Area(width, height), region)
    stream = page + segments.segment(2, segments.LOSSLESS_GENERIC, 1, data)
    assert np.array_equal(decoded(stream, folder), ink)


def test_the_smaller_of_two_codes_is_taken() -> None:
    """Fine pages full of noisy print take the pixels that are farther away, a page with little on it those near by."""
    original = ORIGINALS["lease"]
    fine = draw_side(original.paper, original.sheets[0].front).raster(300)[..., 1] < 128
    full = with_edge_noise(fine, np.random.default_rng(5))
    little = np.zeros_like(full)
    little[:200, :200] = full[450:650, 450:650]
    for ink, best in ((full, WIDE), (little, NOMINAL)):
        sizes = {adaptive: len(generic_region(ink, [adaptive]).coded) for adaptive in (NOMINAL, WIDE)}
        region = generic_region(ink)
        assert region.adaptive == best
        assert len(region.coded) == min(sizes.values()) < max(sizes.values())
        assert len(page_stream(ink)) <= len(page_stream(ink, quickly=True))


@pytest.mark.parametrize("share", [0.0, 0.01, 0.5, 1.0])
@pytest.mark.parametrize("shape", [(1, 1), (1, 300), (300, 1), (257, 255)])
def test_noise_comes_back(folder: Path, shape: tuple[int, int], share: float) -> None:
    """Random ink is longer coded than plain: room for the code has to grow."""
    ink = np.random.default_rng(3).random(shape) < share
    assert np.array_equal(decoded(page_stream(ink), folder), ink)


@pytest.mark.parametrize("width", [*range(90, 99), 1000])
@pytest.mark.parametrize("adaptive", [NOMINAL, WIDE])
def test_specks_with_white_between_them_come_back(folder: Path, width: int, adaptive: Adaptive) -> None:
    """White stretches are coded at once: they must end before ink that any pixel of a context can see."""
    hand = np.random.default_rng(width)
    ink = np.zeros((60, width), np.bool_)
    ink[hand.integers(0, 60, 25), hand.integers(0, width, 25)] = True
    ink[30, [0, -1]] = True
    region = generic_region(ink, [adaptive])
    page = segments.segment(1, segments.PAGE, 1, segments.page_information(width, 60))
    data = segments.generic_data(segments.Area(width, 60), region)
    assert np.array_equal(decoded(page + segments.segment(2, segments.LOSSLESS_GENERIC, 1, data), folder), ink)


def test_a_letter_comes_back_and_is_small(folder: Path, letter: Ink) -> None:
    assert np.array_equal(decoded(page_stream(letter), folder), letter)
    assert len(generic_region(letter).coded) < 0.7 * fax_size(letter)


def test_rows_that_repeat_cost_next_to_nothing() -> None:
    """4,000 white rows and 4,000 of the same stripes: a bit each, of which nearly all are expected."""
    rows = np.zeros((8000, 500), np.bool_)
    rows[4000:, ::3] = True
    assert len(generic_region(rows).coded) < 100


def test_what_lies_around_the_ink_costs_nothing(folder: Path) -> None:
    """Not a byte, however wide the margins are; a page without ink is its head alone."""
    ink = np.random.default_rng(8).random((60, 45)) < 0.3
    ink[0, 0] = ink[-1, -1] = True
    page = np.zeros((900, 800), np.bool_)
    page[301:361, 203:248] = ink
    assert len(page_stream(page)) == len(page_stream(ink))
    assert np.array_equal(decoded(page_stream(page), folder), page)
    assert len(page_stream(np.zeros_like(page))) == 30


SHAPES = arrays(
    np.bool_, st.tuples(st.integers(3, 24), st.integers(3, 24)), elements=st.sampled_from([True, True, False])
)


@QUICK
@given(st.lists(SHAPES, min_size=1, max_size=4), st.integers(0, 2**32 - 1), st.integers(2, 3))
def test_pages_with_shapes_that_come_again_come_back(folder: Path, shapes: list[Ink], seed: int, pages: int) -> None:
    """Shapes strewn over pages, at their edges and over each other too, some with a pixel or two turned over."""
    hand = np.random.default_rng(seed)
    drawn = []
    for _ in range(pages):
        ink = np.zeros((hand.integers(60, 160), hand.integers(60, 160)), np.bool_)
        for _ in range(40):
            shape = shapes[hand.integers(len(shapes))].copy()
            shape[hand.integers(shape.shape[0]), hand.integers(shape.shape[1])] ^= bool(hand.integers(2))
            top, left = hand.integers(0, ink.shape[0] - 24), hand.integers(0, ink.shape[1] - 24)
            ink[top : top + shape.shape[0], left : left + shape.shape[1]] |= shape
        drawn.append(ink)
    shared, streams = page_streams([PackedInk.of(ink) for ink in drawn])
    for ink, stream in zip(drawn, streams, strict=True):
        assert np.array_equal(decoded(stream, folder, shared), ink)


@pytest.mark.parametrize(("noisy", "most"), [(False, 0.5), (True, 0.9)])
def test_pages_of_print_share_their_letters(folder: Path, lease: list[Ink], noisy: bool, most: float) -> None:
    """Without noise each letter is kept once; with it, the nearest is corrected pixel by pixel."""
    hand = np.random.default_rng(5)
    pages = [with_edge_noise(ink, hand) for ink in lease] if noisy else lease
    shared, streams = page_streams([PackedInk.of(ink) for ink in pages])
    for ink, stream in zip(pages, streams, strict=True):
        assert np.array_equal(decoded(stream, folder, shared), ink)
    alone = sum(len(page_stream(ink)) for ink in pages)
    assert len(shared) + sum(map(len, streams)) < most * alone


def test_without_pages_or_without_ink_there_is_nothing_to_share() -> None:
    assert page_streams([]) == (b"", ())
    blank = PackedInk.of(np.zeros((50, 40), np.bool_))
    assert page_streams([blank, blank]) == (b"", (page_stream(blank.unpacked()),) * 2)


def test_what_shares_nothing_is_coded_as_it_lies() -> None:
    noise = [PackedInk.of(np.random.default_rng(seed).random((90, 90)) < 0.5) for seed in (1, 2)]
    assert page_streams(noise) == (b"", tuple(page_stream(page.unpacked()) for page in noise))


def test_in_a_pdf_two_readers_see_the_same_ink(tmp_path: Path, lease: list[Ink]) -> None:
    pages = [np.where(ink, np.uint8(0), np.uint8(255)) for ink in lease]
    done = encode_pages([split_page(page, DPI, Level.LEAN, bilevel=True) for page in pages])
    assert {page.layers[0].paint[0] for page in done} == {Codec.JBIG2}
    out = io.BytesIO()
    write_pdf([PdfPage(page, 210, 297) for page in done], out, About("Lease", NOW))
    (tmp_path / "lease.pdf").write_bytes(out.getvalue())
    command = ["pdfimages", "-png", str(tmp_path / "lease.pdf"), str(tmp_path / "seen")]
    subprocess.run(command, capture_output=True, check=True)
    document = pypdfium2.PdfDocument(out.getvalue())
    for at, ink in enumerate(lease):
        with Image.open(tmp_path / f"seen-{at:03}.png") as seen:
            assert np.array_equal(np.asarray(seen.convert("L")) < 128, ink)
        (image,) = document[at].get_objects()
        bitmap = image.get_bitmap().to_numpy()
        assert np.array_equal(bitmap.reshape(ink.shape[0], -1)[:, : ink.shape[1]] < 128, ink)
    document.close()


@pytest.mark.parametrize(
    "wrong", [np.zeros((0, 5), np.bool_), np.zeros((5, 5), np.uint8), np.zeros((2, 2, 3), np.bool_)]
)
def test_what_is_not_ink_is_refused(wrong: np.ndarray) -> None:
    with pytest.raises(ValueError, match="a bool picture"):
        page_stream(wrong)
