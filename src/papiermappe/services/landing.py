"""Finding the place of each capture of a run: at the Mappe's end, before a sheet, as a back, or instead of a page."""

from decimal import Decimal
from typing import NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from papiermappe.core.order.landing import LANDING, Again, Backs, BacksOrder, Before, Landing
from papiermappe.core.order.places import Side, ranks_between
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.pages import in_turn
from papiermappe.store.models import Capture, IncomingFile, Page, Run


class Spot(NamedTuple):
    """Where a new page lies."""

    rank: Decimal
    side: Side


def landing_of(run: Run) -> Landing | None:
    """Return where the pages of a run land; None: at the Mappe's end."""
    return LANDING.validate_python(run.landing) if run.landing else None


def must_be_there(session: Session, mappe_id: int, landing: Landing | None) -> None:
    """Check that the pages by which a run lands lie in its Mappe. Raises NotFound."""
    match landing:
        case Before(page=page):
            named = {page}
        case Again(pages=pages):
            named = set(pages)
        case Backs(fronts=fronts):
            named = set(fronts)
        case None:
            return
    there = select(func.count()).where(Page.id.in_(list(named)), Page.mappe_id == mappe_id)
    if session.scalar(there) != len(named):
        raise NotFound("page_gone")


def backs_of(session: Session, run: Run, order: BacksOrder) -> Backs:
    """Return the landing of the backs of a one-sided run, and of the runs that it continued after a jam.

    Raises:
        NotPossible: no front of it lies in its Mappe.
    """
    fronts = select(Page).join(Page.capture).where(Page.mappe_id == run.mappe_id, Page.side == Side.FRONT)
    fronts = fronts.where(Capture.run_id.in_(chain_of(session, run)), ~Page.set_aside).order_by(Capture.run_id)
    in_order = [page.id for page in session.scalars(in_turn(fronts))]
    if not in_order:
        raise NotPossible("no_fronts", run=run.number)
    return Backs(fronts=tuple(in_order), order=order)


def chain_of(session: Session, run: Run) -> list[int]:
    """Return a run and the runs that it continued after they were interrupted, by their ids, the newest first."""
    chain = [run.id]
    first, number = run.first_sheet, run.number
    while first > 1:
        earlier = select(Run).where(Run.mappe_id == run.mappe_id, Run.number < number).order_by(Run.number.desc())
        before = session.scalar(earlier.limit(1))
        if before is None:
            break
        chain.append(before.id)
        first, number = before.first_sheet, before.number
    return chain


def replaced_page(session: Session, run: Run, sheet: int, side: Side, is_two_sided: bool) -> Page | None:
    """Return the page that a capture replaces; None if it becomes a page of its own.

    Args:
        session: of the transaction.
        run: the run.
        sheet: of the capture, from 1.
        side: of the capture.
        is_two_sided: whether both sides of sheets are scanned.
    """
    landing = landing_of(run)
    if not isinstance(landing, Again):
        return None
    number = (sheet - 1) * 2 + (side is Side.BACK) if is_two_sided else sheet - 1
    page = session.get(Page, landing.pages[number]) if number < len(landing.pages) else None
    return page if page and page.mappe_id == run.mappe_id else None


def page_replaced_by_file(session: Session, run: Run, file_name: str, number: int) -> Page | None:
    """Return the page that a page of a file replaces; None if it becomes a page of its own."""
    if number > 1:
        return None
    of_run = IncomingFile.run_id == run.id, IncomingFile.name == file_name
    page_id, file_id = session.execute(
        select(IncomingFile.again_page_id, IncomingFile.again_file_id).where(*of_run)
    ).one()
    again = select(Page).where(Page.mappe_id == run.mappe_id)
    if page_id is not None:
        return session.scalar(again.where(Page.id == page_id))
    if file_id is None:
        return None
    earlier = session.get_one(IncomingFile, file_id)
    of_earlier = Capture.run_id == earlier.run_id, Capture.file_name == earlier.name
    return session.scalar(again.join(Page.capture).where(*of_earlier).order_by(Page.id).limit(1))


def spot_of(session: Session, run: Run, sheet: int, side: Side) -> Spot:
    """Return where a capture becomes a page: a back beside its own front where that is in the Mappe without a back."""
    if side is Side.BACK and (front := page_at(session, run.id, sheet, Side.FRONT)):
        beside = _beside(session, run, front)
        if beside is not None:
            return beside
    match landing_of(run):
        case Before(page=page):
            return Spot(_rank_before(session, run, page), side)
        case Again(pages=pages):
            return Spot(_rank_behind(session, run, pages[-1]), side)
        case Backs() as backs:
            return _spot_of_back(session, run, backs, sheet - 1)
        case None:
            return Spot(_rank_at_end(session, run), side)


def spot_of_file_page(session: Session, run: Run, file_name: str, page: int) -> Spot:
    """Return where a page of a file becomes a page: behind those of files before it, before those of files after it."""
    file = session.execute(
        select(IncomingFile.number, IncomingFile.both_sides).where(
            IncomingFile.run_id == run.id, IncomingFile.name == file_name
        )
    ).one()
    landing = landing_of(run)
    if isinstance(landing, Backs):
        come = session.scalar(select(func.count()).where(Capture.run_id == run.id)) or 0
        return _spot_of_back(session, run, landing, come)
    side = Side.BACK if file.both_sides and page % 2 == 0 else Side.FRONT
    if side is Side.BACK and (front := _page_of_file(session, run, file_name, page - 1)):
        beside = _beside(session, run, front)
        if beside is not None:
            return beside
    later = select(Page).join(Page.capture).join(IncomingFile, IncomingFile.name == Capture.file_name)
    later = later.where(IncomingFile.run_id == run.id, Capture.run_id == run.id, IncomingFile.number > file.number)
    ahead = session.scalar(later.where(Page.mappe_id == run.mappe_id).order_by(Page.rank).limit(1))
    return Spot(_rank_before(session, run, ahead.id) if ahead else _rank_at_end(session, run), side)


def _page_of_file(session: Session, run: Run, file_name: str, number: int) -> Page | None:
    here = select(Page).join(Page.capture)
    here = here.where(Capture.run_id == run.id, Capture.file_name == file_name, Capture.file_page == number)
    return session.scalar(here.limit(1))


def page_at(session: Session, run_id: int, sheet: int, side: Side) -> Page | None:
    """Return the page that a sheet's side has become."""
    here = select(Page).join(Page.capture).where(Capture.run_id == run_id, Capture.sheet == sheet, Capture.side == side)
    return session.scalar(here.order_by(Page.id).limit(1))


def _beside(session: Session, run: Run, front: Page) -> Spot | None:
    """Return the place of a front's back; None if the front is elsewhere, or has one."""
    if front.mappe_id != run.mappe_id:
        return None
    taken = select(Page.id).where(Page.mappe_id == run.mappe_id, Page.rank == front.rank, Page.side == Side.BACK)
    return Spot(front.rank, Side.BACK) if session.scalar(taken) is None else None


def _spot_of_back(session: Session, run: Run, backs: Backs, number: int) -> Spot:
    """Return the place of a back, from 0; where its front has gone or has a back, it lies alone behind it."""
    front_id = backs.front_of(number)
    if front_id is None:  # more backs than fronts: they lie on alone, where the next front would have been
        if backs.order is BacksOrder.AS_LAID:
            return Spot(_rank_behind(session, run, backs.fronts[-1]), Side.BACK)
        earlier = _lowest_of(session, run) if number > len(backs.fronts) else None
        return Spot(_rank_before(session, run, earlier or backs.fronts[0]), Side.BACK)
    front = session.get_one(Page, front_id)
    return _beside(session, run, front) or Spot(_rank_behind(session, run, front_id), Side.BACK)


def _lowest_of(session: Session, run: Run) -> int | None:
    """Return the page of a run that lies before all its others."""
    own = select(Page.id).join(Page.capture).where(Page.mappe_id == run.mappe_id, Capture.run_id == run.id)
    return session.scalar(own.order_by(Page.rank).limit(1))


def _rank_at_end(session: Session, run: Run) -> Decimal:
    last = session.scalar(select(func.max(Page.rank)).where(Page.mappe_id == run.mappe_id))
    return ranks_between(last or Decimal(0), None, 1)[0]


def _rank_before(session: Session, run: Run, page_id: int) -> Decimal:
    """Return a rank before the sheet of a page, after all that lie there already; at the end where that has gone."""
    page = session.get_one(Page, page_id)
    if page.mappe_id != run.mappe_id:
        return _rank_at_end(session, run)
    below = select(func.max(Page.rank)).where(Page.mappe_id == run.mappe_id, Page.rank < page.rank)
    return ranks_between(session.scalar(below), page.rank, 1)[0]


def _rank_behind(session: Session, run: Run, page_id: int) -> Decimal:
    """Return a rank behind the sheet of a page and what this run has laid behind it; at the end where it has gone."""
    page = session.get_one(Page, page_id)
    if page.mappe_id != run.mappe_id:
        return _rank_at_end(session, run)
    lying = select(func.min(Page.rank), func.max(Page.rank)).join(Page.capture).where(Page.mappe_id == run.mappe_id)
    foreign = lying.where(Page.rank > page.rank, Capture.run_id != run.id)
    above = session.execute(foreign).one()[0]
    own = lying.where(Page.rank >= page.rank)
    last = session.execute(own if above is None else own.where(Page.rank < above)).one()[1]
    return ranks_between(last, above, 1)[0]
