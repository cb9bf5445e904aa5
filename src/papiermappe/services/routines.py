"""Routines: operations kept under names; and what was done to a Mappe, as the steps of a new one."""

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import NamedTuple

from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.naming.names import one_line
from papiermappe.core.operations import JOURNALED, RunRoutine, SplitSpreads
from papiermappe.core.operations.drafting import DraftStep, draft
from papiermappe.core.operations.steps import MAX_STEPS, RoutineFile, Step, Steps, read_routine
from papiermappe.services.caller import Caller, visible_mappe
from papiermappe.services.errors import NotFound
from papiermappe.services.kept_names import KeptNames
from papiermappe.services.pages import page_state, pages_of
from papiermappe.services.transaction import transaction
from papiermappe.services.undoing import undone_by_of
from papiermappe.store.database import Store
from papiermappe.store.models import EntryKind, JournalEntry, JournalMappe, Page, Routine

NAMES = KeptNames(Routine, limit=60)
_STEPS: TypeAdapter[tuple[Step, ...]] = TypeAdapter(Steps)


class KeptRoutine(NamedTuple):
    """Steps under a name."""

    id: int
    name: str
    steps: tuple[Step, ...]


def list_routines(_: Caller, store: Store) -> list[KeptRoutine]:
    """Return all routines, by their names."""
    with store.begin() as session:
        rows = session.scalars(select(Routine).where(Routine.removed_at.is_(None)).order_by(Routine.name)).all()
    return [_kept(row) for row in rows]


def routine(_: Caller, store: Store, routine_id: int) -> KeptRoutine:
    """Return a routine. Raises NotFound."""
    with store.begin() as session:
        return _kept(_there(session, routine_id))


@transaction
def keep_routine(_: Caller, session: Session, name: str, steps: Sequence[Step]) -> int:
    """Keep steps under a new name; return the routine. Raises NotPossible."""
    return _add(session, NAMES.free(session, name), steps)


@transaction
def change_routine(_: Caller, session: Session, routine_id: int, name: str, steps: Sequence[Step]) -> None:
    """Give a routine other steps, or another name. Raises NotFound, NotPossible."""
    row = _there(session, routine_id, lock=True)
    row.name = NAMES.free(session, name, besides=routine_id)
    row.steps = _as_json(steps)
    NAMES.flush(session, row.name)


@transaction
def remove_routine(_: Caller, session: Session, routine_id: int) -> None:
    """Remove a routine; it can be taken back. Raises NotFound."""
    _there(session, routine_id, lock=True).removed_at = datetime.now(UTC)


@transaction
def take_routine_back(_: Caller, session: Session, routine_id: int) -> None:
    """Take back a routine that was removed; where its name is taken by now, with a number. Raises NotFound."""
    row = session.get(Routine, routine_id, with_for_update=True)
    if row is None:
        raise NotFound("routine_gone")
    if row.removed_at is not None:
        row.name, row.removed_at = NAMES.numbered(session, row.name), None
    NAMES.flush(session, row.name)


def routine_file(caller: Caller, store: Store, routine_id: int) -> RoutineFile:
    """Return a routine as a file. Raises NotFound."""
    kept = routine(caller, store, routine_id)
    return RoutineFile(name=kept.name, steps=kept.steps)


@transaction
def import_routine(_: Caller, session: Session, data: bytes) -> int:
    """Keep the routine of a file, where its name is taken, with a number; return it. Raises RoutineRefused."""
    file = read_routine(data)
    return _add(session, NAMES.numbered(session, one_line(file.name) or "?"), file.steps)


def draft_of(caller: Caller, store: Store, mappe_id: int) -> list[DraftStep]:
    """Return what was done to a Mappe since it was scanned, and stands, as steps. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        stands = select(JournalEntry.operation).join(JournalMappe, JournalMappe.seq == JournalEntry.seq)
        stands = stands.where(
            JournalMappe.mappe_id == mappe_id,
            JournalEntry.kind == EntryKind.DO,
            JournalEntry.operation.is_not(None),
            undone_by_of(JournalEntry.seq).is_(None),
        )
        done = [JOURNALED.validate_python(said) for said in session.scalars(stands.order_by(JournalEntry.seq))]
        pages = [page_state(page, with_capture=True) for page in pages_of(session, mappe_id) if not page.set_aside]
        splits = [one.split if isinstance(one, RunRoutine) else one for one in done]
        spreads = {pair.spread for one in splits if isinstance(one, SplitSpreads) for pair in one.halves}
        gone = session.scalars(select(Page).where(Page.id.in_(spreads)))
        return draft(done, pages, {page.id: page_state(page, with_capture=True) for page in gone})[:MAX_STEPS]


def _kept(row: Routine) -> KeptRoutine:
    return KeptRoutine(row.id, row.name, _STEPS.validate_python(row.steps))


def _add(session: Session, name: str, steps: Sequence[Step]) -> int:
    row = Routine(name=name, steps=_as_json(steps))
    session.add(row)
    NAMES.flush(session, name)
    return row.id


def _as_json(steps: Sequence[Step]) -> list[dict[str, object]]:
    return [step.model_dump(mode="json") for step in steps]


def _there(session: Session, routine_id: int, *, lock: bool = False) -> Routine:
    row = session.get(Routine, routine_id, with_for_update=lock)
    if row is None or row.removed_at is not None:
        raise NotFound("routine_gone")
    return row
