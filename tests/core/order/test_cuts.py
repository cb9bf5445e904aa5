"""Where documents begin: counted, at dividers, and by what pages show."""

import pytest

from papiermappe.core.order.cut_evidence import CutReason, PageFacts
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.cuts import ProposedCuts, propose_cuts
from papiermappe.core.order.dividers import CodeUse, Meaning
from papiermappe.core.reading.printed import NumberKind, PageNumber, Printed

DIVIDER = Meaning(CodeUse.DIVIDER, "Hail")
PLAIN = PageFacts(210, 297)
BLANK = PageFacts(210, 297, blank=True)


def numbered(number: int, of: int | None = None, kind: NumberKind = NumberKind.NAMED, **more: object) -> PageFacts:
    """Return a page with its number printed on it."""
    found = Printed(numbers=(PageNumber(number=number, of=of, kind=kind),)).model_copy(update=more)
    return PageFacts(210, 297, printed=found)


def saying(**printed: object) -> PageFacts:
    """Return a page on which something is printed."""
    return PageFacts(210, 297, printed=Printed().model_copy(update=printed))


def meaning(use: CodeUse, name: str = "") -> PageFacts:
    """Return a page with a code on it."""
    return PageFacts(210, 297, meaning=Meaning(use, name))


def begins(found: ProposedCuts) -> list[int]:
    """Return the sheets with which documents begin."""
    return [cut.sheet for cut in found.cuts]


def single(*pages: PageFacts) -> list[list[PageFacts]]:
    """Return sheets with a front only."""
    return [[page] for page in pages]


def test_every_so_many_sheets_or_pages_begin_a_document() -> None:
    pile = [[PLAIN, PLAIN], [PLAIN], [PLAIN, PLAIN], [PLAIN], [PLAIN]]
    assert begins(propose_cuts(pile, CutRule.SHEETS, 2)) == [0, 2, 4]
    assert begins(propose_cuts(pile, CutRule.PAGES, 3)) == [0, 2, 4]  # 2+1, 2+1, 1
    assert begins(propose_cuts(pile, CutRule.PAGES, 1)) == [0, 1, 2, 3, 4]  # no sheet is cut through
    with pytest.raises(ValueError, match="0"):
        propose_cuts(pile, CutRule.SHEETS, 0)


def test_a_divider_is_set_aside_and_names_what_follows() -> None:
    pile = [[PLAIN], [PageFacts(210, 297, meaning=DIVIDER), BLANK], [PLAIN], [PLAIN]]
    found = propose_cuts(pile, CutRule.DIVIDERS)
    assert (begins(found), found.aside) == ([0, 2], [1])
    assert found.cuts[1].name == "Hail"
    assert found.cuts[1].reasons == (CutReason.DIVIDER,)
    assert found.cuts[1].sure


def test_a_divider_is_found_on_the_back_of_its_sheet_too() -> None:
    found = propose_cuts([[PLAIN], [BLANK, PageFacts(210, 297, meaning=DIVIDER)], [PLAIN]], CutRule.DIVIDERS)
    assert (begins(found), found.aside) == ([0, 2], [1])


def test_dividers_at_the_beginning_the_end_and_beside_each_other_make_no_empty_documents() -> None:
    divider = meaning(CodeUse.DIVIDER, "first")
    other = meaning(CodeUse.DIVIDER, "second")
    found = propose_cuts(single(divider, PLAIN, other, divider, PLAIN, divider), CutRule.DIVIDERS)
    assert (begins(found), found.aside) == ([1, 4], [0, 2, 3, 5])
    assert [cut.name for cut in found.cuts] == ["first", "first"]  # the nearest divider gives the name
    assert propose_cuts(single(divider), CutRule.DIVIDERS) == ProposedCuts([], [0])
    assert propose_cuts([], CutRule.PAGES_SHOW) == ProposedCuts([], [])


def test_a_label_begins_a_document_and_stays_in_it() -> None:
    found = propose_cuts(single(PLAIN, meaning(CodeUse.BEGINS, "Lease"), PLAIN), CutRule.DIVIDERS)
    assert (begins(found), found.aside, found.cuts[1].name) == ([0, 1], [], "Lease")


def test_a_code_that_names_begins_a_document_where_it_changes() -> None:
    one, two = meaning(CodeUse.NAMES, "K-1"), meaning(CodeUse.NAMES, "K-2")
    found = propose_cuts(single(one, one, two, PLAIN, two), CutRule.PAGES_SHOW)
    assert [(cut.sheet, cut.name) for cut in found.cuts] == [(0, "K-1"), (2, "K-2"), (4, "K-2")]


def test_blank_sheets_divide_and_blank_backs_do_not() -> None:
    found = propose_cuts([[PLAIN, BLANK], [PLAIN, PLAIN], [BLANK, BLANK], [PLAIN]], CutRule.BLANK)
    assert (begins(found), found.aside) == ([0, 3], [2])


@pytest.mark.parametrize("rule", [CutRule.NUMBERS, CutRule.PAGES_SHOW])
def test_numbers_that_begin_again_begin_a_document(rule: CutRule) -> None:
    pile = single(numbered(1, 3), numbered(2, 3), numbered(3, 3), numbered(1, 2), numbered(2, 2))
    found = propose_cuts(pile, rule)
    assert begins(found) == [0, 3]
    assert found.cuts[1].sure
    assert set(found.cuts[1].reasons) == {CutReason.NUMBERS, CutReason.LAST_PAGE}


def test_the_year_in_a_foot_is_no_page_number() -> None:
    year = {"numbers": (PageNumber(number=2026, kind=NumberKind.AT_END),)}
    assert begins(propose_cuts(single(saying(**year), saying(**year), saying(**year)), CutRule.NUMBERS)) == [0]


def test_the_number_on_a_back_goes_before_that_on_the_next_front() -> None:
    pile = [[numbered(1), numbered(2)], [numbered(3), BLANK], [numbered(1), numbered(2)]]
    assert begins(propose_cuts(pile, CutRule.NUMBERS)) == [0, 2]


def test_numbers_go_on_past_a_page_whose_number_could_not_be_read() -> None:
    head = ("lease", "land", "clause")
    lease = [
        [numbered(1, kind=NumberKind.ALONE), saying(head=head, foot=("and", "the", "gate"))],
        [numbered(3, kind=NumberKind.ALONE, head=(*head, "board", "door"), foot=("eleven", "days", "late"))],
    ]
    assert begins(propose_cuts(lease, CutRule.PAGES_SHOW)) == [0]


def test_numbers_farther_off_that_do_not_go_on_say_nothing() -> None:
    # a letter of one page, and another of three whose first page has no number
    pile = single(numbered(1, closes=True), saying(opens=True), numbered(2), numbered(3))
    assert begins(propose_cuts(pile, CutRule.PAGES_SHOW)) == [0, 1]


def test_another_letterhead_begins_a_document_and_a_running_head_goes_on() -> None:
    mill = ("mill", "river", "works", "press", "weights", "crates", "office", "telephone")
    bank = ("savings", "bank", "branch", "account", "interest", "statement", "customer", "market")
    running = ("statement", "may", "continued")
    pile = single(saying(head=mill), saying(head=bank), saying(head=running), saying(head=running))
    found = propose_cuts(pile, CutRule.LETTERHEAD)
    assert 1 in begins(found)
    assert 3 not in begins(found)


def test_a_sentence_that_goes_on_is_not_cut_though_the_size_differs_little() -> None:
    ends, goes_on = saying(ends_within=True), saying(begins_within=True)
    assert begins(propose_cuts(single(ends, goes_on), CutRule.PAGES_SHOW)) == [0]


def test_a_salutation_after_a_closing_begins_a_document() -> None:
    pile = single(saying(closes=True, title="Water rights"), saying(opens=True, title="Hail of 9 May"))
    found = propose_cuts(pile, CutRule.PAGES_SHOW)
    assert [(cut.sheet, cut.name) for cut in found.cuts] == [(0, "Water rights"), (1, "Hail of 9 May")]


def test_another_size_and_another_language_are_reasons() -> None:
    small = PageFacts(148, 210, printed=Printed(language="deu"))
    found = propose_cuts(single(saying(language="eng"), small), CutRule.PAGES_SHOW)
    assert set(found.cuts[1].reasons) == {CutReason.SIZE, CutReason.LANGUAGE}


def test_pages_that_show_nothing_are_one_document() -> None:
    assert begins(propose_cuts(single(*[PLAIN] * 5), CutRule.PAGES_SHOW)) == [0]
