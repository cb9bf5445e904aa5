"""Dividers and labels as PDF: their codes are read again whichever way the sheet lies."""

import numpy as np
import pypdfium2
import pytest

from papiermappe.core.order.code_reading import read_codes
from papiermappe.core.order.dividers import CodeUse, Meaning, meaning_of
from papiermappe.core.picture import Pixels, turned
from papiermappe.making.divider_sheets import LABEL_COLUMNS, LABEL_ROWS, SheetWords, divider_sheets, label_sheets

SAID = SheetWords("Divider", "A new document begins behind this sheet.")
DPI = 150


def drawn(pdf: bytes) -> list[Pixels]:
    """Return the pages in grey."""
    document = pypdfium2.PdfDocument(pdf)
    return [np.asarray(page.render(scale=DPI / 72).to_pil().convert("L"), np.uint8) for page in document]


@pytest.mark.parametrize("name", ["Weigh tickets", "", "Łódź, Kraków & more " * 4, "農園の請求書"])
def test_a_divider_says_its_name_upside_down_and_on_its_side(name: str) -> None:
    (page,) = drawn(divider_sheets([name], SAID))
    said = " ".join(name.split())[:60].strip()
    for quarters in range(4):
        found = meaning_of(read_codes(turned(page, quarters), DPI))
        assert found == Meaning(CodeUse.DIVIDER, said)


def test_a_divider_that_has_lost_three_of_its_codes_is_still_one() -> None:
    (page,) = drawn(divider_sheets(["Hail"], SAID))
    page = page.copy()
    page[:900] = 90
    page[:, :600] = 90
    assert meaning_of(read_codes(page, DPI)) == Meaning(CodeUse.DIVIDER, "Hail")


def test_labels_fill_sheets_and_each_begins_a_document() -> None:
    per_sheet = LABEL_COLUMNS * LABEL_ROWS
    pages = drawn(label_sheets(["Lease"] * (per_sheet + 1)))
    assert len(pages) == 2
    assert meaning_of(read_codes(pages[1], DPI)) == Meaning(CodeUse.BEGINS, "Lease")
