"""Bilevel pages: size against the fax code, speed, and whether three readers see every pixel."""

import io
import statistics
import subprocess
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import cv2
import numpy as np
import pypdfium2
from benchmarks.corpus.pages import PRINT_KINDS, draw_page
from benchmarks.corpus.scanning import scanned
from benchmarks.table import Row, of_all, percent, scaled
from PIL import Image

from papiermappe.core.clean import binarise
from papiermappe.core.encode.encoded import Codec, EncodedPage, EncodedPicture, Layer, MadeOf
from papiermappe.core.encode.ink import Ink, PackedInk
from papiermappe.core.encode.jbig2 import SharedPages, file_of, page_stream, page_streams
from papiermappe.core.encode.options import About
from papiermappe.core.encode.pdf import PdfPage, write_pdf

DPI = 300
GRAIN_OVER = 0.14  # about a sixth of it is ink
DOCUMENTS, PAGES = 8, 12
MIXED = 44
TEXTS = ("letter", "two columns", "table", "sparse")


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    count = scaled(DOCUMENTS, share)
    mixed = [page for part in of_all(_mixed, scaled(MIXED, share), seed) for page in part]
    noisy, clean = of_all(_noisy, count, seed), of_all(_clean, count, seed)
    alone = [len(page_stream(page.unpacked())) for page in mixed]
    fax = [_fax_bytes(page) for page in mixed]
    worst = max(one / other for one, other in zip(alone, fax, strict=True))
    text_mpx = [_mpx_a_second(page.unpacked()) for page in noisy[0][:6]]
    symbols_ms = [_ms_a_page(document) for document in noisy]
    return [
        Row("generic against the fax code, all kinds of pages", f"{sum(alone) / sum(fax):.3f}", "<= 0.60"),
        Row("generic against the fax code, worst page", f"{worst:.3f}", "<= 1.01"),
        Row("with symbols, noisy documents of 12 pages", f"{_ratio(noisy):.3f}", "<= 0.38"),
        Row("with symbols, clean documents of 12 pages", f"{_ratio(clean):.3f}", "<= 0.12"),
        Row("with symbols, all kinds of pages together", f"{_ratio([mixed]):.3f}"),
        Row("generic, speed", f"{statistics.median(text_mpx):.0f} Mpx/s", ">= 100 Mpx/s"),
        Row("with symbols, time", f"{statistics.median(symbols_ms):.0f} ms a page", "<= 400 ms"),
        Row("    of pages of nothing but grain", f"{_ms_a_page([_grain(seed, at) for at in range(2)]):.0f} ms a page"),
        *_exact([*noisy, *clean, mixed]),
    ]


def _mixed(numbers: range, seed: int) -> list[list[PackedInk]]:
    kinds = list(PRINT_KINDS)
    return [[_scanned(kinds[at % len(kinds)], [seed, 37, at])] for at in numbers]


def _noisy(numbers: range, seed: int) -> list[list[PackedInk]]:
    return [
        [_scanned(TEXTS[(at + page // 6) % len(TEXTS)], [seed, 41, at, page]) for page in range(PAGES)]
        for at in numbers
    ]


def _clean(numbers: range, seed: int) -> list[list[PackedInk]]:
    return [
        [_drawn(TEXTS[(at + page // 6) % len(TEXTS)], [seed, 43, at, page]) for page in range(PAGES)] for at in numbers
    ]


def _scanned(kind: str, seed: list[int]) -> PackedInk:
    hand = np.random.default_rng(seed)
    return PackedInk.of(binarise(scanned(draw_page(PRINT_KINDS[kind], hand, DPI), hand, DPI), DPI))


def _grain(seed: int, at: int) -> PackedInk:
    """Return an A4 page of specks, no two of which are alike but by chance."""
    noise = np.random.default_rng([seed, 47, at]).normal(size=(3508, 2480)).astype(np.float32)
    return PackedInk.of(np.asarray(cv2.GaussianBlur(noise, (0, 0), 2.0) > GRAIN_OVER, np.bool_))


def _drawn(kind: str, seed: list[int]) -> PackedInk:
    return PackedInk.of(draw_page(PRINT_KINDS[kind], np.random.default_rng(seed), DPI)[..., 1] < 128)


def _fax_bytes(page: PackedInk) -> int:
    out = io.BytesIO()
    Image.fromarray(~page.unpacked()).save(out, "TIFF", compression="group4")
    return len(out.getvalue())


def _ratio(documents: list[list[PackedInk]]) -> float:
    """Return how large documents are against the fax code."""
    ours = sum(len(done.shared) + sum(map(len, done.pages)) for done in map(page_streams, documents))
    return ours / sum(_fax_bytes(page) for document in documents for page in document)


def _mpx_a_second(ink: Ink) -> float:
    return ink.size / 1e6 / _seconds(lambda: page_stream(ink))


def _ms_a_page(document: list[PackedInk]) -> float:
    """Return what symbols take; the pages without them are encoded as well, to be compared."""
    return 1000 * _seconds(lambda: page_streams(document)) / len(document)


def _seconds(call: Callable[[], object]) -> float:
    start_s = time.perf_counter()
    call()
    return time.perf_counter() - start_s


def _exact(documents: list[list[PackedInk]]) -> list[Row]:
    """Return of how many pages three readers see every pixel."""
    seen = {"jbig2dec": [], "poppler": [], "pdfium": []}  # type: dict[str, list[bool]]
    with tempfile.TemporaryDirectory() as folder:
        for document in documents:
            done = page_streams(document)
            pdf = _pdf(document, done)
            for name, judge in (("poppler", _by_poppler), ("pdfium", _by_pdfium)):
                seen[name] += judge(pdf, document, Path(folder))
            seen["jbig2dec"] += [
                _by_jbig2dec(file_of(stream, done.shared), page, Path(folder))
                for stream, page in zip(done.pages, document, strict=True)
            ]
    return [
        Row(f"exact, seen by {name}, {len(pages)} pages", percent(float(np.mean(pages))), "100 %")
        for name, pages in seen.items()
    ]


def _pdf(document: list[PackedInk], done: SharedPages) -> bytes:
    pages = [
        EncodedPage(
            (Layer(EncodedPicture(Codec.JBIG2, stream, page.width_px, page.height_px, False, done.shared)),),
            MadeOf.BILEVEL,
        )
        for stream, page in zip(done.pages, document, strict=True)
    ]
    out = io.BytesIO()
    write_pdf((PdfPage(page, 210, 297) for page in pages), out, About("Pages", datetime(2026, 11, 26, tzinfo=UTC)))
    return out.getvalue()


def _by_jbig2dec(file: bytes, page: PackedInk, folder: Path) -> bool:
    (folder / "page.jb2").write_bytes(file)
    subprocess.run(["jbig2dec", "-t", "pbm", "-o", folder / "page.pbm", folder / "page.jb2"], check=True)
    with Image.open(folder / "page.pbm") as picture:
        return np.array_equal(~np.asarray(picture), page.unpacked())


def _by_poppler(pdf: bytes, document: list[PackedInk], folder: Path) -> list[bool]:
    (folder / "pages.pdf").write_bytes(pdf)
    subprocess.run(["pdfimages", "-png", folder / "pages.pdf", folder / "seen"], check=True)
    seen = []
    for at, page in enumerate(document):
        file = folder / f"seen-{at:03}.png"
        with Image.open(file) as picture:
            seen.append(np.array_equal(np.asarray(picture.convert("L")) < 128, page.unpacked()))
        file.unlink()
    return seen


def _by_pdfium(pdf: bytes, document: list[PackedInk], _folder: Path) -> list[bool]:
    seen = []
    opened = pypdfium2.PdfDocument(pdf)
    for at, page in enumerate(document):
        (image,) = opened[at].get_objects()
        bitmap = image.get_bitmap().to_numpy().reshape(page.height_px, -1)[:, : page.width_px]
        seen.append(np.array_equal(bitmap < 128, page.unpacked()))
    opened.close()
    return seen
