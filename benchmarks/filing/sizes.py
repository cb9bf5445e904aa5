"""The size told before filing, against the file, on Mappen of mixed pages that the tuning has not seen."""

import io
import random
from datetime import UTC, datetime
from typing import NamedTuple

import numpy as np
from benchmarks.second.papers import paper
from benchmarks.second.scans import scan
from benchmarks.table import Row, of_all, scaled

from papiermappe.core.analysis import analyse
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.formats import FilePage, write_file
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import PAGES_TOGETHER, encode_pages
from papiermappe.core.encode.options import About, FileForm
from papiermappe.core.pages import PageForm, PageSource, page_for_file, page_sizes
from papiermappe.core.sizes import BYTES_A_FILE, BYTES_A_PAGE, PageKnown, mean_sizes, pages_to_make
from papiermappe.services.levels import PAGES_AT_ONCE, PAGES_MADE
from papiermappe.services.levels import PAGES_TOGETHER as MADE_TOGETHER

MAPPEN = 20
FEWEST, MOST = 5, 60
ABOUT = About("Mixed pages", datetime(2026, 11, 29, tzinfo=UTC))


class _Told(NamedTuple):
    """Of one Mappe and level: how far what was told is from the file, as a share of it."""

    level: Level
    at_once: float
    """From the first few pages."""
    in_the_end: float


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    told = of_all(_told, scaled(MAPPEN, share), seed, chunk=1)
    rows = []
    for level in Level:
        here = [one for one in told if one.level is level]
        ends = [abs(one.in_the_end) for one in here]
        at_once = [abs(one.at_once) for one in here]
        rows += [
            Row(
                f"{level.value}: told within 10 % of the file, Mappen",
                f"{sum(end <= 0.1 for end in ends)} of {len(ends)}",
                "all",
            ),
            Row(f"{level.value}: away from it, mean; most", f"{100 * np.mean(ends):.1f}; {100 * max(ends):.1f} %"),
            Row(f"{level.value}: at once, mean; most", f"{100 * np.mean(at_once):.1f}; {100 * max(at_once):.1f} %"),
        ]
    return rows


def _told(numbers: range, seed: int) -> list[_Told]:
    return [one for number in numbers for one in _of_mappe(number, seed)]


def _of_mappe(number: int, seed: int) -> list[_Told]:
    sources = _pages(number, seed)
    known = [PageKnown(f"{source.colour}", len(source.capture.data)) for source in sources]
    at_once = _with_sizes(known, sources, PAGES_AT_ONCE)
    in_the_end = _with_sizes(known, sources, PAGES_MADE)
    told = []
    for level in Level:
        file_bytes = _file_bytes(sources, level)
        first, last = (_total(pages, level) / file_bytes - 1 for pages in (at_once, in_the_end))
        told.append(_Told(level, first, last))
    return told


def _pages(number: int, seed: int) -> list[PageSource]:
    chance = random.Random(f"{seed} {number}")  # noqa: S311  # a corpus is no secret
    sources = []
    for at in range(chance.randint(FEWEST, MOST)):
        capture = scan(paper(chance.randrange(10**6), seed), np.random.default_rng([seed, number, at])).capture
        analysis = analyse(capture)
        sources.append(PageSource(capture, analysis.treatment, analysis.colour))
    return sources


def _with_sizes(known: list[PageKnown], sources: list[PageSource], count: int) -> list[PageKnown]:
    """Make pages as the desk does to tell sizes."""
    pages = list(known)
    chosen = sorted(pages_to_make(known, count))
    for first in range(0, len(chosen), MADE_TOGETHER):
        together = chosen[first : first + MADE_TOGETHER]
        for at, sizes in zip(together, page_sizes([sources[at] for at in together]), strict=True):
            pages[at] = pages[at]._replace(sizes=sizes)
    return pages


def _total(pages: list[PageKnown], level: Level) -> float:
    return BYTES_A_FILE + len(pages) * (mean_sizes(pages)[level] + BYTES_A_PAGE)


def _file_bytes(sources: list[PageSource], level: Level) -> int:
    parts = [page_for_file(source, PageForm(Format.PDF, level)) for source in sources]
    pages: list[FilePage] = []
    for first in range(0, len(parts), PAGES_TOGETHER):
        together = parts[first : first + PAGES_TOGETHER]
        encoded = encode_pages([part.content.split for part in together if part.content.split])
        pages += [
            FilePage(part.content, part.width_mm, part.height_mm, encoded=page)
            for part, page in zip(together, encoded, strict=True)
        ]
    out = io.BytesIO()
    write_file(FileForm(Format.PDF, level, ABOUT), pages, out, io.BytesIO)
    return len(out.getvalue())
