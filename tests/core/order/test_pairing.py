"""Putting fronts and backs together: drawn sheets with known truth, and evidence of one kind at a time."""

from functools import lru_cache
from itertools import permutations

import cv2
import numpy as np
import pytest

from papiermappe.core.order.alignment import Numbering, Step, align
from papiermappe.core.order.evidence import EvidenceKind, SideFacts, TextEnds, shade_evidence
from papiermappe.core.order.imprint import Imprint, imprint_of
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.order.pair_sums import NO_NUMBER, P_MISSED, P_TWICE
from papiermappe.core.order.pairing import Proposal, propose
from papiermappe.core.order.show_through import Turn
from papiermappe.core.order.twins import Sameness, compare
from papiermappe.core.paper import A4
from papiermappe.errors import PictureRefused
from papiermappe.standin.paper.drawing import Drawing, DrawnSide, draw_side
from papiermappe.standin.paper.physics import Lay, Optics, Region, scan

SHEETS = 7
DPI = 100
WORDS = ["plum", "crate", "graft", "ladder", "meadow", "frost", "hail", "press", "cider", "ditch", "blossom", "winter"]


@lru_cache
def drawn(number: int) -> DrawnSide:
    """Return a page of prose that no other page has."""
    hand = np.random.default_rng([5, number])

    def draw(page: Drawing) -> None:
        y_mm = 25.0
        while y_mm < float(hand.uniform(150, 250)):
            y_mm = page.paragraph(25, y_mm, 160, " ".join(hand.choice(WORDS, int(hand.integers(20, 60)))), 11)

    return draw_side(A4, draw)


@lru_cache
def taken(number: int, seed: int = 0, upside_down_behind: bool = False) -> Imprint:
    """Return the imprint of a page; pages 2n and 2n + 1 are the two sides of sheet n."""
    behind = drawn(number ^ 1)
    hand = np.random.default_rng([seed, number])
    lay = Lay(
        (105 + float(hand.uniform(-1.5, 1.5)), 148.5 + float(hand.uniform(-1.5, 1.5))), float(hand.uniform(-0.1, 0.1))
    )
    picture = scan(
        drawn(number), behind, lay, Optics((250, 250, 250), 0.0), Region(0, 0, 210, 297), DPI, seed * 100 + number
    )
    if upside_down_behind and number % 2:  # turned over at its short edge: the back comes upside down
        picture = np.ascontiguousarray(picture[::-1, ::-1])
    return imprint_of(picture, DPI)


def side(number: int, seed: int = 0, numbers: tuple[int, ...] = ()) -> SideFacts:
    """Return what is known of a page."""
    return SideFacts(210, 297, taken(number, seed), numbers)


def fronts(*sheets: int) -> list[SideFacts]:
    """Return fronts of sheets."""
    return [side(2 * sheet) for sheet in sheets]


def backs(*sheets: int) -> list[SideFacts]:
    """Return backs of sheets."""
    return [side(2 * sheet + 1) for sheet in sheets]


def paired(proposal: Proposal) -> list[tuple[int | None, int | None]]:
    """Return the places of fronts and backs in their runs."""
    return [(sheet.front, sheet.back) for sheet in proposal.sheets]


@pytest.mark.parametrize("order", BacksOrder)
def test_both_orders_of_backs_are_told_by_what_shines_through(order: BacksOrder) -> None:
    sheets = list(range(SHEETS))
    laid = sheets if order is BacksOrder.AS_LAID else sheets[::-1]
    proposal = propose(fronts(*sheets), backs(*laid))
    assert proposal.sure
    assert proposal.backs_order is order
    assert proposal.turn is Turn.LONG_EDGE
    assert [(front, laid[back]) for front, back in paired(proposal)] == [(sheet, sheet) for sheet in sheets]  # type: ignore[index]
    assert all(sheet.evidence == (EvidenceKind.SHOW_THROUGH,) for sheet in proposal.sheets)


@lru_cache
def framed(number: int, rim_mm: float) -> DrawnSide:
    """Return a sheet that a picture nearly fills, in a frame, with a short caption of its own."""
    hand = np.random.default_rng([7, number])

    def draw(page: Drawing) -> None:
        page.box(rim_mm, rim_mm, 210 - 2 * rim_mm, 250 - rim_mm, fill="#5a7d4c", stroke=None)
        page.text(float(hand.uniform(15, 110)), float(hand.uniform(258, 282)), " ".join(hand.choice(WORDS, 4)), 11)

    return draw_side(A4, draw)


def framed_side(number: int, rims_mm: list[float]) -> SideFacts:
    """Return what is known of a framed page; pages 2n and 2n + 1 are the two sides of sheet n."""
    here, behind = (framed(side, rims_mm[side]) for side in (number, number ^ 1))
    lay, optics, whole = Lay((105, 148.5), 0.0), Optics((250, 250, 250), 0.0), Region(0, 0, 210, 297)
    return SideFacts(210, 297, imprint_of(scan(here, behind, lay, optics, whole, DPI, number), DPI))


def test_frames_that_many_pages_have_in_common_do_not_hide_what_is_their_own() -> None:
    rims_mm = [float(rim) for rim in np.random.default_rng(7).choice([8, 14, 22], 24)]
    sheets = list(range(12))
    front_run, back_run = ([framed_side(2 * sheet + side, rims_mm) for sheet in sheets] for side in (0, 1))
    proposal = propose(front_run, back_run)
    assert paired(proposal) == [(sheet, sheet) for sheet in sheets]
    assert proposal.sure


def test_a_frame_that_only_one_back_has_is_no_evidence_where_fronts_have_it_too() -> None:
    # of the backs, 4 and 5 alone have the wide rim; back 4 and front 5 are missing, so that front 4, which the edge of
    # back 4's picture shines through, seems to have back 5
    fronts_mm, backs_mm = [22, 22, 22, 22, 8, 8, 8, 22, 22, 22], [14, 8, 14, 8, 22, 22, 8, 14, 8, 14]
    rims_mm = [float(rim) for rims in zip(fronts_mm, backs_mm, strict=True) for rim in rims]
    came = [[sheet for sheet in range(10) if sheet != missing] for missing in (5, 4)]
    front_run, back_run = (
        [framed_side(2 * sheet + side, rims_mm) for sheet in sheets] for side, sheets in enumerate(came)
    )
    proposal = propose(front_run, back_run)
    front, back = came[0].index(4), came[1].index(5)
    assert (front, back) not in paired(proposal) or not proposal.sure
    assert EvidenceKind.SHOW_THROUGH not in proposal.near.get((front, back), ())


def test_a_turn_at_the_short_edge_is_told() -> None:
    turned = [SideFacts(210, 297, taken(2 * sheet + 1, 0, True)) for sheet in range(SHEETS)]
    proposal = propose(fronts(*range(SHEETS)), turned)
    assert proposal.turn is Turn.SHORT_EDGE
    assert proposal.sure
    assert paired(proposal) == [(sheet, sheet) for sheet in range(SHEETS)]


@pytest.mark.parametrize("missing", [0, 3, SHEETS - 1])
def test_a_back_that_was_missed_leaves_its_place_empty(missing: int) -> None:
    kept = [sheet for sheet in range(SHEETS) if sheet != missing]
    proposal = propose(fronts(*range(SHEETS)), backs(*kept[::-1]))
    assert proposal.sure
    alone = [sheet for sheet in proposal.sheets if sheet.step is Step.FRONT_ALONE]
    assert [sheet.front for sheet in alone] == [missing]
    assert len(proposal.sheets) == SHEETS


def test_a_front_that_was_missed_leaves_its_place_empty() -> None:
    proposal = propose(fronts(0, 1, 3, 4, 5, 6), backs(*range(SHEETS)))
    assert proposal.sure
    assert [(sheet.step, sheet.back) for sheet in proposal.sheets if sheet.front is None] == [(Step.BACK_ALONE, 2)]


def test_a_back_that_was_fed_twice_is_told_from_a_stranger() -> None:
    again = [*backs(0, 1, 2), side(5, seed=9), *backs(3, 4, 5, 6)]
    proposal = propose(fronts(*range(SHEETS)), again)
    assert proposal.sure
    assert [(sheet.step, sheet.back) for sheet in proposal.sheets if sheet.front is None] == [(Step.BACK_TWICE, 3)]


def test_sides_printed_all_alike_are_not_taken_for_one_that_came_again() -> None:
    alike = [side(1, seed=number)._replace(again=Sameness.SAME) for number in range(5)]
    proposal = propose(plain(5), alike, BacksOrder.AS_LAID)
    assert [sheet.step for sheet in proposal.sheets] == [Step.PAIR] * 5


def test_where_hardly_anything_tells_pairs_are_not_sure_by_their_place() -> None:
    small = SideFacts(148, 210)
    proposal = propose([*plain(3), small, *plain(3)], [*plain(3), small, *plain(3)], BacksOrder.AS_LAID)
    assert paired(proposal) == [(at, at) for at in range(7)]
    assert not proposal.by_habit  # one sheet has its own size
    assert proposal.unsure == [0, 1, 2, 4, 5, 6]


def test_faults_that_meet_are_not_called_sure() -> None:
    # front 3 and back 4 are missing: the counts agree, and front 4 seems to have back 3
    proposal = propose(fronts(0, 1, 2, 4, 5, 6), backs(0, 1, 2, 3, 5, 6))
    wrong = [(front, back) for front, back in paired(proposal) if (front, back) == (3, 3)]
    assert not wrong or not proposal.sure


def test_a_score_far_below_those_of_the_other_sheets_speaks_against_its_pair() -> None:
    # three sheets show their other side plainly, at 70 and more; the fourth pair stands at 10, and the rest at 3 to 6
    scores = np.array([[78, 6.4, 5.3, 5.3], [6.1, 73, 6.2, 5.2], [5, 5.3, 82, 3.4], [3.9, 4.7, 3.2, 10.3]])
    found = shade_evidence(scores, np.eye(4))
    assert found[:3].max(axis=1).min() > 10
    assert found[3].max() < 0


def plain(count: int, *numbers: int | None) -> list[SideFacts]:
    """Return pages of which nothing but perhaps a number is known."""
    given = [*numbers, *([None] * (count - len(numbers)))]
    return [SideFacts(210, 297, None, () if number is None else (number,)) for number in given]


def test_nothing_to_go_by_is_habit_and_not_sure() -> None:
    proposal = propose(plain(4), plain(4))
    assert proposal.by_habit
    assert not proposal.sure
    assert proposal.backs_order is BacksOrder.TURNED_PILE  # what people mostly do
    assert paired(proposal) == [(0, 3), (1, 2), (2, 1), (3, 0)]


def punched(number: int, *places_mm: tuple[float, float], corner: bool = False) -> SideFacts:
    """Return an empty page with holes that show black backing, and perhaps without its top left corner."""
    hand = np.random.default_rng([17, number])
    page = hand.normal(250, 1.5, (1169, 827)).clip(0, 255).astype(np.uint8)
    for x_mm, y_mm in places_mm:
        cv2.circle(page, (round(x_mm * DPI / 25.4), round(y_mm * DPI / 25.4)), 12, 30, -1)
    if corner:
        cv2.fillPoly(page, [np.array([(0, 0), (60, 0), (0, 50)], np.int32)], 30)
    return SideFacts(210, 297, imprint_of(page, DPI))


def test_holes_and_a_missing_corner_that_lie_mirrored_tell_which_sheets_belong_together() -> None:
    # sheets 0 and 3 are not punched, sheet 4 lacks a corner: at its front top left, so seen from behind top right
    holes, behind = ((12.0, 108.0), (12.0, 188.0)), ((198.0, 108.0), (198.0, 188.0))
    ours = [punched(0), punched(1, *holes), punched(2, *holes), punched(3), punched(4, corner=True)]
    theirs = [punched(10), punched(11, *behind), punched(13)]
    flipped = punched(14, corner=True)
    assert flipped.imprint is not None
    assert flipped.imprint.missing_mm.tolist() == [[0.0, 0.0]]
    missing = np.array([[210.0, 0.0]], np.float32)
    theirs.append(flipped._replace(imprint=flipped.imprint._replace(missing_mm=missing)))
    proposal = propose(ours, theirs, BacksOrder.AS_LAID)  # the back of sheet 1 or of sheet 2 was missed
    named = {(sheet.front, sheet.back) for sheet in proposal.sheets if EvidenceKind.HOLES in sheet.evidence}
    assert (4, 3) in named
    assert not proposal.sure
    assert [sheet.front for sheet in proposal.sheets if sheet.back is None] in ([1], [2])


def test_what_is_printed_like_a_hole_on_fronts_alone_says_nothing() -> None:
    dots = ((12.0, 108.0), (12.0, 188.0))
    proposal = propose([punched(at, *dots) for at in range(4)], [punched(at) for at in range(4)])
    assert proposal.by_habit


def test_printed_numbers_tell_the_order_and_the_missing_back() -> None:
    proposal = propose(plain(5, 1, 3, 5, 7, 9), plain(4, 10, 8, 4, 2))
    assert proposal.sure
    assert paired(proposal) == [(0, 3), (1, 2), (2, None), (3, 1), (4, 0)]
    assert proposal.sheets[0].evidence == (EvidenceKind.NUMBERS,)


def test_backs_that_lie_first_sheet_first_are_told_by_their_numbers() -> None:
    proposal = propose(plain(4, 1, 3, 5, 7), plain(4, 2, 4, 6, 8))
    assert proposal.backs_order is BacksOrder.AS_LAID
    assert proposal.sure


def test_a_third_of_the_numbers_fixes_where_a_sheet_is_missing() -> None:
    numbers = [1, None, None, 7, None, None, 13, None, None, 19]
    # of sheets 0, 1, 2, 4, 5, 6, 7, 8 and 9: the back of sheet 3 is missing
    proposal = propose(plain(10, *numbers), plain(9, *[None, 4, None, None, 12, None, None, 18, 20]))
    alone = [sheet.front for sheet in proposal.sheets if sheet.step is Step.FRONT_ALONE]
    assert len(alone) == 1
    assert alone[0] in {2, 3, 4}  # between sheet 1, whose back is there, and sheet 5, whose is
    assert not proposal.sure  # which of them, nothing tells


def test_traces_of_evidence_that_no_pair_shows_are_nothing_to_go_by() -> None:
    # of 20 fronts and 20 backs, one of each is a little redder: all other pairs are alike, which 19 of 20 are by chance
    def tinted(red: int) -> SideFacts:
        return SideFacts(210, 297, imprint_of(np.full((300, 210, 3), (red, 240, 240), np.uint8), 100))

    front_run, back_run = ([tinted(246 if at == odd else 240) for at in range(20)] for odd in (3, 7))
    proposal = propose(front_run, back_run)
    assert proposal.by_habit
    assert not proposal.sure


def test_years_and_restarted_numbers_are_no_reason() -> None:
    years = propose(plain(4, 2024, 2024, 2025, 2025), plain(4, 2025, 2024, 2024, 2025))
    assert not years.sure
    restarted = propose(plain(6, 1, 3, 5, 1, 3, 5), plain(6, 2, 4, 6, 2, 4, 6))
    assert paired(restarted) == [(at, at) for at in range(6)]


def test_a_sheet_of_another_size_finds_its_back() -> None:
    small = SideFacts(148, 210)
    proposal = propose([*plain(2), small, *plain(3)], [*plain(2), small, *plain(3)])
    assert proposal.backs_order is BacksOrder.AS_LAID
    assert EvidenceKind.SIZE in proposal.sheets[2].evidence


def test_text_that_goes_on_speaks_for_a_pair() -> None:
    open_end = [SideFacts(210, 297, None, (), TextEnds(False, True)) for _ in range(4)]
    going_on = [SideFacts(210, 297, None, (), TextEnds(True, False)) for _ in range(4)]
    assert EvidenceKind.TEXT in propose(open_end, going_on).sheets[0].evidence


def test_runs_of_very_different_length_are_laid_all_the_same() -> None:
    proposal = propose(plain(60), plain(3))
    assert not proposal.sure
    assert sorted(sheet.back for sheet in proposal.sheets if sheet.back is not None) == [0, 1, 2]
    assert sorted(sheet.front for sheet in proposal.sheets if sheet.front is not None) == list(range(60))


@pytest.mark.parametrize(("front_count", "back_count"), [(3, 0), (0, 2), (0, 0)])
def test_a_run_without_pages_leaves_the_others_alone(front_count: int, back_count: int) -> None:
    proposal = propose(plain(front_count), plain(back_count))
    assert len(proposal.sheets) == front_count + back_count
    assert not proposal.sure


def test_the_confidence_is_the_share_of_all_ways_worked_out_by_hand() -> None:
    """All ways through two fronts and one back, written out: one pair and one front alone, or all three alone."""
    pairs, nothing = np.array([[1.0], [2.0]]), np.full((2, 1), NO_NUMBER)
    numbering = Numbering(nothing, nothing[:1], np.array([], np.int64), 2, 1)
    found = align(pairs, np.full(2, -1e30), np.zeros(1), numbering, (-3, 3))
    one = 1 - 2 * P_MISSED - 2 * P_TWICE
    first = one * np.exp(1.0) * P_MISSED
    second = one * np.exp(2.0) * P_MISSED
    apart = len(set(permutations("FFB"))) * P_MISSED**3
    # a back alone can also come twice only behind another back, a front twice not at all here
    assert found.steps == [Step.FRONT_ALONE, Step.PAIR]
    assert found.confidences[1] == pytest.approx(second / (first + second + apart), rel=1e-6)
    assert found.log_likelihood == pytest.approx(np.log(first + second + apart), abs=1e-9)


@pytest.mark.parametrize(("again", "step"), [(9.0, Step.FRONT_ALONE), (15.0, Step.FRONT_TWICE)])
def test_a_side_that_shows_less_of_the_same_back_than_the_one_before_is_another(again: float, step: Step) -> None:
    """A form shines through its neighbour a little as well: only a side that fits as well as before came twice.

    After the pair, a front that comes again weighs -9 + 2 * 9 - 16 = -7 or -9 + 2 * 15 - 16 = 5, one alone 0: at even
    priors.
    """
    pairs, nothing = np.array([[16.0], [again]]), np.full((2, 1), NO_NUMBER)
    numbering = Numbering(nothing, nothing[:1], np.array([], np.int64), 2, 1)
    found = align(pairs, np.array([0.0, -9.0]), np.zeros(1), numbering, (-3, 3))
    assert found.steps == [Step.PAIR, step]
    assert found.confidences[1] > 0.98


def test_the_same_side_taken_twice_is_told_from_another_page() -> None:
    assert compare(taken(4), taken(4, seed=3)) is Sameness.SAME
    assert compare(taken(4), taken(6)) is Sameness.OTHER
    empty = imprint_of(np.full((1169, 827), 248, np.uint8), DPI)
    assert compare(empty, empty) is Sameness.UNKNOWN  # blank pages are all alike


def test_forms_alike_but_filled_in_differently_are_not_the_same() -> None:
    def filled(name: str) -> Imprint:
        def draw(page: Drawing) -> None:
            for row in range(10):
                page.box(20, 30 + 22 * row, 170, 14)
                page.text(22, 34 + 22 * row, "Weight at the gate", 8)
            page.text(60, 62, name, 12)

        return imprint_of(draw_side(A4, draw).raster(DPI), DPI)

    assert compare(filled("Tamsin"), filled("Tamsin")) is Sameness.SAME
    assert compare(filled("Tamsin"), filled("Oskar")) is Sameness.OTHER


def test_an_imprint_survives_being_kept_and_a_torn_one_is_refused() -> None:
    kept = taken(0).to_bytes()
    again = Imprint.from_bytes(kept)
    assert np.array_equal(again.shade, taken(0).shade)
    assert np.array_equal(again.ink, taken(0).ink)
    for torn in (kept[: len(kept) // 2], b"", b"PK\x03\x04nonsense"):
        with pytest.raises(PictureRefused):
            Imprint.from_bytes(torn)


def test_a_bilevel_scan_shows_nothing_of_its_back() -> None:
    assert not imprint_of(np.where(drawn(0).raster(DPI) < 128, 0, 255).astype(np.uint8), DPI).shade.any()
