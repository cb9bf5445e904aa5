"""What is seen on drawn pages: the way up, blank, colour, the gutter, sheets, the corners of a photo."""

import numpy as np
import pytest
from benchmarks.cleaning.sheets import _judged as judged_sheets
from benchmarks.cleaning.sheets import _several as judged_several
from benchmarks.corpus.backs import backs
from benchmarks.corpus.coloured import coloured_pages
from benchmarks.corpus.pages import PRINT_KINDS, draw_page, pages_without_print
from benchmarks.corpus.spreads import spreads
from benchmarks.corpus.turned import turned_pages
from benchmarks.photographing.corners import judge_photos

from papiermappe.core.clean import (
    ColourKind,
    estimate_skew,
    find_gutter,
    find_sheet,
    find_spread,
    find_upright,
    judge_blank,
    judge_colour,
)
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import to_grey
from papiermappe.core.treatment import SURE

SEED = 5


def test_print_is_turned_upright() -> None:
    judged = [(find_upright(page, 300), turns) for _, page, turns in turned_pages(range(4), SEED)]
    sure = [(found.quarter_turns, turns) for found, turns in judged if found.confidence >= 0.5]
    assert len(sure) >= 3
    assert all(found == turns for found, turns in sure)


def test_pages_without_print_have_no_way_up_and_no_skew() -> None:
    for page in pages_without_print(range(5), SEED):
        assert find_upright(page.pixels, 300).confidence < 0.5
        assert estimate_skew(page.pixels, 300).confidence < 0.2


def test_the_way_up_is_not_asked_of_pages_with_hardly_a_letter() -> None:
    marked = [(kind, find_upright(page, 150)) for kind, page in backs(range(4, 7), SEED, mark=True)]
    assert [(kind, found.has_letters) for kind, found in marked] == [
        ("page number", False),
        ("pencil", False),
        ("pen", False),
    ]
    assert all(find_upright(page, 300).has_letters for _, page, _ in turned_pages(range(4), SEED))
    words = np.full((400, 800), 250, np.uint8)
    for top, left, right in ((100, 50, 700), (160, 50, 600)):
        words[top : top + 15, left:right] = 20  # two lines whose letters run into one another
    assert find_upright(words, 150).has_letters
    assert find_upright(np.ascontiguousarray(np.rot90(words)), 150).has_letters
    coarse = np.full((300, 210), 250, np.uint8)
    assert find_upright(coarse, 36).has_letters  # so coarse that letters would not be seen apart


def test_blank_backs_are_told_from_marked_ones() -> None:
    assert np.mean([judge_blank(page, 150).is_blank for _, page in backs(range(6), SEED, mark=False)]) >= 0.8
    assert not any(judge_blank(page, 150).is_blank for _, page in backs(range(10), SEED, mark=True))


def test_coloured_marks_are_seen_and_fringes_are_not_colour() -> None:
    assert all(judge_colour(page, 150).kind is ColourKind.COLOUR for _, page in coloured_pages(range(4), SEED, True))
    assert not any(
        judge_colour(page, 150).kind is ColourKind.COLOUR for _, page in coloured_pages(range(4), SEED, False)
    )


def test_a_grey_capture_never_needs_colour() -> None:
    grey = next(coloured_pages([0], SEED, True))[1][..., 0]
    assert judge_colour(np.ascontiguousarray(grey), 150).kind is not ColourKind.COLOUR


def test_the_gutter_runs_along_the_fold() -> None:
    for spread in spreads(range(4), SEED):
        line = np.array(find_gutter(spread.pixels, 150).points)
        rows = np.arange(len(spread.fold_px))
        cols = np.interp(rows + 0.5, line[:, 1] * mm_to_px(1, 150), line[:, 0] * mm_to_px(1, 150)) - 0.5
        assert np.abs(cols - spread.fold_px).max() <= mm_to_px(1.0, 150)


def test_a_spread_is_told_from_a_page_and_from_what_ends_on_a_lid() -> None:
    spread = next(spreads([0], SEED))
    grey = to_grey(spread.pixels)
    found = find_spread(grey, 150)
    assert found is not None
    assert found.confidence >= SURE
    assert len(found.gutter) < 10
    assert abs(mm_to_px(found.gutter[3][0], 150) - spread.fold_px.mean()) <= mm_to_px(1.5, 150)
    middle = round(float(spread.fold_px.mean()))
    assert find_spread(np.ascontiguousarray(grey[:, :middle]), 150) is None  # higher than wide
    beside_lid = grey.copy()
    beside_lid[:, middle + 6 :] = 60  # the right page is not there: a dark lid
    edge = find_spread(beside_lid, 150)
    assert edge is None or edge.confidence < SURE


def test_sheets_are_found_on_every_backing_and_nothing_is_lost() -> None:
    for kind, overlap, lost_mm, _ in judged_sheets(range(3), SEED):
        assert overlap >= 0.98, kind
        assert lost_mm <= 0.4, kind


def test_several_sheets_on_the_glass_are_told_apart() -> None:
    for all_found, worst in judged_several(range(1), SEED):
        assert all_found
        assert worst >= 0.98


def test_a_sheet_that_fills_the_capture_is_not_cut() -> None:
    page = np.full((600, 420, 3), 244, np.uint8)
    page[100:500:20, 60:360] = 30
    (left, top), _, (right, bottom), _ = find_sheet(page, 50.8).corners
    assert (left, top) == pytest.approx((0, 0), abs=0.5)
    assert (right, bottom) == pytest.approx((210, 300), abs=0.5)


def test_the_corners_of_a_photographed_sheet_and_its_true_aspect() -> None:
    for photo in judge_photos(range(2), SEED):
        assert photo.overlap >= 0.98, photo.kind
        assert photo.sure, photo.kind
        assert photo.aspect_off <= 0.03, photo.kind


@pytest.mark.parametrize("kind", ["music", "ruled handwriting"])
def test_notes_and_strokes_are_not_taken_for_letters(kind: str) -> None:
    """Notes have stems that rise; a page of them must not be turned for it."""
    page = draw_page(PRINT_KINDS[kind], np.random.default_rng(SEED), 150)
    assert all(find_upright(np.ascontiguousarray(np.rot90(page, turns)), 150).confidence < 0.5 for turns in range(4))
