"""Routines on the desk: kept, run and tried on PostgreSQL, as one entry of the journal."""

from collections.abc import Callable, Sequence
from typing import Any

import pytest
from tests.helpers import ANNA, BEN, Drawer, analyse_all, desk, do, here, redo, scan_booklet, undo

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import AlignMargins, SetAside, SetTone, Turn
from papiermappe.core.operations.steps import RoutineRefused, Step, StepScope
from papiermappe.core.order.places import Side
from papiermappe.core.treatment import Tone
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Colour, Sides, Source, TicketSettings
from papiermappe.services import devices, mappen, routines, running_routines, runs, trying_routines
from papiermappe.services.comparing import compare_run
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.receiving import receive
from papiermappe.services.routine_runs import RoutineWanted
from papiermappe.services.running_routines import RoutineRan
from papiermappe.services.splitting import split_spreads
from papiermappe.services.trying_routines import RoutineTried
from papiermappe.store.database import Store

FROM_GLASS = TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=150, colour=Colour.GREY)
GREY = Step(does={"kind": "set_tone", "tone": "grey"})
UPSIDE_DOWN = Step(does={"kind": "turn", "quarter_turns": 2}, on=StepScope.BACKS)
BOOKLET = (
    GREY,
    Step(does={"kind": "split"}, on=StepScope.SPREADS),
    Step(does={"kind": "align_margins", "across": "inner"}),
)


@pytest.fixture
def booklet(store: Store, drawer: Drawer) -> Callable[..., int]:
    """Scan the cover and two spreads of a booklet from the glass; return the Mappe."""
    kiebitz = devices.add_device(ANNA, store, drawer.escl("kiebitz"), Limits())

    def scan(ticket: TicketSettings = FROM_GLASS) -> int:
        drawer.lay("handbook", into="kiebitz", where="glass")
        return scan_booklet(store, kiebitz, ticket)

    return scan


@pytest.fixture
def mappe(store: Store, drawer: Drawer) -> int:
    """A Mappe with three sheets, both sides."""
    device = devices.add_device(ANNA, store, drawer.escl("zaunkoenig"), Limits())
    number = mappen.open_mappe(ANNA, store, "Leases")
    drawer.lay("lease")
    run = runs.start_run(ANNA, store, number, device, TicketSettings(dpi=100))
    receive(store, run, Limits())
    analyse_all(store, number)
    return number


def wanted(store: Store, mappe: int, steps: Sequence[Step], pages: Sequence[int] | None = None) -> RoutineWanted:
    """Return a request to run steps on pages, on all where none are named."""
    return RoutineWanted(name="Everyday", steps=tuple(steps), pages=tuple(pages or desk(store, mappe).order))


def run(
    store: Store, mappe: int, steps: Sequence[Step], pages: Sequence[int] | None = None, seen: int | None = None
) -> RoutineRan:
    """Ask for a routine as Anna, do its job twice as after a crash, and return how it ended."""
    asked = wanted(store, mappe, steps, pages)
    known = desk(store, mappe).cursor if seen is None else seen
    name = running_routines.request_routine(ANNA, store, mappe, asked, known)
    assert not running_routines.routine_ran(ANNA, store, mappe, name).over
    for _ in range(2):
        running_routines.run_routine(store, mappe, name, asked, ANNA.author, known, here, DEFAULT_LIMIT_PX)
    return running_routines.routine_ran(ANNA, store, mappe, name)


def attempt(store: Store, mappe: int, steps: Sequence[Step]) -> tuple[str, RoutineTried]:
    """Ask for a trial, do its job, and return what it shows."""
    asked = wanted(store, mappe, steps)
    name = trying_routines.request_trial(ANNA, store, mappe, asked)
    assert not trying_routines.routine_tried(ANNA, store, mappe, name).over
    trying_routines.try_routine(store, mappe, name, asked, here, DEFAULT_LIMIT_PX)
    return name, trying_routines.routine_tried(ANNA, store, mappe, name)


# ---- kept


def test_a_routine_is_kept_changed_removed_and_taken_back(store: Store) -> None:
    kept = routines.keep_routine(ANNA, store, " Everyday  papers ", (GREY,))
    routines.change_routine(BEN, store, kept, "Everyday papers", (GREY, UPSIDE_DOWN))
    routines.change_routine(BEN, store, kept, "All papers", (UPSIDE_DOWN, GREY))
    assert routines.list_routines(ANNA, store) == [(kept, "All papers", (UPSIDE_DOWN, GREY))]
    routines.remove_routine(ANNA, store, kept)
    assert routines.list_routines(ANNA, store) == []
    with pytest.raises(NotFound, match="routine_gone"):
        routines.change_routine(ANNA, store, kept, "All papers", (GREY,))
    other = routines.keep_routine(ANNA, store, "All papers", (GREY,))
    routines.take_routine_back(ANNA, store, kept)
    assert [(row.id, row.name) for row in routines.list_routines(ANNA, store)] == [
        (other, "All papers"),
        (kept, "All papers 2"),
    ]


def test_names_are_there_once_and_have_letters(store: Store) -> None:
    kept = routines.keep_routine(ANNA, store, "Everyday", (GREY,))
    for name, code in (
        ("Everyday", "routine_name_taken"),
        ("  ", "routine_name_length"),
        ("x" * 61, "routine_name_length"),
    ):
        with pytest.raises(NotPossible, match=code):
            routines.keep_routine(ANNA, store, name, (GREY,))
    routines.keep_routine(ANNA, store, "Other", (GREY,))
    with pytest.raises(NotPossible, match="routine_name_taken"):
        routines.change_routine(ANNA, store, kept, "Other", (GREY,))


def test_a_routine_goes_out_as_a_file_and_comes_back_beside_itself(store: Store) -> None:
    kept = routines.keep_routine(ANNA, store, "Everyday", (GREY, UPSIDE_DOWN))
    file = routines.routine_file(ANNA, store, kept)
    again = routines.import_routine(BEN, store, file.to_json().encode())
    assert [(row.id, row.name, row.steps) for row in routines.list_routines(ANNA, store)] == [
        (kept, "Everyday", (GREY, UPSIDE_DOWN)),
        (again, "Everyday 2", (GREY, UPSIDE_DOWN)),
    ]
    with pytest.raises(RoutineRefused):
        routines.import_routine(BEN, store, b"%PDF-1.7")
    assert len(routines.list_routines(ANNA, store)) == 2


# ---- what was done, as steps


def test_what_was_done_and_stands_becomes_steps(store: Store, mappe: int) -> None:
    """Not what was undone, nor where pages were laid."""
    order = desk(store, mappe).order
    do(store, mappe, SetTone(pages=tuple(order), tone=Tone.GREY))
    do(store, mappe, Turn(pages=tuple(order), quarter_turns=1))
    undo(store, mappe)
    do(store, mappe, SetAside(pages=(order[-1],)))
    do(store, mappe, Turn(pages=(order[0],), quarter_turns=2), caller=BEN)
    steps = [
        (one.step.does["kind"], one.step.on, one.pages, one.typical) for one in routines.draft_of(ANNA, store, mappe)
    ]
    assert steps == [("set_tone", StepScope.ALL, 6, True), ("turn", StepScope.FIRST, 1, True)]


def test_a_booklet_made_good_gives_the_routine_for_the_next(store: Store, booklet: Callable[..., int]) -> None:
    first = booklet()
    order = desk(store, first).order
    do(store, first, SetTone(pages=tuple(order), tone=Tone.GREY))
    split_spreads(ANNA, store, first, order, desk(store, first).cursor)
    analyse_all(store, first)
    do(store, first, AlignMargins(pages=tuple(desk(store, first).order), across="inner"))
    steps = [one.step for one in routines.draft_of(ANNA, store, first) if one.typical]
    assert steps == list(BOOKLET)
    second = booklet()
    ran = run(store, second, steps)
    assert (ran.refused, ran.pages) == (None, 5)
    as_one = [treatment.margins for treatment in desk(store, second).treatments()]
    assert as_one == [pytest.approx(treatment.margins, abs=0.3) for treatment in desk(store, first).treatments()]
    shapes = [[(front is None, back is None) for front, back in desk(store, one).lanes] for one in (first, second)]
    assert shapes[0] == shapes[1]


# ---- run


def test_a_routine_is_one_entry_and_one_undo(store: Store, mappe: int) -> None:
    ran = run(store, mappe, (GREY, UPSIDE_DOWN))
    now = desk(store, mappe)
    backs = [page.side is Side.BACK for page in now.pages]
    assert [treatment.tone for treatment in now.treatments()] == [Tone.GREY] * 6
    assert [treatment.quarter_turns == 2 for treatment in now.treatments()] == backs
    assert (ran.entry, ran.pages, ran.misfits) == (now.cursor, 6, [])
    assert now.undo == "Routine “Everyday” on 6 pages"
    undo(store, mappe)
    assert {treatment.tone for treatment in desk(store, mappe).treatments()} == {Tone.AS_SCANNED}
    redo(store, mappe)
    assert {treatment.tone for treatment in desk(store, mappe).treatments()} == {Tone.GREY}


def test_a_booklet_is_split_examined_and_lined_up_in_one_entry(store: Store, booklet: Callable[..., int]) -> None:
    mappe = booklet()
    cover, *spreads = desk(store, mappe).order
    ran = run(store, mappe, (BOOKLET[0], Step(does={"kind": "split"}), BOOKLET[2]))
    now = desk(store, mappe)
    assert [sides.count(None) for sides in now.lanes] == [0, 0, 1]
    assert all(page.analysed for page in now.pages)
    assert [treatment.tone for treatment in now.treatments()] == [Tone.GREY] * 5
    assert all(treatment.crop and treatment.straighten for treatment in now.treatments())
    assert any(treatment.margins != (0.0, 0.0) for treatment in now.treatments())
    assert [(misfit.step, misfit.pages, misfit.reason.code) for misfit in ran.misfits] == [
        (2, [cover], "misfit_no_gutter")
    ]
    assert now.undo == "Routine “Everyday” on 3 pages; not every step fitted"
    undo(store, mappe)
    assert desk(store, mappe).order == [cover, *spreads]


def test_what_somebody_changes_meanwhile_is_not_overwritten(store: Store, mappe: int) -> None:
    """The tone of one page by Ben: Anna's routine changes nothing, and says so; a turn is another field."""
    order, seen = desk(store, mappe).order, desk(store, mappe).cursor
    do(store, mappe, SetTone(pages=(order[2],), tone=Tone.WHITE), caller=BEN)
    ran = run(store, mappe, (UPSIDE_DOWN, GREY), seen=seen)
    assert ran.refused is not None
    assert ran.refused.code == "changed_meanwhile"
    assert [treatment.quarter_turns for treatment in desk(store, mappe).treatments()] == [0] * 6
    assert run(store, mappe, (UPSIDE_DOWN,), seen=seen).pages == 3


def test_a_routine_that_changes_nothing_leaves_no_trace(store: Store, mappe: int) -> None:
    before = desk(store, mappe).cursor
    ran = run(store, mappe, (Step(does={"kind": "set_tone", "tone": "as_scanned"}),))
    assert (ran.entry, ran.pages, ran.refused, desk(store, mappe).cursor) == (None, 0, None, before)


def test_pages_of_another_mappe_are_not_touched(store: Store, mappe: int) -> None:
    other = mappen.open_mappe(ANNA, store, "Other")
    ran = run(store, other, (GREY,), desk(store, mappe).order)
    assert ran.refused is not None
    assert ran.refused.code == "routine_no_pages"
    assert {treatment.tone for treatment in desk(store, mappe).treatments()} == {Tone.AS_SCANNED}


def test_a_mappe_cleared_meanwhile_is_said_to_be_gone(store: Store, mappe: int) -> None:
    asked, known = wanted(store, mappe, (GREY,)), desk(store, mappe).cursor
    name = running_routines.request_routine(ANNA, store, mappe, asked, known)
    mappen.clear(ANNA, store, mappe)
    running_routines.run_routine(store, mappe, name, asked, ANNA.author, known, here, DEFAULT_LIMIT_PX)
    mappen.take_back(ANNA, store, mappe)
    ran = running_routines.routine_ran(ANNA, store, mappe, name)
    assert ran.refused is not None
    assert ran.refused.code == "mappe_gone"


def test_a_job_that_is_lost_is_said_to_be(store: Store, mappe: int) -> None:
    assert running_routines.routine_ran(ANNA, store, mappe, "0" * 32).refused is not None
    assert trying_routines.routine_tried(ANNA, store, mappe, "0" * 32).refused is not None


# ---- tried


def test_a_trial_shows_three_pages_and_changes_nothing(store: Store, mappe: int) -> None:
    before = desk(store, mappe)
    name, tried = attempt(store, mappe, (GREY, UPSIDE_DOWN))
    order = before.order
    assert [page.page for page in tried.pages] == [order[0], order[3], order[-1]]
    assert (tried.changed, tried.misfits, desk(store, mappe).cursor) == (6, [], before.cursor)
    for page in tried.pages:
        (shown,) = page.pictures
        jpeg = trying_routines.tried_picture(ANNA, store, mappe, name, shown.picture)
        assert jpeg.startswith(b"\xff\xd8")
        with pytest.raises(NotFound):
            trying_routines.tried_picture(ANNA, store, mappe, name, "0" * 32)


def test_a_trial_of_a_booklet_shows_both_pages_of_a_spread(store: Store, booklet: Callable[..., int]) -> None:
    """They look as they will: the pictures that the trial has made are those of the pages then."""
    mappe = booklet()
    _, tried = attempt(store, mappe, (BOOKLET[0], Step(does={"kind": "split"})))
    assert [len(page.pictures) for page in tried.pages] == [1, 2, 2]
    assert [misfit.reason.code for misfit in tried.misfits] == ["misfit_no_gutter"]
    assert len(desk(store, mappe).order) == 3
    run(store, mappe, (BOOKLET[0], Step(does={"kind": "split"})))
    shown = [picture.picture for page in tried.pages for picture in page.pictures]
    assert shown == [page.picture for page in desk(store, mappe).pages]


# ---- as a ticket has it


def _job_of(store: Store, monkeypatch: pytest.MonkeyPatch) -> list[dict[str, Any]]:
    """Return a list that fills with the jobs for routines that are enqueued."""
    jobs: list[dict[str, Any]] = []

    def keep(_: object, kind: object, **arguments: Any) -> None:
        jobs.append({"kind": kind, **arguments})

    monkeypatch.setattr(running_routines, "enqueue", keep)
    return jobs


def test_a_ticket_runs_its_routine_once_all_pages_are_in(
    store: Store, booklet: Callable[..., int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Once, however often the run is looked through; whoever scanned takes it back."""
    jobs = _job_of(store, monkeypatch)
    kept = routines.keep_routine(ANNA, store, "Handbook spreads", BOOKLET)
    mappe = booklet(FROM_GLASS.model_copy(update={"routine": kept}))
    run_id = desk(store, mappe).view.runs[-1].id
    compare_run(store, run_id, here, DEFAULT_LIMIT_PX)
    (job,) = jobs
    asked = RoutineWanted.model_validate(job["wanted"])
    running_routines.run_routine(store, mappe, job["name"], asked, job["author"], job["seen"], here, DEFAULT_LIMIT_PX)
    assert len(desk(store, mappe).order) == 5
    assert desk(store, mappe).undo == "Routine “Handbook spreads” on 3 pages"
    compare_run(store, run_id, here, DEFAULT_LIMIT_PX)
    undo(store, mappe)
    compare_run(store, run_id, here, DEFAULT_LIMIT_PX)
    assert len(jobs) == 1


def test_a_ticket_turns_pages_once_though_the_run_is_looked_through_twice(
    store: Store, booklet: Callable[..., int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Both times before the routine has been run."""
    jobs = _job_of(store, monkeypatch)
    kept = routines.keep_routine(ANNA, store, "Turn", (Step(does={"kind": "turn", "quarter_turns": 1}),))
    mappe = booklet(FROM_GLASS.model_copy(update={"routine": kept}))
    before = [treatment.quarter_turns for treatment in desk(store, mappe).treatments()]
    for _ in range(2):
        compare_run(store, desk(store, mappe).view.runs[-1].id, here, DEFAULT_LIMIT_PX)
    for job in jobs:
        asked = RoutineWanted.model_validate(job["wanted"])
        running_routines.run_routine(
            store, mappe, job["name"], asked, job["author"], job["seen"], here, DEFAULT_LIMIT_PX
        )
    after = [treatment.quarter_turns for treatment in desk(store, mappe).treatments()]
    assert after == [(turns + 1) % 4 for turns in before]


def test_a_routine_of_a_ticket_that_cannot_be_run_is_told_in_the_history(
    store: Store, booklet: Callable[..., int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A colleague has changed the tone of a page before the routine came to it."""
    jobs = _job_of(store, monkeypatch)
    kept = routines.keep_routine(ANNA, store, "Grey", (GREY,))
    mappe = booklet(FROM_GLASS.model_copy(update={"routine": kept}))
    compare_run(store, desk(store, mappe).view.runs[-1].id, here, DEFAULT_LIMIT_PX)
    do(store, mappe, SetTone(pages=(desk(store, mappe).order[0],), tone=Tone.WHITE), caller=BEN)
    (job,) = jobs
    asked = RoutineWanted.model_validate(job["wanted"])
    running_routines.run_routine(store, mappe, job["name"], asked, job["author"], job["seen"], here, DEFAULT_LIMIT_PX)
    assert desk(store, mappe).history[0].startswith("The routine “Grey” of the ticket was not run: Someone else has")
    assert [treatment.tone for treatment in desk(store, mappe).treatments()] == [Tone.WHITE, *[Tone.AS_SCANNED] * 2]


def test_a_ticket_whose_routine_is_gone_runs_none(
    store: Store, booklet: Callable[..., int], monkeypatch: pytest.MonkeyPatch
) -> None:
    jobs = _job_of(store, monkeypatch)
    removed = routines.keep_routine(ANNA, store, "Grey", (GREY,))
    routines.remove_routine(ANNA, store, removed)
    for routine in (removed, 4711):
        mappe = booklet(FROM_GLASS.model_copy(update={"routine": routine}))
        compare_run(store, desk(store, mappe).view.runs[-1].id, here, DEFAULT_LIMIT_PX)
    assert jobs == []
