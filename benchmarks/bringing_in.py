"""How fast a PDF of scanned pages is brought in, sent by HTTP as a window sends it, and whether it stays untouched.

Stand-in, PostgreSQL (with fsync), one worker with its two processes and the web server run as separate processes.

    python -m benchmarks.bringing_in [--pages 200]
"""

import argparse
import hashlib
import io
import os
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import numpy as np
import pikepdf
from sqlalchemy import select

from benchmarks.corpus.pages import PRINT_KINDS, draw_page
from benchmarks.whole_way import Bench, running
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.picture import Pixels
from papiermappe.store.models import Capture

DPI = 300.0
PART_BYTES = 4_000_000
SEED = 6021


def main() -> None:
    """Measure and print."""
    options = argparse.ArgumentParser(description="How fast a PDF of scanned pages is brought in.")
    options.add_argument("--pages", type=int, default=200)
    pages = options.parse_args().pages
    with tempfile.TemporaryDirectory(prefix="papiermappe-bench-") as folder, running(Path(folder)) as bench:
        jpegs = [encode_jpeg(noisy) for noisy in drawn(pages)]
        data = pdf_of(jpegs)
        rows = measured(bench, data, jpegs)
    print(f"{os.cpu_count()} cores, {pages} pages, A4 colour 300 dpi, {len(data) / 1e6:.0f} MB")
    for name, value in rows:
        print(f"  {name:<48} {value}")


def drawn(count: int) -> Iterator[Pixels]:
    """Yield pages, each with its own grain."""
    kinds = [draw for kind, draw in PRINT_KINDS.items() if kind != "receipt"]
    for number in range(count):
        hand = np.random.default_rng([SEED, number])
        page = draw_page(kinds[number % len(kinds)], hand, round(DPI))
        grain = hand.normal(0, 2.5, page.shape[:2])[..., None]
        yield np.clip(page + grain, 0, 255).astype(np.uint8)


def pdf_of(jpegs: list[bytes]) -> bytes:
    """Return a PDF whose pages are these pictures, as a scanner writes it."""
    pdf = pikepdf.new()
    for jpeg in jpegs:
        page = pdf.add_blank_page(page_size=(2480 / DPI * 72, 3508 / DPI * 72))
        picture = pdf.make_stream(
            jpeg, Type=pikepdf.Name.XObject, Subtype=pikepdf.Name.Image, Width=2480, Height=3508,
            BitsPerComponent=8, ColorSpace=pikepdf.Name.DeviceRGB, Filter=pikepdf.Name.DCTDecode,
        )  # fmt: skip
        page.Resources = pikepdf.Dictionary(XObject={"/Im0": picture})
        page.Contents = pdf.make_stream(f"q {2480 / DPI * 72} 0 0 {3508 / DPI * 72} 0 0 cm /Im0 Do Q".encode())
    out = io.BytesIO()
    pdf.save(out)
    return out.getvalue()


def measured(bench: Bench, data: bytes, jpegs: list[bytes]) -> list[tuple[str, str]]:
    """Send the file and wait for its pages."""
    mappe = bench.open("Brought in")
    headers = {"Origin": bench.web_url, "Accept": "application/json"}
    with httpx.Client(base_url=bench.web_url, headers=headers, trust_env=False, timeout=60) as http:
        file = {"name": "scans.pdf", "byte_size": len(data)}
        run = http.post(f"/mappen/{mappe}/imports", json={"files": [file]}).json()
        (coming,) = http.get(f"/runs/{run}/files").json()
        start_s = time.perf_counter()
        at = 0
        while at < len(data):
            at = http.put(f"/imports/{coming['id']}?at={at}", content=data[at : at + PART_BYTES]).json()
        sent_s = time.perf_counter()
        first_s = all_s = 0.0
        while not all_s:
            in_now = http.get(f"/runs/{run}/files").json()[0]["pages"]
            now_s = time.perf_counter()
            first_s = first_s or (now_s if in_now else 0.0)
            all_s = now_s if in_now == len(jpegs) else 0.0
            time.sleep(0.05)
        looked_s = bench.all_analysed(mappe)
    with bench.store.begin() as session:
        kept = session.scalars(select(Capture.sha256).where(Capture.run_id == run).order_by(Capture.file_page)).all()
    untouched = sum(sha == hashlib.sha256(jpeg).hexdigest() for sha, jpeg in zip(kept, jpegs, strict=True))
    return [
        ("sent", f"{sent_s - start_s:.1f} s"),
        ("first page in, from the end of the sending", f"{first_s - sent_s:.1f} s"),
        ("all pages in, from the end of the sending", f"{all_s - sent_s:.1f} s"),
        ("all pages analysed, from the end of the sending", f"{looked_s - sent_s:.1f} s"),
        ("byte for byte the pictures in it", f"{untouched} of {len(jpegs)}"),
    ]


if __name__ == "__main__":
    main()
