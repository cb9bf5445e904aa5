"""Reading pages of the second generator: how much of what is printed is read wrong or missed, and what is made up."""

import statistics
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import NamedTuple

import numpy as np
from benchmarks.second.correspondence import correspondence
from benchmarks.second.papers import KINDS, Written, paper
from benchmarks.second.scans import scan
from benchmarks.table import Row, scaled

from papiermappe.core.analysis import analyse
from papiermappe.core.pages import readable_page
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.reading.page_text import PageText, RecognitionMode
from papiermappe.recognition.tesseract import Tesseract, installed

LETTERS, FORMS, OTHERS = 100, 40, 40
OTHER_KINDS = ("letter", "invoice", "plate", "receipt", "card", "note")
TAKEN = "\0"


class Printed(NamedTuple):
    """A page as scanned, and what is written on it."""

    capture: CapturedPicture
    written: Sequence[Written]


class _Judged(NamedTuple):
    wrong: int
    printed: int
    made_up: int


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    recogniser = installed()
    sets: dict[str, tuple[Callable[[int], Printed], int]] = {
        "letters and invoices": (partial(_letter, seed), LETTERS),
        "forms": (partial(_of_kinds, ("form",), seed), FORMS),
        "other pages": (partial(_of_kinds, OTHER_KINDS, seed), OTHERS),
    }
    rows = []
    with ThreadPoolExecutor(2) as two:
        for name, (draw, count) in sets.items():
            judged = list(two.map(partial(_judged, recogniser, draw), range(scaled(count, share))))
            shares = [100 * one.wrong / one.printed for one in judged if one.printed]
            wrong, printed = sum(one.wrong for one in judged), sum(one.printed for one in judged)
            rows += [
                Row(
                    f"{len(judged)} {name}, {printed} characters: read wrong",
                    f"{100 * wrong / printed:.2f} %",
                    "<= 0.7 %" if name == "letters and invoices" else "",
                ),
                Row(
                    "    a page, mean; median; worst",
                    f"{statistics.mean(shares):.2f}; {statistics.median(shares):.2f}; {max(shares):.1f} %",
                ),
                Row("    read, though nobody printed them, in all", str(sum(one.made_up for one in judged))),
            ]
    return rows


def _letter(seed: int, number: int) -> Printed:
    page = correspondence(number, seed)
    return Printed(page.capture, page.written)


def _of_kinds(kinds: Sequence[str], seed: int, number: int) -> Printed:
    numbers = [at for at, kind in enumerate(KINDS) if kind.__name__ in kinds]
    at = len(KINDS) * (number // len(numbers)) + numbers[number % len(numbers)]
    drawn = paper(at, seed)
    return Printed(scan(drawn, np.random.default_rng([seed, at, 2])).capture, drawn.written)


def _judged(recogniser: Tesseract, draw: Callable[[int], Printed], number: int) -> _Judged:
    page = draw(number)
    treatment = analyse(page.capture).treatment
    readable = readable_page(page.capture, treatment, RecognitionMode.ACCURATE)
    return _compared(page.written, recogniser.read(readable, ("eng", "deu"), RecognitionMode.ACCURATE))


def _compared(written: Sequence[Written], text: PageText) -> _Judged:
    """Return how many characters are wrong: each line against what is most like it in all that was read, once."""
    left = " ".join(line.text for line in text.lines())
    wrong = printed = 0
    for line in sorted((line for line in written if _is_legible(line, written)), key=lambda line: -len(line.text)):
        off, start, end = most_alike(line.text, left)
        wrong += min(off, len(line.text))
        printed += len(line.text)
        if off < len(line.text) / 2:
            left = left[:start] + TAKEN * (end - start) + left[end:]
    hidden = sum(len(line.text) for line in written if not _is_legible(line, written))
    return _Judged(wrong, printed, max(0, len(left.replace(TAKEN, "").replace(" ", "")) - hidden))


def _is_legible(line: Written, written: Sequence[Written]) -> bool:
    """Return whether no other line is printed over it."""
    return not any(
        line is not other
        and line.x < other.x + other.width
        and other.x < line.x + line.width
        and line.y < other.y + other.height
        and other.y < line.y + line.height
        for other in written
    )


def most_alike(words: str, text: str) -> tuple[int, int, int]:
    """Return the part of a text that differs least from words: by how many characters, and where it begins and ends.

    P. H. Sellers, "The theory and computation of evolutionary distances: pattern recognition", J. Algorithms 1, 1980.
    """
    at = text.find(words)
    if at >= 0:
        return 0, at, at + len(words)
    best = (len(words), 0, 0)
    off, starts = list(range(len(words) + 1)), [0] * (len(words) + 1)
    for end, seen in enumerate(text, 1):
        row, begun = [0], [end]
        for place, wanted in enumerate(words, 1):
            least = min(off[place - 1] + (wanted != seen), off[place] + 1, row[place - 1] + 1)
            row.append(least)
            if least == off[place - 1] + (wanted != seen):
                begun.append(starts[place - 1])
            else:
                begun.append(starts[place] if least == off[place] + 1 else begun[place - 1])
        off, starts = row, begun
        if off[-1] < best[0]:
            best = (off[-1], starts[-1], end)
    return best
