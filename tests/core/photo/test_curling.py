"""Bent paper, photographed and made straight: its lines of print, what is seen of its sides, what is left alone."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from tests.core.test_flattening import SLANTED, page

from papiermappe.core.analysis import Analysis, analyse
from papiermappe.core.clean.pieces import boxes_of
from papiermappe.core.curl import Curl
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.operations import Uncurl
from papiermappe.core.photo import find_curl, look_for_sheet
from papiermappe.core.photo.print_lines import trace_lines
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.treatment import render
from papiermappe.standin.camera.optics import Camera
from papiermappe.standin.camera.scene import Lying, Scene, Table, photograph

CAMERA = Camera(1200, 1600, eye_mm=(40, 110, 420), aim_mm=(0, 0), view_deg=46)
DPI = 100.0  # of the sheet that is drawn
ROWS = range(14)


def printed(rows: range = ROWS) -> Pixels:
    """Return an A4 sheet with rows of print: letters of 2.5 mm in words, from 25 mm to 185 mm."""
    sheet = np.full((round(mm_to_px(297, DPI)), round(mm_to_px(210, DPI)), 3), 244, np.uint8)
    hand = np.random.default_rng(3)
    for row in rows:
        foot = round(mm_to_px(40 + 16 * row, DPI))
        left = mm_to_px(25, DPI)
        while left < mm_to_px(185, DPI):
            for _ in range(int(hand.integers(2, 7))):
                tall = round(mm_to_px(2.5 if hand.random() < 0.7 else 3.4, DPI))
                sheet[foot - tall : foot, round(left) : round(left) + 6] = 40
                left += 8
            left += 8
    return sheet


BENT = Lying(printed(), 210, 297, turn_deg=3, bow_mm=14)


def taken(sheet: Lying) -> CapturedPicture:
    """Return a photo of a sheet on a dark table."""
    pixels = photograph(Scene(Table.SLATE, sheet, seed=3), CAMERA)
    seen = look_for_sheet(CapturedPicture(encode_png(pixels), 150, by_camera=True))
    assert seen.dpi is not None
    return CapturedPicture(encode_png(pixels), seen.dpi, by_camera=True, sheet=seen.found.on_capture(seen.dpi))


def bends_mm(page_picture: Pixels, dpi: float) -> list[float]:
    """Return how far each row of print is off a straight line, where it is farthest: from the picture alone."""
    ink = (cv2.cvtColor(page_picture, cv2.COLOR_RGB2GRAY) < 150).astype(np.uint8)
    count, _, stats, _ = cv2.connectedComponentsWithStats(ink)
    boxes = stats[1:count]
    letters = boxes[(boxes[:, 3] > mm_to_px(1.6, dpi)) & (boxes[:, 3] < mm_to_px(5, dpi))]
    x, foot = letters[:, 0] + letters[:, 2] / 2, letters[:, 1] + letters[:, 3]
    rows: list[list[tuple[float, float]]] = []
    for at in np.argsort(x):  # each letter joins the row whose last letter stands at about its height
        near = [row for row in rows if abs(row[-1][1] - foot[at]) < mm_to_px(2, dpi)] or [[]]
        near[0].append((float(x[at]), float(foot[at])))
        if len(near[0]) == 1:
            rows.append(near[0])
    off = []
    for row in rows:
        places = np.array(row, np.float64)
        if len(places) >= 40:
            line = np.polyfit(places[:, 0], places[:, 1], 1)
            # The mean of neighbours: a letter's own foot is exact to a pixel only.
            smooth = np.convolve(places[:, 1] - np.polyval(line, places[:, 0]), np.full(5, 0.2), "valid")
            off.append(float(np.abs(smooth).max()) / mm_to_px(1, dpi))
    return off


@pytest.fixture(scope="module")
def bent() -> tuple[CapturedPicture, Analysis]:
    """Return a photo of a bent sheet, and what is found on it."""
    capture = taken(BENT)
    return capture, analyse(capture)


def test_the_lines_of_print_of_a_bent_sheet_become_straight(bent: tuple[CapturedPicture, Analysis]) -> None:
    capture, analysis = bent
    curl = analysis.treatment.curl
    assert curl is not None
    assert curl.on
    assert not curl.sideways
    before = bends_mm(render(capture, analysis.treatment.model_copy(update={"curl": None})), capture.dpi)
    after = bends_mm(render(capture, analysis.treatment), capture.dpi)
    assert len(before) >= 8
    assert max(before) > 1.5
    assert len(after) >= 8
    assert max(after) <= 0.6
    assert abs(analysis.treatment.skew_deg) < 0.3


def test_a_flat_sheet_is_not_bent() -> None:
    assert analyse(taken(replace(BENT, bow_mm=0.0))).treatment.curl is None


def test_a_sheet_that_lies_sideways_bends_along_its_left_and_right_side() -> None:
    curl = analyse(taken(replace(BENT, turn_deg=86))).treatment.curl
    assert curl is not None
    assert curl.on
    assert curl.sideways


def test_without_print_the_sides_tell() -> None:
    blank = replace(BENT, pixels=printed(range(0)))
    curl = analyse(taken(blank)).treatment.curl
    assert curl is not None
    assert curl.on
    # The sheet's middle stands up by 14 mm, 420 mm below the camera: its ends are seen 3.4 % farther apart.
    assert curl.last[1] - curl.first[1] == pytest.approx(297 * 14 / (420 - 14), rel=0.15)


def test_what_is_no_print_says_nothing() -> None:
    hand = np.random.default_rng(8)
    ink = np.zeros((1200, 900), np.uint8)
    for _ in range(900):
        row, col = hand.integers(20, 1180), hand.integers(20, 880)
        ink[row : row + 9, col : col + 6] = 1
    curl = find_curl(ink, 100.0)
    assert curl is None or not curl.on


def test_each_line_is_traced_by_itself() -> None:
    ink = np.zeros((600, 1200), np.uint8)
    for number, top in enumerate((100, 240, 380)):
        for letter in range(60):
            foot = top + round(14 * np.sin(letter / 20)) + 20 * number
            ink[foot - 16 : foot, 60 + 17 * letter : 70 + 17 * letter] = 1
    feet = trace_lines(boxes_of(ink), 150.0)
    assert np.bincount(feet.line).tolist() == [60, 60, 60]
    for line in range(3):  # feet are where the letters end, in px from the top
        own = feet.y[feet.line == line]
        assert own[0] == pytest.approx((100, 240, 380)[line] + 20 * line - 0.5, abs=1)


def test_the_curl_is_switched_off_and_on_again() -> None:
    curl = Curl(first=(1, 2, 1), last=(0, 0, 0), confidence=0.9)
    state = page(page().treatment.model_copy(update={"corners": SLANTED, "curl": curl}))
    off = Uncurl(pages=(1,), on=False).apply([state])
    assert off[1]["curl"]["on"] is False
    assert Uncurl(pages=(1,), on=True).apply([state]) == {}
    assert Uncurl(pages=(1,), on=False).apply([page()]) == {}  # nothing is known to bend
    assert Uncurl(pages=(1,), on=False).message(1).code == "uncurl_off"
