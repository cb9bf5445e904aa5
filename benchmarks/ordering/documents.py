"""Piles of post cut into documents by what their pages show, read as they are when they arrive."""

import os
from typing import NamedTuple

from benchmarks.second.documents import post
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.analysis import analyse
from papiermappe.core.order.cut_evidence import PageFacts
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.cuts import propose_cuts
from papiermappe.core.order.dividers import meaning_of
from papiermappe.core.pages import readable_page
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.core.reading.printed import printed_on
from papiermappe.core.treatment import page_size_mm
from papiermappe.recognition.tesseract import installed

PILES = 100


class JudgedCuts(NamedTuple):
    """How the cuts of a pile fared."""

    there: int
    found: int
    proposed: int
    wrong: int
    sure: int
    wrong_though_sure: int


def document_rows(share: float, seed: int) -> list[Row]:
    """Return the figures of cutting by what pages show."""
    os.environ["OMP_THREAD_LIMIT"] = "1"
    judged = of_all(_judge_piles, scaled(PILES, share), seed, chunk=1)
    total = JudgedCuts(*(sum(getattr(pile, name) for pile in judged) for name in JudgedCuts._fields))
    return [
        Row(
            f"{len(judged)} piles, {total.there} documents that begin behind another: found",
            percent(total.found / total.there),
            "90 %",
        ),
        Row("  proposed where none begins, of all proposed", percent(total.wrong / max(1, total.proposed))),
        Row("  wrong though sure, of all sure", percent(total.wrong_though_sure / max(1, total.sure)), "2 %"),
        Row("  sure, of all found", percent((total.sure - total.wrong_though_sure) / max(1, total.found))),
    ]


def _judge_piles(numbers: range, seed: int) -> list[JudgedCuts]:
    return [_judged(number, seed) for number in numbers]


def _judged(number: int, seed: int) -> JudgedCuts:
    pile = post(number, seed)
    found = propose_cuts([[_facts(page)] for page in pile.pages], CutRule.PAGES_SHOW)
    truth = set(pile.begins) - {0}
    proposed = {cut.sheet: cut.sure for cut in found.cuts[1:]}
    return JudgedCuts(
        there=len(truth),
        found=len(truth & proposed.keys()),
        proposed=len(proposed),
        wrong=len(proposed.keys() - truth),
        sure=sum(proposed.values()),
        wrong_though_sure=sum(sure for sheet, sure in proposed.items() if sheet not in truth),
    )


def _facts(capture: CapturedPicture) -> PageFacts:
    analysis = analyse(capture)
    head = capture.head()
    size_mm = page_size_mm(head.width_px, head.height_px, capture.dpi, analysis.treatment)
    page = readable_page(capture, analysis.treatment, RecognitionMode.ACCURATE)
    printed = printed_on(installed().read(page, ["eng", "deu"], RecognitionMode.ACCURATE))
    return PageFacts(*size_mm, analysis.is_blank, printed, meaning_of(analysis.codes))
