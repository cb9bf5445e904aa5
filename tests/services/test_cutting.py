"""Cuts proposed from what pages show, and done by themselves at dividers."""

import pytest
from tests.helpers import ANNA, QUICK, WORDS, Drawer, analyse_all, desk, do, page_saying, scan, undo

from papiermappe.core.operations import Cut
from papiermappe.core.order.codes import CodeFormat
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.dividers import CodeRule, CodeUse
from papiermappe.core.reading.printed import printed_on
from papiermappe.services import code_rules, cutting
from papiermappe.services.caller import MACHINE
from papiermappe.services.cutting import CutsProposed
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.reading import record_printed
from papiermappe.store.database import Store
from papiermappe.store.models import Page

PILE = ("letter-share", "divider-hail", "hail", "divider-leases", "lease")  # 1, 1, 1, 1 and 3 sheets
ONE_SIDE = QUICK.model_copy(update={"dpi": 150})


@pytest.fixture
def pages(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> list[int]:
    """Fronts and backs of a pile with dividers."""
    drawer.lay(*PILE)
    scan(store, mappe, zaunkoenig, ONE_SIDE)
    analyse_all(store, mappe)
    return desk(store, mappe).order


def proposed(store: Store, mappe: int, rule: CutRule, every: int = 1) -> CutsProposed:
    """Return the cuts of a Mappe by a rule."""
    return cutting.proposed_cuts(ANNA, store, mappe, rule, every)


def test_dividers_are_found_and_their_names_used(store: Store, mappe: int, pages: list[int]) -> None:
    found = proposed(store, mappe, CutRule.DIVIDERS)
    assert [(cut.page, cut.name) for cut in found.cuts] == [
        (pages[0], ""), (pages[4], "Hail damage"), (pages[8], "Lease Upper Meadow"),
    ]  # fmt: skip
    assert found.aside == [pages[2], pages[3], pages[6], pages[7]]
    assert WORDS.text(found.cuts[1].reasons[0]) == "a divider lies before it"
    assert found.unread == 0


def test_a_cut_by_other_rules_keeps_the_names_of_documents_that_stay(
    store: Store, mappe: int, pages: list[int]
) -> None:
    do(store, mappe, proposed(store, mappe, CutRule.DIVIDERS).operation())
    do(store, mappe, Cut(pages=(pages[8],), names=("Our lease",)))
    again = proposed(store, mappe, CutRule.DIVIDERS)
    assert [cut.name for cut in again.cuts] == ["", "Hail damage", "Our lease"]
    assert again.aside == []
    by_sheets = proposed(store, mappe, CutRule.SHEETS, 2)
    assert [(cut.page, cut.name) for cut in by_sheets.cuts] == [
        (pages[0], ""),
        (pages[8], "Our lease"),
        (pages[12], ""),
    ]


def test_a_ticket_cuts_at_dividers_by_itself_and_one_undo_takes_it_back(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay(*PILE)
    run = scan(store, mappe, zaunkoenig, ONE_SIDE.model_copy(update={"cut_at_dividers": True}))
    analyse_all(store, mappe)
    whole = desk(store, mappe).order
    cutting.cut_by_itself(store, run)
    now = desk(store, mappe)
    assert len(now.set_aside) == 4
    assert [page.begins for page in now.pages if page.begins is not None] == ["Hail damage", "Lease Upper Meadow"]
    undo(store, mappe)
    assert desk(store, mappe).order == whole
    cutting.cut_by_itself(store, run)  # the job comes again: what a person has taken back stays so
    assert desk(store, mappe).order == whole


def test_cuts_that_are_there_already_stay_when_a_run_is_cut_by_itself(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig, ONE_SIDE)
    before = desk(store, mappe).order
    do(store, mappe, Cut(pages=(before[2],), names=("By hand",)))
    drawer.lay("divider-hail", "hail")
    run = scan(store, mappe, zaunkoenig, ONE_SIDE.model_copy(update={"cut_at_dividers": True}))
    analyse_all(store, mappe)
    cutting.cut_by_itself(store, run)
    assert [page.begins for page in desk(store, mappe).pages if page.begins is not None] == ["By hand", "Hail damage"]


@pytest.mark.parametrize("wished", [True, False])
def test_without_dividers_or_without_the_wish_nothing_is_cut(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer, wished: bool
) -> None:
    drawer.lay("hail") if wished else drawer.lay("hail", "divider-leases")
    run = scan(store, mappe, zaunkoenig, ONE_SIDE.model_copy(update={"cut_at_dividers": wished}))
    analyse_all(store, mappe)
    cutting.cut_by_itself(store, run)
    assert desk(store, mappe).undo is None


def test_what_is_read_on_pages_proposes_cuts_and_names(store: Store, mappe: int, pages: list[int]) -> None:
    before = proposed(store, mappe, CutRule.PAGES_SHOW)
    assert before.unread > 0
    with store.begin() as session:
        capture = session.get_one(Page, pages[10]).capture_id
    text = page_saying("Subject: Water rights of the lower ditch", "Dear Mr Ashdown,", "the ditch is open again.")
    record_printed(MACHINE, store, capture, printed_on(text))
    after = proposed(store, mappe, CutRule.PAGES_SHOW)
    assert after.unread == before.unread - 1
    (cut,) = [cut for cut in after.cuts if cut.page == pages[10]]
    assert cut.name == "Water rights of the lower ditch"


def test_codes_that_a_person_names_count(store: Store) -> None:
    rule = CodeRule(format=CodeFormat.CODE_128, pattern="K-*", use=CodeUse.DIVIDER)
    kept = code_rules.add_rule(ANNA, store, rule)
    assert code_rules.add_rule(ANNA, store, rule) == kept
    any_code = code_rules.add_rule(ANNA, store, CodeRule(pattern="K-*", use=CodeUse.DIVIDER))
    assert [(row.id, row.rule.format) for row in code_rules.list_rules(ANNA, store)] == [
        (kept, CodeFormat.CODE_128),
        (any_code, None),
    ]
    code_rules.remove_rule(ANNA, store, kept)
    with pytest.raises(NotFound):
        code_rules.remove_rule(ANNA, store, kept)
    for number in range(code_rules.MOST_RULES - 1):
        code_rules.add_rule(ANNA, store, CodeRule(pattern=f"{number}-*", use=CodeUse.NAMES))
    with pytest.raises(NotPossible):
        code_rules.add_rule(ANNA, store, CodeRule(pattern="one more", use=CodeUse.NAMES))


def test_a_mappe_that_is_not_there_is_not_cut(store: Store) -> None:
    with pytest.raises(NotFound):
        proposed(store, 2**31 - 1, CutRule.BLANK)
