"""How ink and paper are shown: brightness and contrast, how much is ink, specks, what shines through."""

from collections.abc import Callable
from itertools import pairwise

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.clean.background import paper_cells
from papiermappe.core.clean.clearing import Areas, clear
from papiermappe.core.clean.specks import despeckle
from papiermappe.core.clean.tone import adjusted, binarise
from papiermappe.core.clean.whitening import whiten, without_show_through
from papiermappe.core.marks import Mark, draw_marks
from papiermappe.core.operations import Adjust, PageState
from papiermappe.core.order.places import Side
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.treatment import Tone, Treatment, render
from papiermappe.core.zones import ZoneKind

Png = Callable[..., CapturedPicture]
DPI = 100


@pytest.fixture
def page() -> Pixels:
    """A tinted page, darker to the right, with print, print that shines through, a red stamp and a speck."""
    light = np.linspace(1.0, 0.85, 500)[None, :, None]
    picture = np.broadcast_to(np.array([246, 238, 220]) * light, (400, 500, 3)).copy()
    picture[60:66, 60:400] *= 0.12  # print
    picture[120:126, 60:400] *= 0.92  # shines through
    picture[200:240, 300:306] *= (0.85, 0.3, 0.3)  # red
    picture[330, 100] *= 0.2  # alone
    return np.rint(picture).astype(np.uint8)


def test_what_shines_through_goes_and_the_paper_keeps_its_tint(page: Pixels) -> None:
    clean = without_show_through(page, DPI).astype(int)
    paper = page[100, 60:400].astype(int)
    assert np.abs(clean[123, 60:400] - paper).max() <= 3
    assert clean[63, 60:400].max() < 60
    red, green, _ = clean[220, 303]
    assert red > green + 60
    assert np.abs(clean[20] - page[20]).max() <= 3  # light and tint of bare paper


AREA = np.array([(20.0, 20.0), (40.0, 20.0), (40.0, 45.0), (20.0, 45.0)])
STRIP = np.array([(60.0, 0.0), (61.0, 0.0), (61.0, 90.0), (60.0, 90.0)])
STAGES: dict[str, Callable[[Pixels, Pixels | None], object]] = {
    "whiten": lambda page, out: whiten(page, DPI, out=out),
    "without_show_through": lambda page, out: without_show_through(page, DPI, out=out),
    "adjusted": lambda page, out: adjusted(page, 10, 20, out=out),
    "despeckle": lambda page, out: despeckle(page, DPI, out=out),
    "clear": lambda page, out: clear(page, Areas([AREA, STRIP]), DPI, out=out),
    "draw_marks": lambda page, out: draw_marks(page, [Mark(ZoneKind.BLACKOUT, AREA)], DPI, out=out),
}


@pytest.mark.parametrize("stage", STAGES)
@pytest.mark.parametrize("in_colour", [True, False])
def test_a_page_may_be_written_over_itself(page: Pixels, stage: str, in_colour: bool) -> None:
    """What comes out is the same as in a picture of its own, of which the page itself knows nothing."""
    untouched = page if in_colour else page[..., 1].copy()
    before = untouched.copy()
    alone = STAGES[stage](untouched, None)
    assert np.array_equal(untouched, before)
    assert not np.array_equal(np.asarray(alone), before)
    over = before.copy()
    assert STAGES[stage](over, over) is over
    assert np.array_equal(over, np.asarray(alone))


@pytest.mark.parametrize("keeps_paper", [True, False])
def test_paper_is_taken_out_as_plain_division_does(page: Pixels, keeps_paper: bool) -> None:
    """Level against paper, the gap to white paled by how light the darkest channel is, and back onto the paper."""
    cells = paper_cells(page, DPI)
    paper = np.stack([cv2.resize(cells.colour.astype(float)[..., at], (500, 400)) for at in range(3)], axis=2)
    level = np.minimum(255.0 * page / paper, 255)
    kept = np.clip((222 - level.min(axis=2)) / (222 - 178), 0, 1)[..., None]
    expected = 255 - (255 - level) * kept
    if keeps_paper:
        expected *= paper / 255
    clean = (without_show_through if keeps_paper else whiten)(page, DPI)
    # Paper and level are rounded, each by half a level, and the slope is 1 + 77 / 44 at most; then the result is.
    assert np.abs(clean - expected).max() < 2.75 + 1
    assert np.abs(clean - expected).mean() < 0.5


def test_levels_are_moved_and_spread_about_the_middle() -> None:
    ramp = np.arange(256, dtype=np.uint8)[None, :]
    assert np.array_equal(adjusted(ramp, 0, 0), ramp)
    assert adjusted(ramp, 50, 0)[0, 100] == 164
    assert adjusted(ramp, -100, 0)[0, 128] == 0
    assert adjusted(ramp, 0, 50)[0, [128, 138, 100]].tolist() == [128, 148, 72]
    assert np.all(adjusted(ramp, 0, -100) == 128)


@given(st.integers(-100, 100), st.integers(-100, 100))
def test_adjusting_keeps_the_order_of_levels(brightness: int, contrast: int) -> None:
    ramp = adjusted(np.arange(256, dtype=np.uint8)[None, :], brightness, contrast)[0].astype(int)
    assert (np.diff(ramp) >= 0).all()


def test_more_ink_and_less(page: Pixels) -> None:
    """Each step holds all ink of the step before; at the ends what shines through is ink, or hardly the print is."""
    inks = [binarise(page, DPI, more) for more in (-100, -50, 0, 50, 100)]
    assert all(not (less & ~more).any() for less, more in pairwise(inks))
    assert inks[-1][123, 60:400].mean() > 0.9
    assert inks[2][123, 60:400].mean() < 0.05
    assert inks[2][63, 60:400].all()


@pytest.mark.parametrize("tone", list(Tone))
def test_a_speck_goes_in_every_tone(tone: Tone, page: Pixels, png: Png) -> None:
    with_it, without = (render(png(page, DPI), Treatment(tone=tone, without_specks=clean)) for clean in (False, True))
    assert with_it[330, 100].min() < 90
    assert without[330, 100].min() > 180
    assert without[63, 200].max() < 60


def test_white_paper_is_brightened_like_any_other(page: Pixels, png: Png) -> None:
    treatment = Treatment(tone=Tone.WHITE, brightness=-20, contrast=20)
    shown = render(png(page, DPI), treatment)
    assert shown[20, 20].max() == adjusted(np.full((1, 1), 255, np.uint8), -20, 20)[0, 0]


def test_only_what_is_given_is_adjusted_and_only_where_it_differs() -> None:
    pages = [
        PageState(number, 1, 0, Side.FRONT, False, Treatment(brightness=level, contrast=7), 7)  # type: ignore[arg-type]  # no rank is needed
        for number, level in ((1, 0), (2, 10))
    ]
    assert Adjust(pages=(1, 2), brightness=10).apply(pages) == {1: {"brightness": 10}}
    off = Adjust(pages=(1, 2), brightness=0, contrast=0, without_specks=False)
    assert off.apply(pages) == {1: {"contrast": 0}, 2: {"brightness": 0, "contrast": 0}}


def test_each_adjustment_makes_another_picture() -> None:
    changes = (
        {"brightness": 5},
        {"contrast": 5},
        {"ink_more": 5},
        {"without_specks": True},
        {"without_show_through": True},
    )
    keys = {Treatment.model_validate(change).picture_key("abc") for change in (*changes, {})}
    assert len(keys) == len(changes) + 1
