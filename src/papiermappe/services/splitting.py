"""Spreads split into two pages."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.analysis import Analysis
from papiermappe.core.operations import Halves, SplitSpreads
from papiermappe.core.operations.splitting import half_treatment, has_two_sides
from papiermappe.core.treatment import Treatment
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.errors import NotPossible
from papiermappe.services.journal import record
from papiermappe.services.pages import analysis_of, page_state
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Mappe, Page, Run


@transaction
def split_spreads(
    caller: Caller, session: Session, mappe_id: int, pages: Sequence[int], seen: int, *, right_to_left: bool = False
) -> int:
    """Split pages along their gutters: as somebody has drawn them, or else as they were found.

    Pages without a gutter stay as they are. Each page that comes of it is examined by itself.

    Args:
        caller: who asks.
        session: of the transaction.
        mappe_id: in which they are.
        pages: to be split.
        seen: the newest change that the author knew.
        right_to_left: the right page is read first.

    Returns:
        The number of the new journal entry.

    Raises:
        NotFound: the Mappe is not there.
        NotPossible: none of the pages has a gutter.
        ChangedMeanwhile: somebody else has moved one of them since `seen`.
    """
    mappe = locked_mappe(caller, session, mappe_id)
    entry = _split(caller, session, mappe, pages, seen, right_to_left=right_to_left)
    if entry is None:
        raise NotPossible("no_gutter")
    return entry


def split_by_itself(store: Store, run_id: int) -> None:
    """Split the pages of an open book that a camera has brought in, where that was asked for."""
    with store.begin() as session:
        run = session.get(Run, run_id)
        wished = run is not None and run.open_book and not run.state.live
    if wished:
        _split_run(MACHINE, store, run_id)


@transaction
def _split_run(caller: Caller, session: Session, run_id: int) -> None:
    run = session.get_one(Run, run_id)
    mappe = locked_mappe(caller, session, run.mappe_id)
    session.refresh(run)
    if not run.open_book:
        return
    run.open_book = False  # once: what is taken back stays so
    brought = session.scalars(
        select(Page).join(Page.capture).where(Capture.run_id == run_id, Page.mappe_id == mappe.id)
    )
    sure = [page.id for page in brought if (found := analysis_of(page)) and found.is_surely_spread]
    _split(Caller(run.author), session, mappe, sure, mappe.change)


def _split(
    caller: Caller, session: Session, mappe: Mappe, pages: Sequence[int], seen: int, *, right_to_left: bool = False
) -> int | None:
    """Split pages of a locked Mappe as `split_spreads` does; None where none of them has a gutter."""
    lying = select(Page).where(Page.mappe_id == mappe.id, Page.id.in_(pages), ~Page.set_aside)
    known = [(page, page_state(page, with_capture=True)) for page in session.scalars(lying)]
    spreads = [(page, state) for page, state in known if has_two_sides(state)]
    if not spreads:
        return None
    sides = (True, False) if right_to_left else (False, True)
    made = [tuple(half_page(page, half_treatment(state, right=right)) for right in sides) for page, state in spreads]
    session.add_all(half for pair in made for half in pair)
    session.flush()
    operation = SplitSpreads(
        pages=tuple(page.id for page, _ in spreads),
        halves=tuple(
            Halves(spread=page.id, first=first.id, second=second.id)
            for (page, _), (first, second) in zip(spreads, made, strict=True)
        ),
    )
    return record(caller, session, {mappe.id: mappe}, operation, seen)


def half_page(spread: Page, treatment: Treatment, analysis: Analysis | None = None) -> Page:
    """Return a new page for one side of a spread; it lies nowhere yet.

    Args:
        spread: of which it is a page.
        treatment: that makes it.
        analysis: of it, where it has been examined already.
    """
    return Page(
        capture_id=spread.capture_id,
        rank=spread.rank,
        side=spread.side,
        treatment=treatment.model_dump(mode="json"),
        analysis=analysis.model_dump(mode="json") if analysis else None,
        revision=spread.revision,
        content_revision=spread.revision,
    )
