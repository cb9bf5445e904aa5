"""Reading: how much is read wrong, whether the text stands where it is printed, what two at a time gain."""

import io
import re
import statistics
import subprocess
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path

import pypdfium2
from benchmarks.corpus.documents import DPI, TrueDocument, documents
from benchmarks.filing.looks import errors
from benchmarks.table import Row, percent, scaled

from papiermappe.core.encode.encoded import from_jpeg
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.options import About
from papiermappe.core.encode.pdf import PdfPage, write_pdf
from papiermappe.core.encode.plain import readable
from papiermappe.core.picture import Pixels, to_grey
from papiermappe.core.reading.page_text import PageText, RecognitionMode
from papiermappe.recognition.tesseract import Tesseract, installed

PAGES = 24
NEAR_MM = 1.0
WORD = re.compile(r'<word xMin="([\d.]+)" yMin="([\d.]+)" xMax="([\d.]+)" yMax="([\d.]+)">(.*?)</word>')


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    recogniser = installed()
    clean = list(documents(range(scaled(PAGES, share)), seed, marked=False))
    start_s = time.perf_counter()
    read = [_read(recogniser, page.drawn) for page in clean]
    one_s = time.perf_counter() - start_s
    start_s = time.perf_counter()
    with ThreadPoolExecutor(2) as two:
        list(two.map(lambda page: _read(recogniser, page.drawn), clean))
    two_s = time.perf_counter() - start_s
    start_s = time.perf_counter()
    fast = [_read(recogniser, page.drawn, RecognitionMode.FAST) for page in clean]
    fast_s = time.perf_counter() - start_s
    placed = [near for page, text in zip(clean, read, strict=True) for near in _placed(page, text)]
    columns = list(documents(range(scaled(PAGES // 3, share)), seed, ("two columns",), marked=False))
    return [
        Row("characters read wrong, clean pages", _percent_wrong(clean, read), "<= 0.5 %"),
        Row("characters read wrong, clean pages, fast", _percent_wrong(clean, fast)),
        Row("time a page", f"{one_s / len(clean):.1f} s"),
        Row("time a page, fast", f"{fast_s / len(clean):.1f} s"),
        Row("two at a time", f"{one_s / two_s:.2f} x", ">= 1.8 x"),
        Row(
            f"words within {NEAR_MM:.0f} mm of where they stand, {len(placed)}",
            percent(statistics.mean(placed)),
            ">= 99 %",
        ),
        Row(
            "two columns copied one after the other",
            percent(statistics.mean(_in_order(page, _read(recogniser, page.drawn)) for page in columns)),
            "100 %",
        ),
    ]


def _percent_wrong(pages: list[TrueDocument], read: list[PageText]) -> str:
    """Return how many of the characters were read wrong."""
    wrong, total = (sum(pair[at] for pair in map(errors, (page.lines for page in pages), read)) for at in (0, 1))
    return f"{100 * wrong / total:.2f} %"


def _read(recogniser: Tesseract, picture: Pixels, mode: RecognitionMode = RecognitionMode.ACCURATE) -> PageText:
    return recogniser.read(readable(picture, DPI, mode), ("eng",), mode)


def _pdf(page: TrueDocument, text: PageText) -> bytes:
    out = io.BytesIO()
    about = About("Page", datetime(2026, 11, 26, tzinfo=UTC))
    write_pdf([PdfPage(from_jpeg(encode_jpeg(to_grey(page.drawn))), 210, 297, text)], out, about)
    return out.getvalue()


def _placed(page: TrueDocument, text: PageText) -> list[bool]:
    """Return for each word that is printed whether one of its text stands there in the file."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "page.pdf"
        file.write_bytes(_pdf(page, text))
        told = subprocess.run(["pdftotext", "-bbox", file, "-"], capture_output=True, text=True, check=True).stdout
    found = [(word, *(float(side) / 72 * 25.4 for side in sides)) for *sides, word in WORD.findall(told)]
    return [
        any(
            abs(left - left_mm) <= NEAR_MM
            and abs(right - right_mm) <= NEAR_MM
            and top - NEAR_MM <= line.y_mm - 0.25 * line.size_pt * 0.3528 <= bottom + NEAR_MM
            for _, left, top, right, bottom in found
        )
        for line in page.lines
        for _, left_mm, right_mm in line.words()
    ]


def _in_order(page: TrueDocument, text: PageText) -> float:
    """Return 1 where all of the left column is copied before all of the right."""
    document = pypdfium2.PdfDocument(_pdf(page, text))
    copied = document[0].get_textpage().get_text_range().split()
    document.close()
    left, right = (
        [word for line in page.lines if (line.x_mm < 100) is side for word, _, _ in line.words()]
        for side in (True, False)
    )
    want = [*left, *right]
    # Of the words that were read right, each comes later than the one before.
    at = matched = 0
    for word in want:
        if word in copied[at : at + 12]:
            at = copied.index(word, at) + 1
            matched += 1
    return float(matched >= 0.97 * len(want))
