"""A long document opened in the browser: how soon its first page is seen."""

import statistics
import tempfile
import time
from base64 import b64decode
from datetime import UTC, datetime
from pathlib import Path

import cv2
import numpy as np
from benchmarks.corpus.documents import documents
from benchmarks.desk import chromium
from benchmarks.table import Row, scaled
from benchmarks.whole_way import Bench, running
from selenium import webdriver
from sqlalchemy import select

from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import encode_pages, split_page
from papiermappe.core.encode.options import About
from papiermappe.core.encode.pdf import PdfPage, write_pdf
from papiermappe.services.filing import FilingRequest
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.models import Document

PAGES, DIFFERENT, DPI = 500, 10, 300
TIMES = 5
PAPER, INK = 225, 110
PAPER_SHARE, INK_SHARE = 0.25, 0.004
PATIENCE_S = 60.0
IN_PARTS = ("--enable-features=PdfIncrementalLoading,PdfPartialLoading",)
"""The browser can ask for parts of a document, but does so only where it is told to."""


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    count = scaled(PAGES, share)
    rows = []
    kinds = (
        (1, Level.LEAN, ()),
        (count, Level.LEAN, ()),
        (count, Level.FAITHFUL, ()),
        (count, Level.FAITHFUL, IN_PARTS),
    )
    with tempfile.TemporaryDirectory(prefix="papiermappe-bench-") as folder, running(Path(folder)) as bench:
        for pages, level, arguments in kinds:
            with chromium(*arguments) as driver:
                size_mb, taken = _opened(bench, driver, level, pages, seed)
            how = ", in parts" if arguments else ""
            what = f"{pages} pages, {level.value}, {size_mb:.1f} MB{how}: first page seen, median; worst"
            rows.append(Row(what, f"{statistics.median(taken):.2f}; {max(taken):.2f} s", "<= 1.5 s"))
    return rows


def _opened(bench: Bench, driver: webdriver.Chrome, level: Level, count: int, seed: int) -> tuple[float, list[float]]:
    """Return the size of a document in MB, and the seconds until its first page was seen, of each time."""
    data = _document(level, count, seed)
    number = _filed(bench, data)
    taken = []
    for at in range(TIMES + 1):
        driver.execute_cdp_cmd("Network.clearBrowserCache", {})
        driver.get("about:blank")
        while _is_page_seen(driver):
            time.sleep(0.05)
        began_s = time.perf_counter()
        driver.execute_script(f"location.href = '{bench.web_url}/documents/{number}/open'")
        while not _is_page_seen(driver):
            if time.perf_counter() - began_s > PATIENCE_S:
                raise TimeoutError("the document is not shown")
        if at:  # the first time the viewer itself is loaded
            taken.append(time.perf_counter() - began_s)
    return len(data) / 1e6, taken


def _document(level: Level, count: int, seed: int) -> bytes:
    """Return a PDF of so many pages, of which some repeat."""
    splits = [split_page(page.scanned, DPI, level, bilevel=False) for page in documents(range(DIFFERENT), seed)]
    encoded = encode_pages(splits)
    with tempfile.TemporaryFile() as out:
        pages = (PdfPage(encoded[at % DIFFERENT], 210, 297) for at in range(count))
        write_pdf(pages, out, About("Long", datetime.now(UTC)), tempfile.TemporaryFile)
        out.seek(0)
        return out.read()


def _filed(bench: Bench, data: bytes) -> int:
    """Have a document in the place of one that was filed; return its number."""
    bench.file_sheets(1, FilingRequest(()))
    sha256 = sha256_of(data)
    bench.store.blobs.keep(Blobs.document_key(sha256), data)
    with bench.store.begin() as session:
        document = session.scalars(select(Document).order_by(Document.id.desc()).limit(1)).one()
        document.sha256, document.byte_size = sha256, len(data)
        return document.id


def _is_page_seen(driver: webdriver.Chrome) -> bool:
    """Whether paper with print on it is to be seen in the middle of the window."""
    picture = driver.execute_cdp_cmd("Page.captureScreenshot", {"format": "png", "optimizeForSpeed": True})
    encoded = np.frombuffer(b64decode(picture["data"]), np.uint8)
    shown = np.asarray(cv2.imdecode(encoded, cv2.IMREAD_GRAYSCALE), np.uint8)
    height, width = shown.shape
    middle = shown[height // 4 : -height // 8, width // 3 : -width // 3]
    return float((middle > PAPER).mean()) > PAPER_SHARE and float((middle < INK).mean()) > INK_SHARE
