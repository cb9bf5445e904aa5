"""Ink and paper, wiping, margins, the pile, and what is noticed."""

import cv2
import numpy as np
import pytest
from benchmarks.corpus.pages import skewed_pages

from papiermappe.core.clean import (
    FindingKind,
    binarise,
    despeckle,
    find_text_block,
    judge_quality,
    whiten,
)
from papiermappe.core.clean.background import paper_of
from papiermappe.core.picture import Pixels

DPI = 100  # 1 mm is 3.94 px


def px(mm: float) -> int:
    """Return a length in whole pixels."""
    return round(mm / 25.4 * DPI)


@pytest.fixture
def page() -> Pixels:
    """An A4 page in colour on yellowish paper that gets darker to the right, with twelve lines of dashes."""
    light = np.linspace(1.0, 0.8, px(210))[None, :, None]
    picture = np.ones((px(297), px(210), 3)) * (250, 245, 230) * light
    for line in range(12):
        for word in range(8):
            top, left = px(40 + 8 * line), px(25 + 20 * word)
            picture[top : top + px(2), left : left + px(12)] = 30
    return picture.astype(np.uint8)


def kinds(page: Pixels, usual_height_mm: float | None = None) -> set[FindingKind]:
    """Return what is noticed on a page."""
    return {finding.kind for finding in judge_quality(page, DPI, usual_height_mm)}


def test_ink_is_what_was_drawn_in_spite_of_uneven_light(page: Pixels) -> None:
    assert np.array_equal(binarise(page, DPI), page[..., 0] < 60)


def test_white_letters_on_a_dark_field_stay_white(page: Pixels) -> None:
    page[px(150) : px(190), px(30) : px(180)] = 40
    page[px(165) : px(170), px(50) : px(150)] = 245
    ink = binarise(page, DPI)
    assert ink[px(155), px(100)]
    assert not ink[px(167), px(100)]


def test_white_paper_keeps_ink_and_stamps_and_drops_what_shines_through(page: Pixels) -> None:
    page[px(200) : px(206), px(40) : px(60)] = (180, 40, 40)  # a stamp
    page[px(220) : px(224), px(40) : px(60)] = (page[px(220), px(40)] * 0.93).astype(np.uint8)  # shining through
    white = whiten(page, DPI)
    assert (white[px(230) : px(290)] == 255).all()
    assert (white[px(221), px(50)] == 255).all()
    assert white[px(41), px(30)].max() < 60
    red, green, blue = (int(level) for level in white[px(203), px(50)])
    assert red > 150
    assert max(green, blue) < 70


def test_paper_is_known_where_a_picture_covers_nearly_all_of_it(page: Pixels) -> None:
    page[px(20) : px(280), px(15) : px(195)] = (70, 80, 90)
    assert paper_of(page, DPI).min() > 180


def test_a_picture_on_white_paper_keeps_its_bright_parts(page: Pixels) -> None:
    page[px(180) : px(280), px(30) : px(180)] = (150, 160, 170)
    page[px(220) : px(228), px(60) : px(80)] = (200, 200, 205)  # a cloud
    assert whiten(page, DPI)[px(224), px(70)].min() < 240


def test_specks_go_and_dots_beside_letters_stay(page: Pixels) -> None:
    ink = page[..., 0] < 60
    ink[px(250), px(100)] = True  # alone
    ink[px(39), px(30)] = True  # over a word
    clean = despeckle(ink, DPI)
    assert clean.dtype == np.bool_
    assert not clean[px(250), px(100)]
    assert clean[px(39), px(30)]
    assert clean.sum() == ink.sum() - 1


def test_a_text_block_goes_with_the_page_and_a_fold_is_none_of_it(page: Pixels) -> None:
    plain = np.where(page[..., :1] < 60, page, np.uint8(250))
    moved = np.roll(plain, (px(6), px(-4)), axis=(0, 1))
    moved[:, px(8) : px(9)] = 40  # the shadow of a fold, from top to bottom
    here, there = find_text_block(plain, DPI), find_text_block(moved, DPI)
    assert here is not None
    assert there is not None
    assert [after - before for before, after in zip(here, there, strict=True)] == pytest.approx([-4, 6, -4, 6], abs=0.3)
    assert find_text_block(np.full_like(page, 250), DPI) is None


def test_a_good_page_gives_no_finding() -> None:
    for drawn in skewed_pages(range(3), 0.01, 3):
        assert judge_quality(drawn.pixels, 300) == [], drawn.kind


def test_what_is_wrong_with_a_page_is_noticed(page: Pixels) -> None:
    assert kinds(page) == set()
    assert FindingKind.BLURRED in kinds(np.asarray(cv2.GaussianBlur(page, (0, 0), 2.2), np.uint8))
    assert FindingKind.FAINT in kinds((page * 0.2 + 195).astype(np.uint8))
    assert FindingKind.TOO_DARK in kinds((page * 0.4).astype(np.uint8))
    assert FindingKind.DOUBLED in kinds(page, usual_height_mm=250)
    dusty = page.copy()
    dusty[:, px(70) : px(70.5)] -= 25
    (line,) = (finding.zone for finding in judge_quality(dusty, DPI) if finding.kind is FindingKind.DUST_LINE)
    assert line is not None
    assert line.x_mm <= 70 <= line.x_mm + line.width_mm
    folded = page.copy()
    shade = 22 * np.exp(-(((np.arange(page.shape[0]) - px(200)) / px(1.5)) ** 2))
    folded = np.clip(folded - shade[:, None, None], 0, 255).astype(np.uint8)
    assert FindingKind.FOLD in kinds(folded)


@pytest.mark.parametrize(("turns", "edge"), [(0, "top"), (1, "left"), (2, "bottom"), (3, "right")])
def test_print_that_runs_over_an_edge_is_noticed_where_it_is(page: Pixels, turns: int, edge: str) -> None:
    for left in range(px(30), px(170), px(4)):
        page[: px(1.5), left : left + px(1.5)] = 20
    (found,) = (one for one in judge_quality(np.rot90(page, turns), DPI) if one.kind is FindingKind.CUT_OFF)
    assert found.params == {"edge": edge}
    assert found.zone is not None
