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

from papiermappe.core.encode.encoded import Codec, encoded
from papiermappe.core.encode.jbig2 import generic_region, page_file
from papiermappe.core.encode.pdf import PdfPage, write_pdf
from papiermappe.standin.paper.drawing import draw_side
from papiermappe.standin.paper.originals import ORIGINALS

DPI = 200
NOW = datetime(2026, 11, 25, 9, 14, tzinfo=UTC)

Ink = np.ndarray


def decoded(ink: Ink, folder: Path) -> Ink:
    """Return what jbig2dec makes of the file."""
    (folder / "page.jb2").write_bytes(page_file(ink))
    command = ["jbig2dec", "-t", "pbm", "-o", str(folder / "page.pbm"), str(folder / "page.jb2")]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    with Image.open(folder / "page.pbm") as picture:
        return ~np.asarray(picture)  # the library reads 1, black, as False


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where files go."""
    return tmp_path_factory.mktemp("jbig2")


@pytest.fixture(scope="module")
def letter() -> Ink:
    """A drawn letter."""
    german = ORIGINALS["german"]
    return draw_side(german.paper, german.sheets[0].front).raster(DPI)[..., 1] < 128


@settings(deadline=None, max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(arrays(np.bool_, st.tuples(st.integers(1, 40), st.integers(1, 70))))
def test_any_picture_comes_back(folder: Path, ink: Ink) -> None:
    assert np.array_equal(decoded(ink, folder), ink)


@pytest.mark.parametrize("share", [0.0, 0.01, 0.5, 1.0])
@pytest.mark.parametrize("shape", [(1, 1), (1, 300), (300, 1), (257, 255)])
def test_noise_comes_back(folder: Path, shape: tuple[int, int], share: float) -> None:
    """Random ink is longer coded than plain: room for the code has to grow."""
    ink = np.random.default_rng(3).random(shape) < share
    assert np.array_equal(decoded(ink, folder), ink)


def test_a_letter_comes_back_and_is_small(folder: Path, letter: Ink) -> None:
    assert np.array_equal(decoded(letter, folder), letter)
    fax = io.BytesIO()
    Image.fromarray(~letter).save(fax, "TIFF", compression="group4")
    assert len(generic_region(letter)) < 0.7 * len(fax.getvalue())


def test_rows_that_repeat_cost_next_to_nothing() -> None:
    """4,000 white rows and 4,000 of the same stripes: a bit each, of which nearly all are expected."""
    rows = np.zeros((8000, 500), np.bool_)
    rows[4000:, ::3] = True
    assert len(generic_region(rows)) < 100


def test_in_a_pdf_two_readers_see_the_same_ink(tmp_path: Path, letter: Ink) -> None:
    page = np.where(letter, np.uint8(0), np.uint8(255))
    picture = encoded(page, bilevel=True)
    assert picture.codec is Codec.JBIG2
    out = io.BytesIO()
    write_pdf([PdfPage(picture, 210, 297)], out, "Letter", NOW)
    (tmp_path / "letter.pdf").write_bytes(out.getvalue())
    command = ["pdfimages", "-png", str(tmp_path / "letter.pdf"), str(tmp_path / "seen")]
    subprocess.run(command, capture_output=True, check=True)
    with Image.open(tmp_path / "seen-000.png") as seen:
        assert np.array_equal(np.asarray(seen.convert("L")) < 128, letter)
    document = pypdfium2.PdfDocument(out.getvalue())
    (image,) = document[0].get_objects()
    bitmap = image.get_bitmap().to_numpy()
    document.close()
    assert np.array_equal(bitmap.reshape(letter.shape[0], -1)[:, : letter.shape[1]] < 128, letter)


@pytest.mark.parametrize(
    "wrong", [np.zeros((0, 5), np.bool_), np.zeros((5, 5), np.uint8), np.zeros((2, 2, 3), np.bool_)]
)
def test_what_is_not_ink_is_refused(wrong: np.ndarray) -> None:
    with pytest.raises(ValueError, match="a bool picture"):
        page_file(wrong)
