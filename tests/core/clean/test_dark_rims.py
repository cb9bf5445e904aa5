"""Dark rims along the edges of scans are found, whatever their shape, and nothing that is printed is taken for one."""

from dataclasses import replace
from decimal import Decimal

import cv2
import numpy as np
import pytest

from papiermappe.core.clean.clearing import Areas, cleared
from papiermappe.core.clean.dark_rims import find_dark_rims
from papiermappe.core.operations import CleanBorders, PageState
from papiermappe.core.order.places import Side
from papiermappe.core.picture import Pixels
from papiermappe.core.treatment import Cropping, Treatment

DPI = 150
WIDTH_MM, HEIGHT_MM = 160.0, 220.0
TEXT_MM = (20.0, 25.0, 140.0, 200.0)


def px(mm: float) -> int:
    """Return a length in whole pixels."""
    return round(mm / 25.4 * DPI)


@pytest.fixture
def page() -> Pixels:
    """A grey scan with lines of print, 20 mm or more from its edges."""
    scan = np.full((px(HEIGHT_MM), px(WIDTH_MM)), 235, np.uint8)
    left, top, right, bottom = TEXT_MM
    for y in np.arange(top, bottom, 5):
        for x in np.arange(left, right - 4, 6):
            scan[px(y) : px(y + 2), px(x) : px(x + 3)] = 30
    return scan


def wiped(scan: Pixels) -> np.ndarray:
    """Return what the strips cover of a scan."""
    return cleared(scan.shape, Areas([np.array(strip) for strip in find_dark_rims(scan, DPI)]), DPI)


def test_a_clean_page_has_none(page: Pixels) -> None:
    assert find_dark_rims(page, DPI) == []


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_rims_all_round_slanting_and_of_any_depth_are_covered_and_print_is_not(page: Pixels, turns: int) -> None:
    scan = page.copy()
    outline = np.array([(2.0, 3.0), (154.0, 1.0), (156.0, 214.0), (4.0, 208.0)])
    beyond = np.ones(scan.shape, np.uint8)
    cv2.fillConvexPoly(beyond, np.rint(outline / 25.4 * DPI).astype(np.int32), (0,))
    scan[beyond > 0] = 20
    scan, beyond = np.ascontiguousarray(np.rot90(scan, turns)), np.rot90(beyond, turns)
    covered = wiped(scan)
    assert (beyond.astype(np.bool_) & ~covered).sum() == 0
    assert covered[beyond == 0].mean() < 0.05
    printed = (np.rot90(page, turns) < 100) & (beyond == 0)
    assert not (covered & printed).any()


def test_a_rule_that_runs_into_a_rim_stays(page: Pixels) -> None:
    scan = page.copy()
    scan[:, : px(6)] = 15
    scan[px(100) : px(100.4), : px(140)] = 30
    covered = wiped(scan)
    assert covered[:, : px(6)].all()
    assert not covered[:, px(8) :].any()


def test_a_slanting_rim_is_wiped_to_where_it_thins_out(page: Pixels) -> None:
    """Towards its end it is thinner than a pixel and blurred, so that nothing of it counts as dark."""
    deep = 4.0 / 25.4 * DPI * (1 - np.arange(len(page)) / px(200))[:, None]
    beside = np.arange(page.shape[1])[None, :]
    share = np.clip(deep - beside, 0, 1)
    scan = cv2.GaussianBlur(page * (1 - share) + 40 * share, (0, 0), 0.7).astype(np.uint8)
    covered = wiped(scan)
    assert not ((beside + 0.5 < deep) & ~covered).any()
    assert not covered[px(212) :, px(2) :].any()


def torn(seed: int, deep_mm: float = 6.0) -> np.ndarray:
    """Return, for each row, how deep a rim along the left edge is that was torn off, in px: bays and teeth."""
    hand = np.random.default_rng(seed)
    knots = deep_mm + hand.uniform(-1.2, 1.2, round(HEIGHT_MM / 2.5))
    return np.interp(np.arange(px(HEIGHT_MM)), np.linspace(0, px(HEIGHT_MM), len(knots)), knots) / 25.4 * DPI


def test_the_bays_of_a_ragged_rim_are_no_letters_in_a_dark_field(page: Pixels) -> None:
    scan = page.copy()
    rim = np.arange(page.shape[1])[None, :] < torn(1)[:, None]
    scan[rim] = 20
    for y_mm in np.arange(20, 200, 12.0):  # narrow and deep, as between two teeth
        scan[px(y_mm) : px(y_mm) + 3, px(2.5) : px(9)] = 235
    covered = wiped(scan)
    assert not ((scan < 100) & rim & ~covered).any()
    assert not covered[page < 100].any()


def test_crumbs_beside_a_ragged_rim_go_with_it(page: Pixels) -> None:
    scan = page.copy()
    rim = np.arange(page.shape[1])[None, :] < torn(2)[:, None]
    scan[rim] = 20
    crumbs = np.zeros(scan.shape, np.bool_)
    for y_mm in (40.0, 90.0, 150.0):
        edge = int(torn(2)[px(y_mm) - 5 : px(y_mm) + 12].max())
        crumbs[px(y_mm) : px(y_mm) + 7, edge + 5 : edge + 12] = True
    scan[crumbs] = 20
    covered = wiped(scan)
    assert covered[crumbs].all()
    assert covered[rim].all()
    assert not covered[page < 100].any()


@pytest.mark.parametrize(
    ("is_torn", "size_mm"),
    [(False, (1.2, 1.2)), (True, (1.6, 2.8))],
    ids=["a dot beside a straight rim", "a digit beside a ragged one"],
)
def test_a_mark_near_a_rim_that_may_be_printed_stays(page: Pixels, is_torn: bool, size_mm: tuple[float, float]) -> None:
    scan = page.copy()
    deep = torn(3) if is_torn else np.full(len(page), float(px(6)))
    scan[np.arange(page.shape[1])[None, :] < deep[:, None]] = 20
    edge = int(deep[px(100) : px(104)].max()) + 8
    mark = slice(px(101), px(101 + size_mm[1])), slice(edge, edge + px(size_mm[0]))
    scan[mark] = 20
    covered = wiped(scan)
    assert not covered[mark].any()
    assert covered[:, : px(4)].all()


def test_a_letter_that_touches_an_even_rim_stays(page: Pixels) -> None:
    scan = page.copy()
    scan[:, : px(6)] = 20
    stem = slice(px(100), px(107)), slice(px(6), px(8.5))
    scan[stem] = 20
    covered = wiped(scan)
    assert covered[:, : px(5.8)].all()
    assert covered[stem].mean() < 0.2  # where it meets the rim


@pytest.mark.parametrize("top_px", range(600, 613))
def test_no_corner_of_a_letter_that_runs_into_an_even_rim_goes_with_it(page: Pixels, top_px: int) -> None:
    """Wherever a strip ends beside it; only where it meets the rim it is not to be told from it."""
    drawn = page.astype(np.float32)
    drawn[:, : px(4)] = 20
    letter = np.zeros(page.shape, np.bool_)
    letter[top_px : top_px + 29, px(4) : px(10)] = True
    drawn[letter] = 20
    covered = wiped(cv2.GaussianBlur(drawn, (0, 0), 0.7).astype(np.uint8))
    assert covered[:, : px(4)].all()
    letter[:, px(4)] = False
    assert (covered & letter).sum() <= 0.1 * px(1) ** 2


@pytest.mark.parametrize("seed", range(5, 9))
def test_arms_of_a_letter_that_run_into_a_ragged_rim_stay(page: Pixels, seed: int) -> None:
    """They are longer than any of its teeth."""
    scan = page.copy()
    deep = torn(seed)
    rim = np.arange(page.shape[1])[None, :] < deep[:, None]
    letter = np.zeros(page.shape, np.bool_)
    for y_mm in (100.0, 104.0):
        letter[px(y_mm) : px(y_mm + 1.4), : px(12)] = True
    letter[px(100) : px(105.4), px(10.5) : px(12)] = True
    scan[rim | letter] = 20
    covered = wiped(scan)
    beyond = np.arange(page.shape[1])[None, :] >= deep[:, None] + px(0.3)
    assert (covered & letter & beyond).sum() <= 0.4 * px(1) ** 2
    assert covered[rim].mean() > 0.99


def test_rims_of_a_coarse_scan_are_found_beside_print() -> None:
    """A pixel is longer than the shortest strip there."""
    dpi = 20
    scan = np.full((round(HEIGHT_MM / 25.4 * dpi), round(WIDTH_MM / 25.4 * dpi)), 235, np.uint8)
    scan[:, :5] = 20
    scan[60:110:2, 5:9] = 20
    assert find_dark_rims(scan, dpi)


def test_what_is_printed_to_the_edge_is_no_rim(page: Pixels) -> None:
    """A picture deeper than three centimetres, a field with letters in it, and letters that are cut off."""
    picture = page.copy()
    picture[: px(60), px(30) : px(130)] = np.random.default_rng(4).integers(20, 90, (px(60), px(130) - px(30)))
    field = page.copy()
    field[: px(18)] = 40
    for x in range(20, 140, 8):
        field[px(6) : px(11), px(x) : px(x + 4)] = 240
    letters = page.copy()
    for y in range(30, 190, 9):
        letters[px(y) : px(y + 3), : px(2)] = 25
    for scan in (picture, field, letters):
        assert not wiped(scan)[: px(60), px(40) : px(120)].any()
    assert not wiped(letters).any()


def test_only_rims_that_are_still_to_be_seen_become_zones(page: Pixels) -> None:
    scan = page.copy()
    scan[:, : px(6)] = 15
    strips = tuple(find_dark_rims(scan, DPI))
    assert strips
    state = PageState(
        3, 1, Decimal(1), Side.FRONT, False, Treatment(), 7, scan_mm=(WIDTH_MM, HEIGHT_MM), dark_rims=strips
    )
    changes = CleanBorders(pages=(3,)).apply([state])
    assert [zone["name"] for zone in changes[3]["zones"]] == ["rim-3-1"]
    done = replace(state, stored_treatment={**Treatment().model_dump(mode="json"), **changes[3]})
    assert CleanBorders(pages=(3,)).apply([done]) == {}
    inner = Cropping(corners=((8.0, 1.0), (158.0, 1.0), (158.0, 218.0), (8.0, 218.0)))
    cropped = replace(state, stored_treatment=Treatment(crop=inner))
    assert CleanBorders(pages=(3,)).apply([cropped]) == {}
