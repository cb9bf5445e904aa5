"""Areas that are cleared: what is inside becomes the paper around it, what is outside stays as it is."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from papiermappe.core.clean import Areas, clear
from papiermappe.core.clean.clearing import cleared
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

DPI = 150
SHAPE = (900, 700)  # 152 x 119 mm


def px(mm: float) -> int:
    """Return a length in pixels."""
    return round(mm / 25.4 * DPI)


def rectangle(x: float, y: float, width: float, height: float) -> NDArray[np.float64]:
    """Return the corners of a rectangle in mm."""
    return np.array([(x, y), (x + width, y), (x + width, y + height), (x, y + height)], np.float64)


def uneven_paper() -> NDArray[np.float64]:
    """Return a tinted paper under uneven light, without grain: 20 levels less at the right, 12 less at the foot."""
    down, across = np.mgrid[0 : SHAPE[0], 0 : SHAPE[1]]
    light = 1 - 0.08 * across / SHAPE[1] - 0.05 * (down / SHAPE[0]) ** 2
    return np.asarray(np.array([244.0, 238.0, 214.0]) * light[..., None], np.float64)


def printed(paper: NDArray[np.float64], seed: int = 1, sigma: float = 2.0) -> Pixels:
    """Return the paper with lines of words and grain."""
    rng = np.random.default_rng(seed)
    page = paper.copy()
    for line in range(12):
        at = px(10) + line * px(11)
        for word in range(9):
            left = px(18) + word * px(10)
            page[at : at + px(2), left : left + px(rng.uniform(3, 8))] = 40
    return (page + rng.normal(0, sigma, page.shape)).clip(0, 255).astype(np.uint8)


@pytest.mark.parametrize(
    ("name", "area"),
    [
        ("hole beside print", rectangle(8, 70, 9, 9)),
        ("fold between the lines", rectangle(-5, 63, 130, 6)),
        ("shadow along an edge", rectangle(110, 0, 20, 160)),
        ("corner", rectangle(0, 0, 14, 9)),
        ("turned a little", np.array([(8, 100), (16, 101), (15, 109), (7, 108)], np.float64)),
    ],
)
def test_what_is_filled_is_within_two_levels_of_the_paper(name: str, area: NDArray[np.float64]) -> None:
    paper = uneven_paper()
    page = printed(paper)
    inside = cleared(SHAPE, Areas([area]), DPI)
    page[inside] = 30  # something dark lies there
    clean = clear(page, Areas([area]), DPI)
    assert np.array_equal(clean[~inside], page[~inside])
    off = clean[inside].astype(float) - paper[inside]
    assert np.percentile(np.abs(off), 95) <= 2.0, name


def test_all_outside_of_a_frame_is_cleared() -> None:
    paper = uneven_paper()
    page = printed(paper)
    frame = rectangle(12, 8, 95, 136)
    page[:, : px(5)] = 20
    page[-px(5) :] = 90
    clean = clear(page, Areas(kept=[frame]), DPI)
    inside = cleared(SHAPE, Areas([frame]), DPI)
    assert np.array_equal(clean[inside], page[inside])
    off = clean[~inside].astype(float) - paper[~inside]
    assert np.percentile(np.abs(off), 95) <= 4.0  # up to 12 mm beyond what is known, where the light goes on to fall


def test_print_that_runs_across_a_line_of_dust_is_carried_on() -> None:
    clean_page = printed(uneven_paper())
    page = clean_page.copy()
    strip = np.array([(60, -5), (60.8, -5), (62.8, 160), (62, 160)], np.float64)  # it leans: the page was straightened
    down = np.arange(SHAPE[0])
    middle = px(60) + (down / SHAPE[0] * px(2) + px(0.4) + px(5) * 2 / 165).astype(int)
    for row, col in zip(down, middle, strict=True):
        page[row, col : col + 2] = np.clip(page[row, col : col + 2].astype(int) - 45, 0, 255)
    bridged = clear(page, Areas([strip]), DPI)
    inside = cleared(SHAPE, Areas([strip]), DPI)
    assert np.array_equal(bridged[~inside], page[~inside])
    off = np.abs(bridged.astype(int) - clean_page)[inside].max(axis=1)
    # grain differs by some levels; only where a word begins or ends within the strip is more lost
    assert np.mean(off <= 14) >= 0.95
    dark = (clean_page[..., 0] < 80) & inside
    assert (bridged[..., 0][dark] < 110).mean() >= 0.9


def test_a_strip_down_a_whole_page_at_scanning_resolution_is_bridged() -> None:
    page = np.full((4000, 300, 3), 240, np.uint8)  # 339 mm at 300 dpi: 48,000 pixels of a strip 12 wide
    page[:, 145:155] = 150
    page[1000:1030] = 40  # a rule runs across
    clean = clear(page, Areas([rectangle(12.1, -5, 1.2, 400)]), 300)
    assert clean[:990].min() > 235
    assert clean[1040:].min() > 235
    assert clean[1005:1025].max() < 60


def test_two_frames_keep_both_and_a_wipe_goes_before_them() -> None:
    first, second = rectangle(10, 10, 40, 40), rectangle(60, 10, 40, 40)
    mask = cleared(SHAPE, Areas(wiped=[rectangle(20, 20, 5, 5)], kept=[first, second]), DPI)
    assert not mask[px(15), px(15)]
    assert not mask[px(15), px(80)]
    assert mask[px(15), px(55)]
    assert mask[px(22), px(22)]


def test_a_page_wiped_whole_becomes_paper() -> None:
    page = printed(uneven_paper())
    clean = clear(page, Areas([rectangle(-10, -10, 300, 300)]), DPI)
    assert clean.min() > 180


def test_a_bilevel_scan_stays_bilevel() -> None:
    page = np.where(printed(uneven_paper())[..., 0] < 128, np.uint8(0), np.uint8(255))
    clean = clear(page, Areas([rectangle(20, 20, 30, 30)]), DPI)
    assert set(np.unique(clean)) == {0, 255}


def test_nothing_to_clear_gives_the_page_itself() -> None:
    page = printed(uneven_paper())
    assert clear(page, Areas(), DPI) is page
    assert np.array_equal(clear(page, Areas([rectangle(500, 500, 9, 9)]), DPI), page)


@settings(max_examples=40, deadline=None)
@given(
    st.lists(
        st.tuples(*(st.floats(-4000, 4000) for _ in range(2)), *(st.floats(0.01, 4000) for _ in range(2))),
        min_size=1,
        max_size=5,
    ),
    st.booleans(),
    st.tuples(st.integers(1, 40), st.integers(1, 40)),
)
def test_any_areas_change_nothing_outside_of_them(
    places: list[tuple[float, float, float, float]], keep: bool, shape: tuple[int, int]
) -> None:
    rng = np.random.default_rng(3)
    page = rng.integers(0, 255, shape).astype(np.uint8)
    corners = [rectangle(*place) for place in places]
    areas = Areas(kept=corners) if keep else Areas(wiped=corners)
    mask = cleared(shape, areas, 75)
    inside, outside = np.zeros(shape, bool), np.ones(shape, bool)  # pixel by pixel, but for those at the very edge
    one = 25.4 / 75
    rows, cols = ((np.arange(side) + 0.5) * one for side in shape)
    for x, y, width, height in places:
        inside |= ((rows > y + one) & (rows < y + height - one))[:, None] & (
            (cols > x + one) & (cols < x + width - one)
        )
        outside &= ~(
            ((rows > y - one) & (rows < y + height + one))[:, None] & ((cols > x - one) & (cols < x + width + one))
        )
    assert (mask[inside] != keep).all()
    assert (mask[outside] == keep).all()
    clean = clear(page, areas, 75)
    assert np.array_equal(clean[~mask], page[~mask])


@pytest.mark.parametrize(
    ("beside", "paper"),
    [
        ((200, 60, 70), (244, 243, 238)),  # a picture above a hole in white paper
        ((252, 252, 250), (221, 230, 242)),  # white paper above a hole in a tinted band
    ],
)
def test_an_area_beside_another_colour_is_filled_with_its_own(
    beside: tuple[int, int, int], paper: tuple[int, int, int]
) -> None:
    """The hole lies 1.5 mm from a border of colours: what is on the other side of it is not what the hole lies on."""
    page = np.full((600, 600, 3), paper, np.uint8)
    page[:200] = beside
    page = np.clip(page + np.random.default_rng(4).normal(0, 2, page.shape), 0, 255).astype(np.uint8)
    whole = page.copy()
    cv2.circle(page, (300, 250), 36, (30, 30, 30), -1)
    corners = np.array([(260, 210), (340, 210), (340, 290), (260, 290)]) / mm_to_px(1.0, DPI)
    filled = clear(page, Areas(wiped=[corners]), DPI)[210:290, 260:340].astype(float)
    assert np.abs(filled.mean(axis=(0, 1)) - whole[210:290, 260:340].mean(axis=(0, 1))).max() <= 2.0
    assert np.abs(filled[:10].mean(axis=(0, 1)) - whole[210:220, 260:340].mean(axis=(0, 1))).max() <= 2.0


@pytest.mark.parametrize("angle_deg", [0.0, 4.0, 37.0, 90.0, 131.0])
@pytest.mark.parametrize("off_mm", [-3.0, 0.0, 4.0])
def test_the_edge_of_a_tint_is_carried_on_through_an_area(angle_deg: float, off_mm: float) -> None:
    """White paper and a tinted band meet; the area lies across, in the middle or nearer an end."""
    rows, cols = np.mgrid[0:600, 0:600]
    angle = np.deg2rad(angle_deg)
    beyond = (rows - 300) * np.cos(angle) - (cols - 300) * np.sin(angle) > px(off_mm)
    drawn = np.where(beyond[..., None], (246, 244, 238), (214, 226, 240)).astype(np.float64)
    page = np.clip(drawn + np.random.default_rng(7).normal(0, 2, drawn.shape), 0, 255).astype(np.uint8)
    cv2.ellipse(page, (300, 300), (30, 38), 0, 0, 360, (50, 50, 50), -1)
    corners = np.array([(265, 257), (335, 257), (335, 343), (265, 343)]) / mm_to_px(1.0, DPI)
    off = clear(page, Areas(wiped=[corners]), DPI)[257:343, 265:335].astype(float) - drawn[257:343, 265:335]
    assert np.abs(off.mean(axis=(0, 1))).max() <= 1.0
    assert np.percentile(np.abs(off), 95) <= 2.0  # all but what lies within a pixel or so of the edge


def test_an_edge_that_ends_in_an_area_is_not_made_up() -> None:
    """A corner of a tinted box lies in the area: no straight edge tells what was there, so one colour fills it."""
    page = np.full((600, 600, 3), (246, 244, 238), np.uint8)
    page[300:, 300:] = (214, 226, 240)
    corners = np.array([(260, 260), (340, 260), (340, 340), (260, 340)]) / mm_to_px(1.0, DPI)
    filled = clear(page, Areas(wiped=[corners]), DPI)[260:340, 260:340].astype(int)
    assert np.abs(filled - (246, 244, 238)).max() <= 2
