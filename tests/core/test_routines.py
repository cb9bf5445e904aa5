"""Routines: from what was done to the steps, steps run on other pages, and as files."""

import json
from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.curl import Curl
from papiermappe.core.operations import (
    Adjust,
    AlignMargins,
    CleanBorders,
    Crop,
    DrawnZone,
    Halves,
    Move,
    MoveSides,
    PageState,
    PutZones,
    RemoveZones,
    RunRoutine,
    SetPageSize,
    SetTone,
    SplitSpreads,
    Straighten,
    Turn,
    Uncurl,
    UseFound,
)
from papiermappe.core.operations.drafting import draft
from papiermappe.core.operations.replaying import Replayed, replay
from papiermappe.core.operations.steps import (
    MAX_FILE_BYTES,
    MAX_STEPS,
    RoutineFile,
    RoutineRefused,
    Step,
    StepScope,
    read_routine,
)
from papiermappe.core.order.places import Side
from papiermappe.core.treatment import MAX_ZONES, Cropping, Part, Straightening, Tone, Treatment
from papiermappe.core.zones import Zone, ZoneKind

MIDDLE = ((210.0, 0.0), (210.0, 297.0))
PRINT = ((30.0, 40.0), (180.0, 40.0), (180.0, 250.0), (30.0, 250.0))
HOLE = Zone(x_mm=5, y_mm=100, width_mm=8, height_mm=8)


def leaf(number: int, side: Side = Side.FRONT, **known: Any) -> PageState:
    """Return an A4 page in Mappe 1, at the rank of its number."""
    plain: dict[str, Any] = {"scan_mm": (210.0, 297.0), "printed_area": PRINT, **known}
    return PageState(number, 1, Decimal(number), side, False, plain.pop("treatment", Treatment()), 7, **plain)


def spread(number: int, confidence: float = 0.9) -> PageState:
    """Return two A4 pages beside each other, with a gutter between them."""
    return replace(leaf(number), scan_mm=(420.0, 297.0), found_gutter=MIDDLE, gutter_confidence=confidence)


def half(spread: PageState, right: bool) -> PageState:
    """Return a page of a spread, of ten or eleven times its number."""
    number = (11 if right else 10) * spread.id
    part = spread.treatment.model_copy(update={"part": Part(gutter=MIDDLE, right=right)})
    made = leaf(number, treatment=part, scan_mm=(420.0, 297.0), printed_area=_printed_on(right, number))
    return replace(made, mappe_id=None)


def halved(spreads: Sequence[PageState], right_to_left: bool) -> tuple[SplitSpreads, list[PageState]]:
    """Return how spreads are split, and their pages."""
    made = [(spread, *(half(spread, right) for right in (right_to_left, not right_to_left))) for spread in spreads]
    halves = tuple(Halves(spread=spread.id, first=first.id, second=second.id) for spread, first, second in made)
    split = SplitSpreads(pages=tuple(spread.id for spread in spreads), halves=halves)
    return split, [page for _, *pair in made for page in pair]


def _printed_on(right: bool, number: int) -> Any:
    """Return where print lies on a half: it jumps by up to 4 mm from page to page."""
    left, jump = (220.0 if right else 20.0), number % 5
    return ((left + jump, 30.0), (left + 150 + jump, 30.0), (left + 150 + jump, 250.0), (left + jump, 250.0))


def run(steps: Sequence[Step], pages: Sequence[PageState], wanted: Sequence[int] | None = None) -> Replayed:
    """Run steps on pages, on all where none are named."""
    return replay(steps, pages, [page.id for page in pages] if wanted is None else wanted, half)


def step(kind: str, scope: StepScope = StepScope.ALL, /, **does: Any) -> Step:
    """Return a step."""
    return Step(on=scope, does={"kind": kind, **does})


def wipe(*pages: int, name: str = "hole", zone: Zone = HOLE) -> PutZones:
    """Return a wipe of one area."""
    return PutZones(
        pages=pages, zones=(DrawnZone(name=name, does=ZoneKind.WIPE, zone=zone),), drawn_on_mm=(210.0, 297.0)
    )


# ---- steps


def test_a_step_names_no_pages_and_does_something_known() -> None:
    for does in ({"kind": "turn", "quarter_turns": 1, "pages": [1]}, {"kind": "vanish"}, {"kind": "move", "before": 3}):
        with pytest.raises(ValueError, match="does"):
            Step(does=does)


def test_scopes_are_told_by_side_place_and_gutter() -> None:
    cover, back, wide, last = leaf(1), leaf(2, Side.BACK), spread(3), leaf(4)
    pages = [cover, back, wide, last]
    expected = {
        "all": [1, 2, 3, 4],
        "spreads": [3],
        "fronts": [1, 3, 4],
        "backs": [2],
        "first": [1],
        "others": [2, 3, 4],
        "other_fronts": [3, 4],
    }
    assert {scope.value: [page.id for page in scope.of(pages)] for scope in StepScope} == expected


# ---- from what was done to steps


def drafted(done: Sequence[Any], pages: Sequence[PageState], gone: Sequence[PageState] = ()) -> list[tuple[Any, ...]]:
    """Return the kinds of the steps, whom they are for, and whether they are typical."""
    found = draft(done, pages, {page.id: page for page in gone})
    return [(one.step.does["kind"], one.step.on.value, one.typical) for one in found]


def test_what_was_done_to_fronts_is_for_fronts() -> None:
    pages = [leaf(1), leaf(2, Side.BACK), leaf(3), leaf(4, Side.BACK), leaf(5)]
    done: list[Any] = [
        SetTone(pages=(1, 2, 3, 4, 5), tone=Tone.GREY),
        wipe(1, 3, 5),
        Turn(pages=(2, 4), quarter_turns=2),
        Crop(pages=(2, 3, 4, 5), on=False),
    ]
    assert drafted(done, pages) == [
        ("set_tone", "all", True),
        ("put_zones", "fronts", True),
        ("turn", "backs", True),
        ("crop", "others", True),
    ]


def test_what_was_done_to_a_single_page_is_listed_but_not_proposed() -> None:
    done = [Turn(pages=(3,), quarter_turns=1), Move(pages=(3,), before=1)]
    assert drafted(done, [leaf(number) for number in range(1, 6)]) == [("turn", "others", False)]


def test_only_the_last_of_several_choices_counts() -> None:
    """The tone was chosen three times, brightness and contrast one after the other, a zone was dragged."""
    pages = [leaf(1), leaf(2)]
    moved = HOLE.model_copy(update={"x_mm": 9.0})
    done: list[Any] = [
        SetTone(pages=(1, 2), tone=Tone.GREY),
        wipe(1, 2),
        Adjust(pages=(1, 2), brightness=10),
        SetTone(pages=(1, 2), tone=Tone.BILEVEL),
        Adjust(pages=(1, 2), contrast=5, brightness=20),
        wipe(1, 2, zone=moved),
        SetTone(pages=(1, 2), tone=Tone.WHITE),
        Turn(pages=(1, 2), quarter_turns=1),
        Turn(pages=(1, 2), quarter_turns=1),
    ]
    found = [one.step.does for one in draft(done, pages, {})]
    assert [does["kind"] for does in found] == ["adjust", "put_zones", "set_tone", "turn"]
    assert found[0] == {"kind": "adjust", "brightness": 20, "contrast": 5}
    zones: Any = found[1]["zones"]
    assert [zone["zone"]["x_mm"] for zone in zones] == [9.0]
    assert (found[2]["tone"], found[3]["quarter_turns"]) == ("white", 2)


def sparing(operation: PutZones, *spares: int) -> PutZones:
    """Return a wipe that leaves out pages."""
    zones = tuple(drawn.model_copy(update={"spares": spares}) for drawn in operation.zones)
    return operation.model_copy(update={"zones": zones})


def test_a_zone_that_spared_the_cover_is_for_the_other_pages() -> None:
    """One of three wipes left page 1 out, where something is printed; the next booklet has a cover, too."""
    (hole,), (band,), (fold,) = (wipe(1, name=name).zones for name in ("hole", "band", "fold"))
    band = band.model_copy(update={"spares": (1,)})
    together = wipe(1, 2, 3, 4).model_copy(update={"zones": (hole, band, fold)})
    found = draft([together], [leaf(1), leaf(2), leaf(3), leaf(4)], {})
    zones: list[Any] = [one.step.does["zones"] for one in found]
    assert [(one.step.on, one.pages, one.typical) for one in found] == [("all", 4, True), ("others", 3, True)]
    assert [[zone["name"] for zone in drawn] for drawn in zones] == [["hole", "fold"], ["band"]]
    assert "spares" not in zones[1][0]


def test_a_zone_that_spared_the_cover_is_for_the_other_fronts_where_it_was_drawn_on_fronts() -> None:
    pages = [leaf(number, Side.FRONT if number % 2 else Side.BACK) for number in range(1, 9)]
    found = draft([sparing(wipe(1, 3, 5, 7), 1), wipe(1, 3, 5, 7, name="edge")], pages, {})
    assert [(one.step.on, one.pages) for one in found] == [("other_fronts", 3), ("fronts", 4)]


def test_a_zone_that_spared_all_of_its_pages_is_no_step() -> None:
    assert drafted([sparing(wipe(1, 2), 1, 2)], [leaf(1), leaf(2), leaf(3)]) == []


def test_zones_taken_away_from_all_pages_are_no_step_on_some() -> None:
    pages = [leaf(1), leaf(2), leaf(3)]
    away = RemoveZones(pages=(1, 2, 3), names=("hole",))
    assert drafted([sparing(wipe(1, 2, 3), 1), away], pages) == []
    assert drafted([sparing(wipe(1, 2, 3), 1), wipe(1, 2, 3)], pages) == [("put_zones", "all", True)]


def test_zones_taken_away_from_some_pages_stay_on_the_others() -> None:
    pages = [leaf(1), leaf(2), leaf(3)]
    steps = [("put_zones", "all", True), ("remove_zones", "others", True)]
    assert drafted([wipe(1, 2, 3), RemoveZones(pages=(2, 3), names=("hole",))], pages) == steps
    assert drafted([wipe(1, 2, 3), RemoveZones(pages=(2, 3), names=("other",))], pages) == steps[:1]


@pytest.mark.parametrize("single", [RemoveZones(pages=(3,), names=("hole",)), wipe(3)])
def test_a_zone_that_is_taken_away_or_moved_on_one_page_stays_on_all(single: PutZones | RemoveZones) -> None:
    pages = [leaf(number) for number in range(1, 9)]
    wiped, after = drafted([wipe(*range(2, 9)), single], pages)
    assert wiped == ("put_zones", "others", True)
    assert after == (single.kind, "others", False)


def test_what_was_taken_away_again_is_no_step() -> None:
    pages = [leaf(1), leaf(2)]
    four = [Turn(pages=(1, 2), quarter_turns=1)] * 4
    assert drafted([wipe(1, 2), *four, RemoveZones(pages=(1, 2), names=("hole",))], pages) == []
    both: list[Any] = [wipe(1, 2), wipe(1, 2, name="other"), RemoveZones(pages=(1, 2), names=("hole",))]
    assert len(draft(both, pages, {})) == 1
    assert drafted([wipe(1, 2), CleanBorders(pages=(1, 2)), RemoveZones(pages=(1, 2))], pages) == []


def test_each_found_value_is_a_step_of_its_own() -> None:
    pages = [leaf(1), leaf(2)]
    back: list[Any] = [UseFound(pages=(1, 2), step=name) for name in ("crop", "straighten", "crop")]
    assert [one.step.does["step"] for one in draft(back, pages, {})] == ["straighten", "crop"]


def test_a_booklet_gives_steps_for_spreads_then_for_pages() -> None:
    """What was done before the split was done to the spreads, of which nothing lies there any more."""
    wide = [spread(2), spread(3)]
    split, halves = halved(wide, False)
    lying = [leaf(1), *(replace(half, mappe_id=1) for half in halves)]
    done = [wipe(2, 3), split, AlignMargins(pages=(1, 20, 22, 30, 33), across="inner")]
    assert drafted(done, lying, wide) == [
        ("put_zones", "spreads", True),
        ("split", "spreads", True),
        ("align_margins", "all", True),
    ]


def test_the_order_of_reading_is_kept_in_the_step() -> None:
    wide = [spread(2)]
    split, halves = halved(wide, True)
    found = draft([split], [replace(half, mappe_id=1) for half in halves], {2: wide[0]})
    assert found[0].step.does["right_to_left"] is True


def test_a_routine_that_was_run_gives_its_own_steps_again() -> None:
    ran = RunRoutine(pages=(1, 2), name="Grey", steps=(step("set_tone", StepScope.FRONTS, tone="grey"),))
    assert drafted([ran, Straighten(pages=(1, 2), on=False)], [leaf(1), leaf(2)]) == [
        ("set_tone", "fronts", True),
        ("straighten", "all", True),
    ]


# ---- run on other pages


def test_steps_are_done_one_after_the_other_and_told_once() -> None:
    """A tone that is set and set back is no change."""
    pages = [leaf(1), leaf(2)]
    ran = run(
        [step("set_tone", tone="grey"), step("turn", quarter_turns=1), step("set_tone", tone="as_scanned")], pages
    )
    assert ran.changes == {number: {"quarter_turns": 1, "turn_origin": "by_hand"} for number in (1, 2)}
    assert ran.misfits == []


def test_pages_that_are_not_wanted_or_set_aside_stay() -> None:
    pages = [leaf(1), replace(leaf(2), set_aside=True), leaf(3), leaf(4)]
    ran = run([step("set_tone", tone="grey")], pages, [1, 2, 3])
    assert sorted(ran.changes) == [1, 3]


def test_a_booklet_is_split_and_lined_up_in_one_go() -> None:
    """The cover stays one page; print begins at the same distance from the fold on all others."""
    pages = [leaf(1), spread(2), spread(3), spread(4)]
    ran = run([step("split"), step("align_margins", across="inner")], pages)
    assert ran.split is not None
    lying = sorted((page for page in ran.states.values() if page.mappe_id), key=lambda page: (page.rank, page.side))
    assert {page.id for page in lying} == {1, 20, 22, 30, 33, 40, 44}
    assert {misfit.step: (misfit.pages, misfit.reason.code) for misfit in ran.misfits} == {
        1: ((1,), "misfit_no_gutter")
    }
    assert all(ran.changes[number]["mappe_id"] is None for number in (2, 3, 4))
    fronts = [ran.states[number] for number in (22, 33, 44)]
    lefts = {page.printed_area[0][0] + page.treatment.margins[0] for page in fronts if page.printed_area}
    assert max(lefts) - min(lefts) <= 0.02


def test_spreads_that_are_split_by_two_steps_are_all_told() -> None:
    """The fronts first, then what is left: a draft of it must know both."""
    wide = [spread(1), replace(spread(2), side=Side.BACK)]
    ran = run([step("split", StepScope.FRONTS), step("split")], wide)
    assert ran.split is not None
    assert ran.split.pages == (1, 2)
    assert sorted(ran.split.new_pages) == [10, 11, 20, 22]


def test_a_fold_that_is_not_clear_is_left_for_a_look() -> None:
    ran = run([step("split")], [spread(1, confidence=0.3)])
    assert (ran.changes, [misfit.reason.code for misfit in ran.misfits]) == ({}, ["misfit_gutter_unsure"])


@pytest.mark.parametrize(
    ("misfitting", "page", "code"),
    [
        (step("split"), leaf(1), "misfit_no_gutter"),
        (step("set_gutter", gutter=None, drawn_on_mm=[420, 297]), leaf(1), "misfit_no_gutter"),
        (step("align_margins", top_mm=20), leaf(1, printed_area=None), "misfit_no_print"),
        (step("straighten", on=True), leaf(1), "misfit_skew_unknown"),
        (step("crop", on=True), leaf(1), "misfit_sheet_unknown"),
        (step("use_found", step="crop"), leaf(1), "misfit_not_examined"),
        (step("move_sides", left_mm=-120, right_mm=-120), leaf(1), "misfit_nothing_left"),
        (
            step(
                "put_zones",
                drawn_on_mm=[400, 560],
                zones=[{"name": "a", "does": "wipe", "zone": {"x_mm": 150, "y_mm": 9, "width_mm": 9, "height_mm": 9}}],
            ),
            leaf(1, scan_mm=(60.0, 80.0)),
            "misfit_beside_page",
        ),
    ],
)  # fmt: skip
def test_where_a_step_does_not_fit_that_is_said_and_the_rest_is_done(
    misfitting: Step, page: PageState, code: str
) -> None:
    ran = run([misfitting, step("set_tone", tone="grey")], [page])
    assert ran.misfits[0][:2] == (1, (1,))
    assert ran.misfits[0].reason.code == code
    assert ran.changes == {1: {"tone": "grey"}}


def test_what_is_refused_for_one_page_is_done_to_the_others() -> None:
    """The second page has as many zones as a page can have."""
    many = tuple(wipe(1, name=f"z{number}").laid(leaf(1))[0] for number in range(MAX_ZONES))
    full = leaf(2, treatment=Treatment(zones=many))
    ran = run([Step(does=wipe(1).model_dump(mode="json", exclude={"pages"}))], [leaf(1), full])
    assert sorted(ran.changes) == [1]
    assert [(misfit.pages, misfit.reason.code) for misfit in ran.misfits] == [((2,), "too_many_zones")]


STEPS = st.lists(
    st.sampled_from(
        [
            step("turn", quarter_turns=1),
            step("turn", StepScope.BACKS, quarter_turns=2),
            step("set_tone", tone="white"),
            step("adjust", StepScope.FRONTS, contrast=12),
            step("set_page_size", width_mm=180, height_mm=250),
            step("straighten", on=False),
            step("move_sides", left_mm=-4),
            step("align_margins", across="left", across_mm=25, top_mm=20),
            Step(does=wipe(1).model_dump(mode="json", exclude={"pages"})),
        ]
    ),
    min_size=1,
    max_size=6,
)


@given(STEPS)
def test_a_routine_does_what_the_same_operations_would_one_by_one(steps: list[Step]) -> None:
    """Applied by themselves, each to what the one before has left."""
    found = Treatment(
        straighten=Straightening(skew_deg=1.2), crop=Cropping(corners=((2, 3), (208, 3), (208, 290), (2, 290)))
    )
    pages = [leaf(number, side, treatment=found) for number, side in ((1, Side.FRONT), (2, Side.BACK), (3, Side.FRONT))]
    now = {page.id: page for page in pages}
    for one in steps:
        named = one.on.of(list(now.values()))
        changes = one.operation([page.id for page in named]).apply(named)
        now |= {number: now[number].with_fields(fields) for number, fields in changes.items()}
    ran = run(steps, pages)
    assert {page: state.treatment for page, state in ran.states.items()} == {
        page: state.treatment for page, state in now.items()
    }
    again = {page.id: page.with_fields(ran.changes.get(page.id, {})).treatment for page in pages}
    assert again == {page: state.treatment for page, state in now.items()}


# ---- as files


def test_a_routine_comes_back_from_its_file() -> None:
    steps = (
        step("set_page_size", width_mm=148, height_mm=210),
        Step(does=wipe(1).model_dump(mode="json", exclude={"pages"})),
    )
    file = RoutineFile(name="Äpfel & Birnen", steps=steps)
    assert read_routine(file.to_json().encode()) == file


WHOLE = '{"routine": 1, "name": "x", "steps": ['


@pytest.mark.parametrize(
    ("text", "code", "params"),
    [
        ("", "routine_file_broken", {}),
        ("[1, 2", "routine_file_broken", {}),
        ("[]", "routine_file_broken", {}),
        (WHOLE + "]}", "routine_file_broken", {}),
        (WHOLE.replace("1", "3") + '{"does": {"kind": "glow"}}]}', "routine_file_later", {"version": 3, "known": 1}),
        (WHOLE + '{"does": {"kind": "clean_borders"}}, {"does": {"kind": "glow"}}]}', "routine_file_step", {"step": 2}),
        (WHOLE + '{"does": {"kind": "set_skew", "skew_deg": 1e999}}]}', "routine_file_step", {"step": 1}),
        (WHOLE.replace("x", "") + '{"does": {"kind": "clean_borders"}}]}', "routine_file_broken", {}),
    ],
)
def test_a_file_that_cannot_be_used_says_why(text: str, code: str, params: dict[str, int]) -> None:
    with pytest.raises(RoutineRefused) as refused:
        read_routine(text.encode())
    assert (refused.value.message.code, refused.value.message.params) == (code, params)


def test_a_file_of_any_size_is_refused_before_it_is_read() -> None:
    with pytest.raises(RoutineRefused, match="routine_file_large"):
        read_routine(b" " * (MAX_FILE_BYTES + 1))
    many = {"routine": 1, "name": "x", "steps": [{"does": {"kind": "clean_borders"}}] * (MAX_STEPS + 1)}
    with pytest.raises(RoutineRefused, match="routine_file_broken"):
        read_routine(json.dumps(many).encode())


SCALARS = st.none() | st.booleans() | st.floats() | st.text()
JSON = st.recursive(SCALARS, lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner))


@given(st.binary(max_size=300) | JSON.map(lambda value: json.dumps(value).encode()))
def test_no_file_whatever_is_read_as_a_routine(data: bytes) -> None:
    with pytest.raises(RoutineRefused):
        read_routine(data)


def test_every_operation_that_changes_how_a_page_looks_can_be_a_step() -> None:
    """But for those that are about one page: print that is moved, what a person has found to be fine."""
    looks = {
        "adjust",
        "align_margins",
        "clean_borders",
        "crop",
        "move_sides",
        "put_zones",
        "remove_zones",
        "set_gutter",
    }
    looks |= {"set_page_size", "set_skew", "set_tone", "straighten", "turn", "uncurl", "use_found"}
    needed: dict[str, dict[str, Any]] = {
        "crop": {"on": True}, "straighten": {"on": True}, "set_gutter": {"gutter": None, "drawn_on_mm": [420, 297]},
        "put_zones": wipe(1).model_dump(mode="json", exclude={"pages", "kind"}), "set_skew": {"skew_deg": 1.0},
        "set_page_size": {"width_mm": 100, "height_mm": 100}, "set_tone": {"tone": "grey"},
        "turn": {"quarter_turns": 1}, "uncurl": {"on": True}, "use_found": {"step": "crop"},
    }  # fmt: skip
    made = {kind: step(kind, **needed.get(kind, {})) for kind in looks}
    assert all(one.operation([3]).pages == (3,) for one in made.values())


def test_bent_paper_is_left_as_it_is_on_all_photos() -> None:
    bent = Curl(first=(0.0, 2.0, 0.0), last=(0.0, 1.0, 0.0))
    done = Uncurl(pages=(1, 2), on=False)
    photos = [leaf(number, treatment=Treatment(curl=bent)) for number in (1, 2, 3)]
    ((kept, count, typical),) = draft([done], photos, {})
    assert (kept.on, count, typical) == (StepScope.ALL, 2, True)
    assert kept.message.code == "step_uncurl_off"
    left = bent.model_copy(update={"on": False}).model_dump(mode="json")
    assert run([kept], photos).changes == {number: {"curl": left} for number in (1, 2, 3)}
    assert run([kept], [leaf(1)]).misfits == []  # paper that is not bent is as it is


def test_sizes_are_as_seen() -> None:
    turned = leaf(1).with_fields({"quarter_turns": 1})
    assert turned.size_mm == (297.0, 210.0)
    assert SetPageSize(pages=(1,), width_mm=297, height_mm=210).apply([turned]) == {}
    assert MoveSides(pages=(1,), left_mm=-300).apply([turned]) == {}
