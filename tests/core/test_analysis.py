"""What is found on drawn pages whose truth is known."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from papiermappe.core.analysis import analyse
from papiermappe.core.clean import ColourKind, FindingKind, estimate_skew, find_sheet
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.paper import A4
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.treatment import Origin, page_size_mm
from papiermappe.standin.paper.drawing import Drawing, draw_side
from papiermappe.standin.paper.originals import ORIGINALS
from papiermappe.standin.paper.physics import Lay, Optics, Region, corners_mm, scan

DPI = 150
GLASS = Optics((208, 210, 211), 2.5, shadow=0.35)
FEEDER = Optics((74, 76, 80), 0.8, dust_lines_mm=(61.5,))


def scanned(key: str, skew_deg: float, optics: Optics, dpi: int = DPI) -> tuple[Pixels, np.ndarray]:
    """Return a scan of an original's first front, and its true corners in mm."""
    original = ORIGINALS[key]
    side = draw_side(original.paper, original.sheets[0].front)
    region = Region(0, 0, original.paper.width_mm + 20, original.paper.height_mm + 20)
    lay = Lay((region.width_mm / 2, region.height_mm / 2), skew_deg)
    return scan(side, None, lay, optics, region, dpi, 5), np.array(corners_mm(side, lay, region))


@pytest.mark.parametrize("optics", [GLASS, FEEDER], ids=["glass", "feeder"])
@pytest.mark.parametrize("skew_deg", [-2.4, -0.31, 0.0, 0.07, 1.9])
@pytest.mark.parametrize("key", ["lease", "delivery-118", "hail", "german", "weigh-2041", "picture", "receipt"])
def test_skew_and_sheet_of_the_demo_papers(key: str, skew_deg: float, optics: Optics) -> None:
    pixels, corners = scanned(key, skew_deg, optics)
    found = analyse(CapturedPicture(encode_jpeg(pixels), DPI)).treatment
    straighten, crop = found.straighten, found.crop
    assert straighten is not None
    assert straighten.on
    assert straighten.skew_deg == pytest.approx(skew_deg, abs=0.2)
    assert crop is not None
    assert crop.on
    assert found.quarter_turns == 0
    assert np.abs(np.array(crop.corners) - corners).max() < 0.35


def test_the_sign_counter_clockwise_is_positive() -> None:
    """A line that rises to the right has been turned counter-clockwise."""
    page = np.full((600, 600), 250, np.uint8)
    for start in range(100, 500, 40):
        for col in range(60, 540):
            row = start - round((col - 60) * np.tan(np.radians(3)))
            page[row : row + 6, col] = 10
    found = estimate_skew(page, 150)
    assert found.skew_deg == pytest.approx(3.0, abs=0.1)
    assert found.confidence > 0.5


@pytest.mark.parametrize(
    "page", [np.full((300, 200), 255, np.uint8), np.zeros((300, 200), np.uint8), np.zeros((1, 1), np.uint8)]
)
def test_pages_without_print_say_that_they_are_not_sure(page: Pixels) -> None:
    assert estimate_skew(page, 100).confidence < 0.2


def test_noise_is_not_taken_for_print() -> None:
    noise = np.random.default_rng(1).normal(200, 30, (900, 700)).clip(0, 255).astype(np.uint8)
    assert estimate_skew(noise, 150).confidence < 0.2


def test_a_blank_back_is_straightened_by_its_edges() -> None:
    blank = draw_side(ORIGINALS["lease"].paper, None)
    region = Region(0, 0, 230, 317)
    pixels = scan(blank, None, Lay((115, 158.5), 0.6), FEEDER, region, DPI, 3)
    look = analyse(CapturedPicture(encode_jpeg(pixels), DPI))
    assert look.treatment.skew_deg == pytest.approx(0.6, abs=0.1)
    assert page_size_mm(pixels.shape[1], pixels.shape[0], DPI, look.treatment) == (210, 297)
    assert [finding.kind for finding in look.findings] == [FindingKind.BLANK]
    assert look.colour is not ColourKind.COLOUR


@pytest.mark.parametrize(
    ("optics", "known"), [(GLASS, set()), (FEEDER, {FindingKind.DUST_LINE})], ids=["glass", "feeder"]
)
@pytest.mark.parametrize("dpi", [100, 200])
def test_a_good_page_is_not_found_fault_with(dpi: int, optics: Optics, known: set[FindingKind]) -> None:
    """What shows at the rim, and grain at resolutions that are not halved, are no faults of the page."""
    pixels, _ = scanned("letter-share", 0.7, optics, dpi)
    look = analyse(CapturedPicture(encode_jpeg(pixels), dpi))
    assert {finding.kind for finding in look.findings} == known


@pytest.mark.parametrize("turns", [1, 2, 3])
def test_a_page_that_lies_the_wrong_way_round_is_turned(turns: int) -> None:
    pixels, _ = scanned("german", 0.4, FEEDER)
    lying = CapturedPicture(encode_jpeg(np.ascontiguousarray(np.rot90(pixels, -turns))), DPI)
    found = analyse(lying).treatment
    assert (found.quarter_turns, found.turn_origin) == (turns, Origin.FOUND)


def test_where_no_sheet_stands_out_the_whole_capture_is_the_frame() -> None:
    frame = find_sheet(np.full((297, 210), 250, np.uint8), 25.4)
    assert frame.confidence == 0
    assert np.array(frame.corners) == pytest.approx(np.array([(0, 0), (210, 0), (210, 297), (0, 297)]))


def two_columns(page: Drawing) -> None:
    """Draw two columns of print whose lines are 1.7 mm off each other."""
    for x_mm, y_mm in ((18.0, 30.0), (110.0, 31.7)):
        for _ in range(7):
            y_mm = page.paragraph(
                x_mm, y_mm, 80, "Windfalls go to the press on Fridays and are paid by weight. " * 5, 10
            )


@pytest.mark.parametrize("skew_deg", [-12.0, -0.04, 0.0, 0.06, 3.3, 14.5])
def test_columns_whose_lines_are_not_level_with_each_other(skew_deg: float) -> None:
    page = draw_side(A4, two_columns).raster(DPI)
    height, width = page.shape[:2]
    turn = cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), skew_deg, 1.0)  # counter-clockwise, too
    turned = np.asarray(cv2.warpAffine(page, turn, (width, height), borderValue=(255, 255, 255)), np.uint8)
    assert estimate_skew(turned, DPI).skew_deg == pytest.approx(skew_deg, abs=0.03)


@given(st.floats(-8, 8))
@settings(deadline=None, max_examples=15)
def test_a_mirrored_page_is_turned_the_other_way(skew_deg: float) -> None:
    pixels, _ = scanned("german", skew_deg, FEEDER)
    page = pixels[200:-200, 200:-200]
    straight, mirrored = (estimate_skew(np.ascontiguousarray(one), DPI) for one in (page, page[:, ::-1]))
    assert mirrored.skew_deg == pytest.approx(-straight.skew_deg, abs=0.03)
    assert straight.skew_deg == pytest.approx(skew_deg, abs=0.05)


@pytest.mark.parametrize("dpi", [30.0, 150.0, 600.0])
@pytest.mark.parametrize("shape", [(1, 1), (2, 1), (1, 301), (640, 2), (3, 900), (7, 3)])
def test_a_picture_that_is_next_to_nothing_is_examined(shape: tuple[int, int], dpi: float) -> None:
    for level in (0, 128, 255):
        page = CapturedPicture(encode_png(np.full((*shape, 3), level, np.uint8)), dpi)
        assert -45 <= analyse(page).treatment.skew_deg <= 45
