"""PDFs, looked at by programs that are not ours."""

import io
import shutil
import subprocess
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pikepdf
import pytest

from papiermappe.core.encode.encoded import encoded, from_jpeg
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.pdf import PdfPage, write_pdf
from papiermappe.core.picture import Pixels

NOW = datetime(2026, 11, 24, 9, 14, tzinfo=UTC)


@pytest.fixture
def written(tmp_path: Path, grey_page: Pixels) -> Path:
    """A PDF of an A4 page in grey and an A5 page, lying, in colour."""
    pages = [
        PdfPage(encoded(grey_page, False), 210, 297),
        PdfPage(encoded(np.dstack([grey_page] * 3), False), 210, 148),
    ]
    file = tmp_path / "two.pdf"
    with file.open("wb") as out:
        assert write_pdf(iter(pages), out, "Lease “Übung”", NOW) == 2
    return file


def test_qpdf_finds_nothing_wrong(written: Path) -> None:
    done = subprocess.run(
        [shutil.which("qpdf") or "qpdf", "--check", written], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert "File is linearized" in done.stdout


def test_poppler_sees_the_sizes_of_the_paper_and_the_pictures_as_they_are(written: Path) -> None:
    info = subprocess.run(["pdfinfo", "-l", "2", written], capture_output=True, text=True, check=True).stdout
    # 210 mm = 595.276 pt, 297 mm = 841.89 pt, 148 mm = 419.528 pt
    assert "Page    1 size:  595.276 x 841.89 pts (A4)" in info
    assert "Page    2 size:  595.276 x 419.528 pts" in info
    assert "Lease “Übung”" in info
    images = subprocess.run(["pdfimages", "-list", written], capture_output=True, text=True, check=True).stdout
    kinds = [row.split()[5] for row in images.splitlines()[2:]]
    assert kinds == ["gray", "rgb"]


def test_pictures_go_in_byte_for_byte(written: Path, grey_page: Pixels) -> None:
    with pikepdf.open(written) as pdf:
        picture = pdf.pages[0].Resources.XObject.Page
        assert picture.read_raw_bytes() == encode_jpeg(grey_page)


def test_the_same_pages_give_the_same_file(grey_page: Pixels) -> None:
    outs = [io.BytesIO(), io.BytesIO()]
    for out in outs:
        write_pdf([PdfPage(from_jpeg(encode_jpeg(grey_page)), 210, 297)], out, "Same", NOW)
    assert outs[0].getvalue() == outs[1].getvalue()


def test_a_pdf_needs_a_page() -> None:
    with pytest.raises(ValueError, match="at least one page"):
        write_pdf([], io.BytesIO(), "None", NOW)
