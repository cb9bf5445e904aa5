"""What is proposed for names of drawn letters and invoices: right, and wrong though sure."""

import re
from concurrent.futures import ThreadPoolExecutor
from difflib import SequenceMatcher
from functools import partial
from typing import NamedTuple

from benchmarks.second.correspondence import Correspondence, correspondence
from benchmarks.table import Row, percent, scaled

from papiermappe.core.analysis import analyse
from papiermappe.core.pages import readable_page
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.core.reading.proposal import Proposal
from papiermappe.core.reading.proposals import proposals_of
from papiermappe.recognition.tesseract import Tesseract, installed

PAGES = 100
ALIKE = 0.9
"""Of two texts that differ by what was read wrong."""


class _Judged(NamedTuple):
    what: str
    proposed: bool
    right: bool
    sure: bool
    said: str


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    recogniser = installed()
    with ThreadPoolExecutor(2) as two:
        judged = [
            one for page in two.map(partial(_judged, recogniser, seed), range(scaled(PAGES, share))) for one in page
        ]
    rows = []
    for what in ("date", "sender", "subject", "number"):
        mine = [one for one in judged if one.what == what]
        wrong = [one for one in mine if one.sure and not one.right]
        rows += [
            Row(f"{what} of {len(mine)}: right", percent(sum(one.right for one in mine) / len(mine)), ">= 90 %"),
            Row("    wrong though sure", percent(len(wrong) / len(mine)), "<= 1 %"),
            *(Row(f"        {one.said}"[:110], "") for one in [one for one in mine if not one.right][:12]),
        ]
    return rows


def _judged(recogniser: Tesseract, seed: int, number: int) -> list[_Judged]:
    page = correspondence(number, seed)
    analysis = analyse(page.capture)
    readable = readable_page(page.capture, analysis.treatment, RecognitionMode.ACCURATE)
    text = recogniser.read(readable, ("eng", "deu"), RecognitionMode.ACCURATE)
    found = proposals_of(text)
    wanted = {"date": page.day.isoformat(), "sender": page.sender, "subject": page.subject, "number": page.number}
    return [_compared(number, page, what, getattr(found, what, None), value) for what, value in wanted.items() if value]


def _compared(number: int, page: Correspondence, what: str, proposal: Proposal | None, value: str) -> _Judged:
    found = proposal.value if proposal else ""
    likeness = SequenceMatcher(None, _plain(found), _plain(value)).ratio()
    right = (
        found == value if what == "date" else _plain(found) == _plain(value) if what == "number" else likeness >= ALIKE
    )
    sure = proposal is not None and proposal.is_sure
    kind = "invoice" if page.invoice else "letter"
    said = f"{number} {kind}: {found!r} for {value!r}, {proposal.confidence if proposal else 0}"
    return _Judged(what, proposal is not None, right, sure, said)


def _plain(text: str) -> str:
    return re.sub(r"[\W_]+", "", text.casefold())
