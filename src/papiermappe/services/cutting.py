"""Cutting a Mappe into documents: proposed from what its pages show, and done by itself at dividers where wished."""

from collections.abc import Collection, Sequence
from itertools import groupby

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.operations import Cut
from papiermappe.core.order.cut_evidence import PageFacts
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.cuts import ProposedCuts, propose_cuts
from papiermappe.core.order.dividers import CodeUse
from papiermappe.message import Message
from papiermappe.services.caller import MACHINE, Caller, locked_mappe, visible_mappe
from papiermappe.services.code_rules import rules_in
from papiermappe.services.journal import arrange_for
from papiermappe.services.pages import analysis_of, page_facts, pages_of, size_mm_of, treatment_of
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, JournalChange, Page, Run


class CutProposed(BaseModel):
    """A document that would begin with a sheet."""

    page: int
    """The first one on it."""
    reasons: list[Message]
    name: str
    sure: bool


class CutsProposed(BaseModel):
    """How a Mappe would fall into documents."""

    cuts: list[CutProposed]
    aside: list[int]
    """Pages that only divide, and would be set aside."""
    unread: int
    """How many pages have not been read yet: what is printed on them does not count so far."""

    def operation(self) -> Cut:
        """Return what makes these documents."""
        return Cut(
            pages=tuple(cut.page for cut in self.cuts),
            names=tuple(cut.name for cut in self.cuts),
            only=True,
            aside=tuple(self.aside),
        )


def proposed_cuts(caller: Caller, store: Store, mappe_id: int, rule: CutRule, every: int) -> CutsProposed:
    """Return how a Mappe would fall into documents. Names that documents have already are kept.

    Args:
        caller: who asks.
        store: of the Mappe.
        mappe_id: of the Mappe.
        rule: by what it is cut.
        every: sheets or pages a document, for the rules that count.

    Raises:
        NotFound: the Mappe is not there.
    """
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        return _proposed(session, pages_of(session, mappe_id), rule, every)


def cut_by_itself(store: Store, run_id: int) -> None:
    """Cut a Mappe at the dividers that a run has brought in, where its ticket says so."""
    with store.begin() as session:
        run = session.get(Run, run_id)
        wished = run is not None and run.ticket is not None and bool(run.ticket.get("cut_at_dividers"))
    if wished:
        _cut(MACHINE, store, run_id)


@transaction
def _cut(caller: Caller, session: Session, run_id: int) -> None:
    run = session.get_one(Run, run_id)
    mappe = locked_mappe(caller, session, run.mappe_id)
    found = _proposed(session, pages_of(session, mappe.id), CutRule.DIVIDERS, 1)
    brought = set(session.scalars(select(Page.id).join(Page.capture).where(Capture.run_id == run_id)))
    if _has_been_cut(session, brought):
        return
    cuts = [cut for cut in found.cuts if cut.page in brought and (cut.reasons or cut.name)]
    aside = brought.intersection(found.aside)
    if cuts or aside:
        pages, names = tuple(cut.page for cut in cuts), tuple(cut.name for cut in cuts)
        arrange_for(session, mappe, Cut(pages=pages, names=names, aside=tuple(sorted(aside))), run.author)


def _has_been_cut(session: Session, pages: Collection[int]) -> bool:
    """Return whether documents have been begun at some of the pages, though perhaps no more: then a person decides."""
    cut = JournalChange.page_id.in_(pages), JournalChange.after.has_key("begins")
    return session.scalar(select(JournalChange.seq).where(*cut).limit(1)) is not None


def _proposed(session: Session, pages: Sequence[Page], rule: CutRule, every: int) -> CutsProposed:
    """Propose cuts for all pages of a Mappe, in reading order."""
    rules = rules_in(session)
    facts = {
        page.id: page_facts(page, size_mm_of(page, treatment_of(page)), analysis_of(page), rules) for page in pages
    }
    sheets = [list(sheet) for _, sheet in groupby(pages, key=lambda page: page.rank)]
    counted = [sheet for sheet in sheets if _counts(sheet, facts, rule)]
    lying = [[page for page in sheet if not page.set_aside] or sheet for sheet in counted]
    found = propose_cuts([[facts[page.id] for page in sheet] for sheet in lying], rule, every)
    kept = {sheet[0].rank: next((page.begins for page in sheet if page.begins), "") for sheet in sheets}
    shown = [page for sheet in lying for page in sheet if not page.set_aside]
    return CutsProposed(
        cuts=[
            CutProposed(
                page=lying[cut.sheet][0].id,
                reasons=[Message(code=f"cut_{reason.value}") for reason in cut.reasons],
                name=kept[lying[cut.sheet][0].rank] or cut.name,
                sure=cut.sure,
            )
            for cut in found.cuts
        ],
        aside=_aside(lying, found),
        unread=0 if rule in _NEEDS_NO_TEXT else sum(not facts[page.id].known for page in shown),
    )


_NEEDS_NO_TEXT = {CutRule.SHEETS, CutRule.PAGES, CutRule.BLANK, CutRule.DIVIDERS}


def _counts(sheet: Sequence[Page], facts: dict[int, PageFacts], rule: CutRule) -> bool:
    """Return whether a sheet counts: it lies in the document, or an earlier cut has set it aside as it only divides."""
    if not all(page.set_aside for page in sheet):
        return True
    if rule is CutRule.BLANK:
        return all(facts[page.id].blank for page in sheet)
    if rule not in {CutRule.PAGES_SHOW, CutRule.DIVIDERS}:
        return False
    meanings = [facts[page.id].meaning for page in sheet]
    return any(meaning is not None and meaning.use is CodeUse.DIVIDER for meaning in meanings)


def _aside(lying: Sequence[Sequence[Page]], found: ProposedCuts) -> list[int]:
    return [page.id for at in found.aside for page in lying[at] if not page.set_aside]
