"""A long document: whether memory and time a page stay what they are in a short one."""

import multiprocessing
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from datetime import UTC, datetime
from pathlib import Path

import cv2
from benchmarks.cleaning.paces import peak_kb
from benchmarks.corpus.documents import documents
from benchmarks.table import Row, scaled

from papiermappe.assembly.order import Order
from papiermappe.assembly.run import Assembly
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.level import Level

SHORT, LONG = 50, 500
DIFFERENT = 25


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    with tempfile.TemporaryDirectory() as folder:
        files = []
        for number, page in enumerate(documents(range(DIFFERENT), seed)):
            files.append(Path(folder) / f"{number:02}.jpg")
            files[-1].write_bytes(encode_jpeg(page.scanned, 88))
        (short_s, _, _), (long_s, memory_mb, size_mb) = (
            _assembled(files, count, Path(folder)) for count in (SHORT, scaled(LONG, share))
        )
    return [
        Row("500 pages, memory of the process", f"{memory_mb:.0f} MB", "<= 500 MB"),
        Row("500 pages, time a page", f"{1000 * long_s:.0f} ms"),
        Row("500 pages, time a page against 50 pages", f"{100 * (long_s / short_s - 1):+.1f} %", "<= +5 %"),
        Row("500 pages, size of the file", f"{size_mb:.1f} MB"),
    ]


def _assembled(files: list[Path], count: int, folder: Path) -> tuple[float, float, float]:
    """Return seconds a page, most memory in MB and size of the file in MB, of a process of its own."""
    with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as alone:
        return alone.submit(_alone, files, count, folder).result()


def _alone(files: list[Path], count: int, folder: Path) -> tuple[float, float, float]:
    cv2.setNumThreads(1)
    sources = tuple(files[at % len(files)] for at in range(count))
    order = Order(sources=sources, out=folder / f"{count}.pdf", level=Level.LEAN)
    made = Assembly(order, lambda function, *arguments: function(*arguments), None, lambda: None, datetime.now(UTC))
    start_s = time.perf_counter()
    report = made.run()
    return (time.perf_counter() - start_s) / count, peak_kb() / 1024, report.byte_size / 1e6
