"""Rendering: what a treatment makes of a capture."""

import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.pages import framed_only
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.treatment import Cropping, Straightening, Tone, Treatment, page_box, page_size_mm, render
from papiermappe.core.zones import SheetZone, ZoneKind

Png = Callable[..., CapturedPicture]
A4_CORNERS = ((4.0, 3.0), (214.0, 3.0), (214.0, 300.0), (4.0, 300.0))


def test_doing_nothing_gives_the_capture_back(grey_page: Pixels, png: Png) -> None:
    assert np.array_equal(render(png(grey_page), Treatment()), grey_page)


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_quarter_turns_are_counter_clockwise_and_lossless(turns: int, grey_page: Pixels, png: Png) -> None:
    assert np.array_equal(render(png(grey_page), Treatment(quarter_turns=turns)), np.rot90(grey_page, turns))


def test_a_straight_crop_does_not_resample(png: Png) -> None:
    noise = np.random.default_rng(0).integers(0, 256, (300, 300), np.uint8)
    corners = (
        (25.4, 50.8),
        (76.2, 50.8),
        (76.2, 63.5),
        (25.4, 63.5),
    )  # at 100 dpi: columns 100 to 300, rows 200 to 250
    page = render(png(noise), Treatment(crop=Cropping(corners=corners)))
    assert np.array_equal(page, noise[200:250, 100:300])


def test_a_sheet_that_is_nearly_a4_becomes_exactly_a4() -> None:
    off = tuple((x + 0.6 * (x > 100), y - 0.5 * (y > 100)) for x, y in A4_CORNERS)
    treatment = Treatment(crop=Cropping(corners=off))
    assert page_size_mm(2600, 3700, 300, treatment) == (210, 297)
    assert page_size_mm(2600, 3700, 300, treatment.model_copy(update={"quarter_turns": 1})) == (297, 210)


def test_full_size_is_exact_to_the_pixel(png: Png) -> None:
    capture = png(np.full((1240, 900), 200, np.uint8), dpi=100)
    treatment = Treatment(straighten=Straightening(skew_deg=1.3), crop=Cropping(corners=A4_CORNERS))
    width_mm, height_mm = page_size_mm(900, 1240, 100, treatment)
    assert render(capture, treatment).shape == (round(height_mm / 25.4 * 100), round(width_mm / 25.4 * 100))


@pytest.mark.parametrize("skew_deg", [-7.0, 2.0, 10.0])
def test_straightening_takes_out_the_skew_that_it_names(skew_deg: float, png: Png) -> None:
    """A line drawn counter-clockwise by the skew is level afterwards."""
    page = np.full((400, 400), 255, np.uint8)
    for col in range(60, 340):
        row = 200 - (col - 200) * math.tan(math.radians(skew_deg))
        page[round(row) - 2 : round(row) + 3, col] = 0
    straight = render(png(page), Treatment(straighten=Straightening(skew_deg=skew_deg)))
    ink = straight < 100
    rows = [np.flatnonzero(ink[:, col]).mean() for col in range(straight.shape[1]) if ink[:, col].sum() > 2]
    assert len(rows) > 200
    assert np.ptp(rows[10:-10]) < 1.5


def test_steps_that_are_off_do_nothing(grey_page: Pixels, png: Png) -> None:
    off = Treatment(straighten=Straightening(skew_deg=5, on=False), crop=Cropping(corners=A4_CORNERS, on=False))
    assert np.array_equal(render(png(grey_page), off), grey_page)
    assert off.picture_key("abc") == Treatment().picture_key("abc")


def test_pictures_have_the_same_name_exactly_where_they_look_the_same() -> None:
    sure, unsure = (Treatment(straighten=Straightening(skew_deg=1, confidence=c)) for c in (1.0, 0.6))
    assert sure.picture_key("abc") == unsure.picture_key("abc")
    assert sure.picture_key("abc") != sure.picture_key("abd")
    assert sure.picture_key("abc") != Treatment(straighten=Straightening(skew_deg=1.01)).picture_key("abc")


def test_the_shape_of_a_page_alone_changes_nothing_of_how_it_looks(grey_page: Pixels, png: Png) -> None:
    cleared = SheetZone(name="a", kind=ZoneKind.WIPE, corners=A4_CORNERS)
    looks = Treatment(tone=Tone.BILEVEL, zones=(cleared,), without_specks=True, contrast=20)
    assert np.array_equal(render(png(grey_page), looks.shape_only), grey_page)
    shape = Treatment(straighten=Straightening(skew_deg=2), quarter_turns=1, margins=(3.0, -2.0))
    assert shape.model_copy(update={"tone": Tone.WHITE, "brightness": 5}).shape_only == shape


def test_on_the_pile_a_page_is_framed_and_no_more() -> None:
    shape = Treatment(straighten=Straightening(skew_deg=2), quarter_turns=1)
    looks = shape.model_copy(update={"tone": Tone.BILEVEL, "brightness": 40, "without_specks": True})
    assert framed_only(looks) == shape.model_copy(update={"tone": Tone.GREY})


def test_rendering_twice_gives_the_same_pixels(png: Png) -> None:
    noise = np.random.default_rng(4).integers(0, 256, (250, 200, 3), np.uint8)
    treatment = Treatment(quarter_turns=1, straighten=Straightening(skew_deg=-2.2))
    assert np.array_equal(render(png(noise), treatment), render(png(noise), treatment))


@settings(deadline=None, max_examples=40)
@given(st.floats(-45, 45), st.integers(0, 3), st.integers(20, 400), st.booleans())
def test_a_preview_is_as_wide_as_asked_or_as_wide_as_the_page(
    skew_deg: float, turns: int, width_px: int, crop: bool
) -> None:
    page = np.full((160, 110, 3), 230, np.uint8)
    capture = CapturedPicture(encode_jpeg(page), 100)
    corners = ((3.0, 4.0), (24.0, 4.0), (24.0, 37.0), (3.0, 37.0))
    treatment = Treatment(
        quarter_turns=turns,
        straighten=Straightening(skew_deg=skew_deg),
        crop=Cropping(corners=corners) if crop else None,
    )
    full, preview = render(capture, treatment), render(capture, treatment, width_px)
    assert abs(preview.shape[1] - min(width_px, full.shape[1])) <= 1
    assert preview.shape[0] / preview.shape[1] == pytest.approx(full.shape[0] / full.shape[1], rel=0.12)


@given(st.floats(-20, 20), st.floats(5, 200), st.floats(5, 280))
def test_the_box_holds_every_corner(skew_deg: float, width_mm: float, height_mm: float) -> None:
    corners = ((10.0, 12.0), (10 + width_mm, 12.0), (10 + width_mm, 12 + height_mm), (10.0, 12 + height_mm))
    box = page_box(300, 400, Treatment(straighten=Straightening(skew_deg=skew_deg), crop=Cropping(corners=corners)))
    turn = math.radians(skew_deg)
    for x, y in corners:
        across = (x - box.centre_x_mm) * math.cos(turn) - (y - box.centre_y_mm) * math.sin(turn)
        down = (x - box.centre_x_mm) * math.sin(turn) + (y - box.centre_y_mm) * math.cos(turn)
        assert abs(across) <= box.width_mm / 2 + 1.5  # a paper size within 1.5 mm is taken exactly
        assert abs(down) <= box.height_mm / 2 + 1.5


@pytest.mark.parametrize(
    "json",
    ['{"version": 2}', '{"quarter_turns": 4}', '{"straighten": {"skew_deg": 46}}', '{"crop": {"corners": [[0, 0]]}}',
     '{"straighten": {"skew_deg": NaN}}', '{"surprise": 1}'],
)  # fmt: skip
def test_a_treatment_that_makes_no_sense_is_refused(json: str) -> None:
    with pytest.raises(ValidationError):
        Treatment.model_validate_json(json)


def test_a_treatment_survives_json() -> None:
    treatment = Treatment(quarter_turns=3, straighten=Straightening(skew_deg=-0.4), crop=Cropping(corners=A4_CORNERS))
    assert Treatment.model_validate_json(treatment.model_dump_json()) == treatment
