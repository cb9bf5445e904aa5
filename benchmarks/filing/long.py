"""A long document: whether memory and time a page stay what they are in a short one."""

import multiprocessing
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from datetime import UTC, datetime
from pathlib import Path

import cv2
import numpy as np
from benchmarks.cleaning.paces import peak_kb
from benchmarks.corpus.documents import documents
from benchmarks.table import Row, scaled

from papiermappe.assembly.request import AssemblyRequest
from papiermappe.assembly.run import Assembly
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import PAGES_TOGETHER, encode_pages, split_page
from papiermappe.core.encode.options import About
from papiermappe.core.encode.pdf import PdfPage, write_pdf
from papiermappe.jobs.pool import WorkPool

SHORT, LONG, MANY = 50, 500, 10_000
SMALL_PX = 600, 420
DIFFERENT = 25
PROCESSES = 2


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    count = scaled(LONG, share)
    with tempfile.TemporaryDirectory() as folder:
        files = []
        for number, page in enumerate(documents(range(DIFFERENT), seed)):
            files.append(Path(folder) / f"{number:02}.jpg")
            files[-1].write_bytes(encode_jpeg(page.scanned, 88))
        # Short ones before and after: the machine is not as fast at the end of some minutes as at their start.
        (before_s, _, _), (long_s, memory_mb, size_mb), (after_s, _, _) = (
            _assembled(files, pages, Path(folder)) for pages in (SHORT, count, SHORT)
        )
    beyond = 100 * (2 * long_s / (before_s + after_s) - 1)
    return [
        Row(f"{count} pages, memory of the largest of three processes", f"{memory_mb:.0f} MB", "<= 500 MB"),
        Row(f"{count} pages, time a page", f"{1000 * long_s:.0f} ms"),
        Row(f"{count} pages, time a page against {SHORT} before and after", f"{beyond:+.1f} %", "<= +5 %"),
        Row(f"{count} pages, size of the file", f"{size_mb:.1f} MB"),
        *_many(scaled(MANY, share)),
    ]


def _many(count: int) -> list[Row]:
    """Return how a file of very many small pages is written."""
    with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as alone:
        taken_s, before_mb, max_mb = alone.submit(_many_alone, count).result()
    return [
        Row(f"{count} small pages, time a page", f"{1000 * taken_s / count:.1f} ms"),
        Row(f"{count} small pages, memory beyond that of 100", f"{max_mb - before_mb:.0f} MB"),
    ]


def _many_alone(count: int) -> tuple[float, float, float]:
    """Return seconds, and most memory in MB after 100 pages and after all."""
    _write_many(100)
    before_mb, start_s = peak_kb() / 1024, time.perf_counter()
    _write_many(count)
    return time.perf_counter() - start_s, before_mb, peak_kb() / 1024


def _write_many(count: int) -> None:
    with tempfile.TemporaryFile() as out:
        write_pdf(_small_pages(count), out, About("Many", datetime.now(UTC)), tempfile.TemporaryFile)


def _small_pages(count: int) -> Iterator[PdfPage]:
    for first in range(0, count, PAGES_TOGETHER):
        numbers = range(first, min(first + PAGES_TOGETHER, count))
        pages = [np.full(SMALL_PX, 255, np.uint8) for _ in numbers]
        for number, page in zip(numbers, pages, strict=True):
            cv2.putText(page, f"page {number}", (40, 80), cv2.FONT_HERSHEY_SIMPLEX, 1.0, 0, 2)
        for done in encode_pages([split_page(page, 72, Level.LEAN, bilevel=True) for page in pages]):
            yield PdfPage(done, 210, 297)


def _assembled(files: list[Path], count: int, folder: Path) -> tuple[float, float, float]:
    """Return seconds a page, most memory of one process and size of the file, both in MB."""
    with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as alone:
        return alone.submit(_alone, files, count, folder).result()


def _alone(files: list[Path], count: int, folder: Path) -> tuple[float, float, float]:
    cv2.setNumThreads(1)
    sources = tuple(files[at % len(files)] for at in range(count))
    request = AssemblyRequest(sources=sources, out=folder / f"{count}.pdf", level=Level.LEAN)
    pool = WorkPool(PROCESSES)
    pool.warm_up()
    start_s = time.perf_counter()
    report = Assembly(request, pool, None, lambda: None, datetime.now(UTC)).run()
    taken_s = time.perf_counter() - start_s
    max_kb = max(peak_kb(), *(pool(peak_kb) for _ in range(4 * PROCESSES)))
    pool.close()
    return taken_s / count, max_kb / 1024, report.byte_size / 1e6
