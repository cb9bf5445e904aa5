"""What stands out among pages, and that nothing is said of what is right."""

from dataclasses import replace

from papiermappe.core.order.cut_evidence import PageFacts
from papiermappe.core.order.dividers import CodeUse, Meaning
from papiermappe.core.order.glance import GlancePage, Note, NoteKind, notes_on
from papiermappe.core.order.numbers import infer_order
from papiermappe.core.reading.printed import Printed

PAGE = GlancePage(PageFacts(210, 297, printed=Printed(language="eng")))


def said(pages: list[GlancePage]) -> list[Note]:
    """Return what is said of single pages on sheets of their own."""
    sheets = [[page] for page in pages]
    return notes_on(sheets, infer_order([[page.number] for page in pages]))


def numbered(*numbers: int | None) -> list[GlancePage]:
    """Return pages with these numbers on them."""
    return [replace(PAGE, number=number) for number in numbers]


def test_pages_that_are_right_are_left_alone() -> None:
    assert said(numbered(1, 2, 3, 4, 5, 6)) == []
    assert said([PAGE] * 8) == []
    assert notes_on([], None) == []


def test_what_is_turned_is_told_with_the_turns_that_set_it_right() -> None:
    assert said([PAGE, replace(PAGE, to_upright=2)]) == [Note(1, NoteKind.TURNED, {"turn": 2})]


def test_numbers_that_are_missing_or_there_twice() -> None:
    assert said(numbered(1, 2, 5, 6)) == [Note(2, NoteKind.GAP_BEFORE, {"numbers": [3, 4]})]
    assert said(numbered(1, 2, 2, 3)) == [Note(at, NoteKind.TWICE, {"number": 2}) for at in (1, 2)]


def test_another_size_is_told_where_most_are_alike() -> None:
    receipt = GlancePage(PageFacts(80, 190))
    sideways = GlancePage(PageFacts(297, 210))
    assert said([PAGE] * 5 + [receipt, sideways]) == [Note(5, NoteKind.SIZE, {})]
    assert said([PAGE, PAGE, receipt]) == []  # too few to tell what is usual
    assert said([PAGE, receipt] * 4) == []


def test_the_edges_of_a_blank_page_mean_nothing() -> None:
    assert said([PAGE] * 6 + [GlancePage(PageFacts(150, 240, blank=True))]) == []


def test_another_language_is_told() -> None:
    german = GlancePage(PageFacts(210, 297, printed=Printed(language="deu")))
    assert [note.kind for note in said([PAGE] * 6 + [german])] == [NoteKind.LANGUAGE]


def test_a_document_that_surely_begins_is_told_until_it_is_cut() -> None:
    label = GlancePage(PageFacts(210, 297, meaning=Meaning(CodeUse.BEGINS, "Lease")))
    assert said([PAGE, label]) == [Note(1, NoteKind.DOCUMENT, {})]
    assert said([PAGE, replace(label, begins=True)]) == []
