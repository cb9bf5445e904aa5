"""The levels: how small pages become, how they look, what can still be read, how long it takes."""

import statistics
import time
from typing import NamedTuple

import numpy as np
from benchmarks.corpus.documents import DPI, TrueDocument, documents
from benchmarks.filing.looks import ciede2000, errors, lab, print_area, similarity
from benchmarks.table import Row, of_all, scaled

from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import PAGES_TOGETHER, encode_pages, split_page
from papiermappe.core.encode.plain import readable
from papiermappe.core.encode.shown import shown
from papiermappe.core.picture import Pixels, to_grey
from papiermappe.core.reading.page_text import PageText, RecognitionMode
from papiermappe.recognition.tesseract import installed

PAGES = 48
TIMED = 12


class _Judged(NamedTuple):
    jpeg75: int
    lean_bytes: float
    balanced_bytes: int
    similarity: float
    hues: list[float]
    wrong: tuple[int, int]
    """Characters, in the source and in Lean."""
    characters: int


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    judged = of_all(_judged, scaled(PAGES, share), seed, chunk=PAGES_TOGETHER)
    jpeg75 = sum(one.jpeg75 for one in judged)
    lean, balanced = sum(one.lean_bytes for one in judged), sum(one.balanced_bytes for one in judged)
    hues = [hue for one in judged for hue in one.hues]
    before, after = (
        100 * sum(one.wrong[at] for one in judged) / sum(one.characters for one in judged) for at in (0, 1)
    )
    lean_ms, balanced_ms = _times_ms(scaled(TIMED, share), seed)
    return [
        Row("JPEG quality 75, a page", f"{jpeg75 / len(judged) / 1000:.0f} KB"),
        Row("Lean, a page", f"{lean / len(judged) / 1000:.1f} KB", "<= 30 KB"),
        Row("Lean, of JPEG quality 75", f"1/{jpeg75 / lean:.1f}", "1/14"),
        Row("Lean, characters read wrong", f"{after:.2f} %", f"<= {before:.2f} + 0.2 %"),
        Row(
            "Lean, structural similarity of print, mean", f"{np.mean([one.similarity for one in judged]):.3f}", ">= 0.9"
        ),
        Row("Lean, structural similarity of print, worst page", f"{min(one.similarity for one in judged):.3f}"),
        Row("Lean, stamps and signatures, CIEDE2000, mean", f"{np.mean(hues):.1f}"),
        Row("Lean, stamps and signatures, CIEDE2000, worst", f"{max(hues):.1f}", "<= 6"),
        Row("Balanced, a page", f"{balanced / len(judged) / 1000:.1f} KB"),
        Row("Balanced, of JPEG quality 75", f"1/{jpeg75 / balanced:.1f}", "1/4"),
        Row("Balanced, encoding", f"{balanced_ms:.0f} ms", "<= 200 ms"),
        Row("Lean, encoding", f"{lean_ms:.0f} ms", "<= 450 ms"),
    ]


def _judged(numbers: range, seed: int) -> list[_Judged]:
    """Judge pages that are filed together."""
    recogniser = installed()
    pages = list(documents(numbers, seed))
    lean = [split_page(page.scanned, DPI, Level.LEAN, bilevel=False) for page in pages]
    done = encode_pages(lean)
    stencils = {layer.stencil.shared for page in done for layer in page.layers if layer.stencil}
    shared = sum(map(len, stencils)) / len(pages)
    judged = []
    for page, ready, encoded in zip(pages, lean, done, strict=True):
        seen = shown(ready, *page.scanned.shape[:2])
        (wrong, total), (wrong_lean, _) = (
            errors(page.lines, _read(recogniser, picture)) for picture in (page.scanned, seen)
        )
        judged.append(
            _Judged(
                len(encode_jpeg(page.scanned, 75)),
                encoded.byte_size + shared,
                encode_pages([split_page(page.scanned, DPI, Level.BALANCED, bilevel=False)])[0].byte_size,
                similarity(to_grey(page.scanned), to_grey(seen), print_area(page.drawn)),
                _hues(page, seen),
                (wrong, wrong_lean),
                total,
            )
        )
    return judged


def _read(recogniser: "object", picture: Pixels) -> PageText:
    return recogniser.read(readable(picture, DPI, RecognitionMode.ACCURATE), ("eng",), RecognitionMode.ACCURATE)  # type: ignore[attr-defined, no-any-return]


def _hues(page: TrueDocument, seen: Pixels) -> list[float]:
    """Return how far the mean colours of the signature and the stamp are from those of the source."""
    return [
        ciede2000(lab(page.scanned[where].mean(axis=0)), lab(seen[where].mean(axis=0))) for where in page.marks.values()
    ]


def _times_ms(count: int, seed: int) -> tuple[float, float]:
    """Return how long a page takes at Lean, and at Balanced."""
    pages = [page.scanned for page in documents(range(count), seed + 1)]
    for level in (Level.LEAN, Level.BALANCED):
        encode_pages([split_page(pages[0], DPI, level, bilevel=False)])
    balanced_s = []
    for page in pages:
        start_s = time.perf_counter()
        encode_pages([split_page(page, DPI, Level.BALANCED, bilevel=False)])
        balanced_s.append(time.perf_counter() - start_s)
    start_s = time.perf_counter()
    ready = []
    lean_s = []
    for page in pages:
        start_s = time.perf_counter()
        ready.append(split_page(page, DPI, Level.LEAN, bilevel=False))
        lean_s.append(time.perf_counter() - start_s)
    start_s = time.perf_counter()
    encode_pages(ready)
    together_s = (time.perf_counter() - start_s) / len(pages)
    return 1000 * (statistics.median(lean_s) + together_s), 1000 * statistics.median(balanced_s)
