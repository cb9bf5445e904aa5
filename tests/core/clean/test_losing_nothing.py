"""What is sure loses no print: crops, blank pages; and what is printed is not called dust."""

import cv2
import numpy as np
import pytest

from papiermappe.core.clean import find_sheet, find_upright, judge_blank, judge_quality, sheet
from papiermappe.core.clean.findings import FindingKind
from papiermappe.core.clean.sheet_candidates import coarse
from papiermappe.core.clean.sheet_evidence import PrintMap, ends_in_picture
from papiermappe.core.clean.sheet_frame import SheetFrame
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

DPI = 150
LID, PAPER = 243, 252


def px(mm: float) -> int:
    """Return mm in px."""
    return round(mm_to_px(mm, DPI))


def noisy(page: Pixels, seed: int = 3) -> Pixels:
    """Return a page with the grain of a scanner."""
    grain = np.random.default_rng(seed).normal(0, 1.5, page.shape)
    return np.clip(page + grain, 0, 255).astype(np.uint8)


def write(page: Pixels, text: str, x_mm: float, y_mm: float, level: int = 25, scale: float = 0.6) -> None:
    """Write a line with its baseline at a place."""
    cv2.putText(page, text, (px(x_mm), px(y_mm)), cv2.FONT_HERSHEY_SIMPLEX, scale, level, 2, cv2.LINE_AA)


def text_page(level: int = 25, paper: int = PAPER) -> Pixels:
    """Return an A4 page of print."""
    page = np.full((px(297), px(210)), paper, np.uint8)
    for line in range(30):
        write(page, "minutes of the orchard meeting, rows and yields", 25, 30 + 8 * line, level)
    return page


def test_a_picture_on_a_white_sheet_is_not_taken_for_the_sheet_where_there_is_print_beside_it() -> None:
    capture = np.full((px(297), px(216)), LID, np.uint8)
    capture[px(4) : px(294), px(3) : px(212)] = PAPER
    capture[px(30) : px(220), px(25) : px(190)] = 90
    write(capture, "The Upper Meadow in May", 25, 236)
    write(capture, "photographed from the weir", 25, 244)
    frame = find_sheet(noisy(capture), DPI)
    assert frame.confidence < 0.5 or frame.corners[2][1] > 250


def test_a_sure_frame_of_print_on_every_side_keeps_it_all() -> None:
    capture = np.full((px(297), px(216)), LID, np.uint8)
    capture[px(70) : px(220), px(30) : px(180)] = 170  # a field in the middle
    for line in range(6):
        write(capture, "print above the field, to be kept", 15, 20 + 8 * line)
        write(capture, "print below the field, to be kept", 15, 235 + 8 * line)
    frame = find_sheet(noisy(capture), DPI)
    if frame.confidence >= 0.5:
        (_, top), _, (_, bottom), _ = frame.corners
        assert top < 15
        assert bottom > 277


@pytest.mark.parametrize("level", [229, 222])
def test_a_tinted_head_that_fills_the_top_of_a_sheet_is_not_taken_for_backing(level: int) -> None:
    capture = text_page()
    capture[: px(24)] = level
    write(capture, "ORCHARD COOPERATIVE", 15, 16, 70, 1.6)
    fall = np.linspace(1.0, 0.96, capture.shape[1])[None] * np.linspace(0.96, 1.0, capture.shape[0])[:, None]
    frame = find_sheet(noisy((capture * fall).astype(np.uint8)), DPI)
    assert frame.confidence < 0.5 or frame.corners[0][1] < 8


@pytest.mark.parametrize(("right_mm", "is_doubtful"), [(203, True), (209, False)])
def test_a_side_along_a_picture_is_doubtful_where_the_sheet_goes_on(right_mm: float, is_doubtful: bool) -> None:
    capture = np.full((px(297), px(216)), LID, np.uint8)
    capture[px(4) : px(294), px(3) : px(209)] = PAPER
    capture[px(10) : px(290), px(9) : px(203)] = 90
    capture[:, px(209) : px(209.5)] -= 25  # the shadow of the sheet's edge
    corners = np.array([(px(3), px(4)), (px(right_mm), px(4)), (px(right_mm), px(294)), (px(3), px(294))], np.float64)
    grey = noisy(capture)
    assert ends_in_picture(grey, DPI, coarse(grey, DPI), corners) is is_doubtful


@pytest.mark.parametrize(("y_mm", "lost"), [(33.0, [0]), (29.0, [0]), (24.5, []), (20.0, [])])
def test_a_side_that_runs_through_a_line_of_print_or_leaves_one_out_is_told(y_mm: float, lost: list[int]) -> None:
    page = noisy(text_page())  # the first line of print stands from 27 to 31 mm
    printed = PrintMap(coarse(page, DPI))
    corners = np.array([(px(5), px(y_mm)), (px(205), px(y_mm)), (px(205), px(290)), (px(5), px(290))], np.float64)
    assert printed.lost_beyond(corners) == lost


def test_the_margin_of_a_text_is_told_from_the_edge_of_a_sheet() -> None:
    page = noisy(text_page())  # its lines begin at 25 mm and end before 200
    printed = PrintMap(coarse(page, DPI))
    for left_mm, sides in ((24.4, [3]), (18.0, [])):
        corners = np.array([(px(left_mm), px(5)), (px(205), px(5)), (px(205), px(290)), (px(left_mm), px(290))], float)
        assert printed.beginning_at(corners) == sides


@pytest.mark.parametrize(("right_mm", "is_doubtful"), [(203, True), (209, False)])
def test_a_side_along_a_picture_is_doubtful_where_the_other_sides_lie_beyond_the_capture(
    right_mm: float, is_doubtful: bool
) -> None:
    capture = np.full((px(290), px(216)), PAPER, np.uint8)
    capture[:, px(209) :] = LID
    capture[:, px(209) : px(209.5)] -= 25  # the shadow of the sheet's edge
    capture[px(10) : px(240), px(9) : px(203)] = 90
    right, below = px(right_mm), px(290) - 1
    corners = np.array([(0, 0), (right, 0), (right, below), (0, below)], np.float64)
    grey = noisy(capture)
    assert ends_in_picture(grey, DPI, coarse(grey, DPI), corners) is is_doubtful


def test_the_edge_of_a_picture_is_doubtful_where_it_is_the_only_side_that_is_seen() -> None:
    page = np.full((px(297), px(210)), PAPER, np.uint8)
    page[px(5) : px(225), px(6) : px(204)] = 130
    beyond, right = px(297) - 1, px(204)
    corners = np.array([(0, 0), (right, 0), (right, beyond), (0, beyond)], np.float64)
    grey = noisy(page)
    assert ends_in_picture(grey, DPI, coarse(grey, DPI), corners)


def test_a_sheet_is_seen_where_the_lid_on_its_bright_side_is_as_bright_as_its_dark_one() -> None:
    """Its own sides are seen all along, though no one level tells it from the lid."""
    capture = np.full((px(297), px(216)), 238, np.uint8)
    capture[px(20) : px(230), px(16) : px(164)] = 249
    write(capture, "a note on a small sheet", 40, 60)
    across = np.linspace(1.0, 0.94, capture.shape[1])[None]
    seen = capture * across * np.linspace(1.0, 0.95, capture.shape[0])[:, None]
    (left, top), _, (right, bottom), _ = find_sheet(noisy(seen.astype(np.uint8)), DPI).corners
    assert (left, top, right, bottom) == pytest.approx((16, 20, 164, 230), abs=0.6)


def test_a_sheet_is_not_cut_at_a_fold_that_is_as_dark_as_the_lid() -> None:
    capture = np.full((px(305), px(218)), 232, np.uint8)
    page = text_page(paper=249)
    page[: px(60)] = 249
    away_mm = np.abs(np.arange(len(page)) - px(52)) / px(1)
    folded = page - 26 * np.exp(-((away_mm / 1.3) ** 2))[:, None]
    capture[px(4) : px(4) + len(page), px(4) : px(4) + page.shape[1]] = folded.clip(0, 255)
    frame = find_sheet(noisy(capture), DPI)
    (left, top), _, (right, bottom), _ = frame.corners
    assert (left, top, right, bottom) == pytest.approx((4, 4, 214, 301), abs=0.6)


def test_a_margin_of_text_is_not_a_sure_side_where_paper_and_lid_are_alike(monkeypatch: pytest.MonkeyPatch) -> None:
    page = noisy(text_page())  # its lines begin at 25 mm
    along_text = ((24.4, 5.0), (205.0, 5.0), (205.0, 290.0), (24.4, 290.0))
    monkeypatch.setattr(sheet, "_plain_frames", lambda *_: [SheetFrame(along_text, 0.96)])
    frame = find_sheet(page, DPI)
    assert frame.confidence < 0.5 or frame.corners[0][0] < 20


@pytest.mark.parametrize("backing", [40, 150, 200])
def test_neither_backing_nor_shadow_is_print(backing: int) -> None:
    capture = np.full((px(297), px(216)), backing, np.uint8)
    sheet = text_page()[: px(210), : px(148)]
    capture[px(12) : px(12) + len(sheet), px(10) : px(10) + sheet.shape[1]] = sheet
    shadow = slice(px(12) + len(sheet), px(12) + len(sheet) + px(0.8))
    capture[shadow, px(10) : px(10) + sheet.shape[1]] = max(0, backing - 60)
    capture[:, px(60) : px(60.5)] = np.minimum(
        capture[:, px(60) : px(60.5)], backing - 25
    )  # dust on the feeder's glass
    frame = find_sheet(noisy(capture), DPI)
    assert frame.confidence >= 0.5
    assert np.array(frame.corners) == pytest.approx(np.array([(10, 12), (158, 12), (158, 222), (10, 222)]), abs=0.9)


def kinds(page: Pixels) -> set[FindingKind]:
    """Return what is found on a page."""
    return {finding.kind for finding in judge_quality(page, DPI)}


@pytest.mark.parametrize(
    ("top_mm", "bottom_mm", "is_dust"), [(0, 297, True), (30, 285, False), (0, 250, False), (20, 297, False)]
)
def test_a_line_is_dust_only_where_it_runs_from_edge_to_edge(top_mm: float, bottom_mm: float, is_dust: bool) -> None:
    page = text_page().astype(np.int16)
    page[px(top_mm) : px(bottom_mm), px(120) : px(120) + 2] -= 40
    assert (FindingKind.DUST_LINE in kinds(noisy(np.clip(page, 0, 255).astype(np.uint8)))) is is_dust


def test_faint_print_is_not_blank_and_is_told_to_be_faint() -> None:
    page = noisy(text_page(level=PAPER - 36))
    assert not judge_blank(page, DPI).is_blank
    assert FindingKind.FAINT in kinds(page)


def test_what_shines_through_is_blank() -> None:
    through = cv2.GaussianBlur(np.ascontiguousarray(text_page(level=PAPER - 36)[:, ::-1]), (0, 0), px(0.3))
    assert judge_blank(noisy(np.asarray(through, np.uint8)), DPI).is_blank


def test_two_words_of_a_caption_are_too_little_to_be_sure_of_the_way_up() -> None:
    plate = np.full((px(297), px(210)), PAPER, np.uint8)
    plate[px(20) : px(230), px(15) : px(195)] = 90
    write(plate, "apple bough", 80, 245)
    for turns in range(4):
        lying = np.ascontiguousarray(np.rot90(noisy(plate), turns))
        assert find_upright(lying, DPI).confidence < 0.5
    assert find_upright(noisy(text_page()), DPI).confidence >= 0.5
