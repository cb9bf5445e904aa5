"""Letters, invoices and forms with a signature and a stamp, scanned; what is written where is known."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from benchmarks.corpus.pages import PRINT_KINDS
from benchmarks.corpus.scanning import scanned
from papiermappe.core.paper import A4
from papiermappe.core.picture import Pixels
from papiermappe.standin.paper.drawing import STAMP_GREEN, STAMP_RED, Drawing, PrintedLine, draw_side

DPI = 300
PENS = ("#23389b", "#1f2f6e", "#2b5aa8")
KINDS = ("letter", "table", "form")
MARK_LEVELS = 60


@dataclass(frozen=True)
class TrueDocument:
    """A page and its truth."""

    kind: str
    drawn: Pixels
    """RGB (h, w, 3) at 300 dpi, before it was scanned."""
    scanned: Pixels
    lines: tuple[PrintedLine, ...]
    marks: dict[str, NDArray[np.bool_]]
    """Where the signature and the stamp are, (h, w)."""


def documents(
    numbers: Iterable[int], seed: int, kinds: tuple[str, ...] = KINDS, marked: bool = True
) -> Iterator[TrueDocument]:
    """Yield A4 pages; `marked` ones have a signature and a stamp below their print."""
    for at in numbers:
        kind = kinds[at % len(kinds)]
        hand = np.random.default_rng([seed, 29, at])
        plain = _side(kind, [seed, 31, at], ())
        everything = _side(kind, [seed, 31, at], ("signature", "stamp") if marked else ())
        drawn = everything.raster(DPI)
        marks = {
            name: _apart(_side(kind, [seed, 31, at], (name,)).raster(DPI), plain.raster(DPI))
            for name in ("signature", "stamp")
            if marked
        }
        yield TrueDocument(kind, drawn, scanned(drawn, hand, DPI, max_shade=0.06), plain.lines, marks)


def _side(kind: str, seed: list[int], marks: tuple[str, ...]):  # type: ignore[no-untyped-def]
    def draw(page: Drawing) -> None:
        PRINT_KINDS[kind](page, np.random.default_rng(seed))
        hand = np.random.default_rng([*seed, 1])
        for name in ("signature", "stamp"):
            _mark(page, name if name in marks else None, hand)

    return draw_side.__wrapped__(A4, draw)  # past its cache: no page comes twice


def _mark(page: Drawing, name: str | None, hand: Generator) -> None:
    """Put a mark; with None only use up the same chance."""
    x_mm, seed = float(hand.uniform(20, 60)), int(hand.integers(10_000))
    pen, ink = str(hand.choice(PENS)), str(hand.choice((STAMP_RED, STAMP_GREEN, "#3a3f9a")))
    if name == "signature":
        page.pen(x_mm, 284, 45, seed, 9, pen, 1.4)
    elif name == "stamp":
        page.stamp(x_mm + 110, 270, "RECEIVED", "3 JUNE 2026", ink)


def _apart(one: Pixels, other: Pixels) -> NDArray[np.bool_]:
    return np.asarray(np.abs(one.astype(np.int16) - other).max(axis=2) > MARK_LEVELS, np.bool_)
