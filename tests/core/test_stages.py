"""Each stage of a treatment by itself, and all of them together."""

from collections.abc import Callable

import cv2
import numpy as np
import pytest

from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.treatment import Cropping, Part, Straightening, Tone, Treatment, page_box, page_size_mm, render
from papiermappe.core.zones import SheetZone, Zone, ZoneKind

Png = Callable[..., CapturedPicture]
DPI = 100  # 1 inch, 25.4 mm, is 100 px
AREA = SheetZone(name="a", kind=ZoneKind.WIPE, corners=((1.0, 1.0), (5.0, 1.0), (5.0, 5.0), (1.0, 5.0)))


@pytest.fixture
def page() -> Pixels:
    """A page of 4 x 3 inches on grey paper with a black square, one inch from the left, half an inch from the top."""
    picture = np.full((300, 400, 3), 235, np.uint8)
    picture[50:90, 100:140] = 10
    return picture


def middle_of_ink(page: Pixels) -> tuple[float, float]:
    """Return (x, y) of the middle of what is dark."""
    dark = page if page.ndim == 2 else page[..., 1]
    rows, cols = np.nonzero(dark < 100)
    return float(cols.mean()), float(rows.mean())


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_a_part_is_one_page_of_a_spread_whichever_way_it_lies(turns: int, page: Pixels, png: Png) -> None:
    """The spread is scanned turned, and turned upright again: its gutter goes with it."""
    lying = np.ascontiguousarray(np.rot90(page, -turns))
    whole = Treatment(quarter_turns=turns)
    box = page_box(lying.shape[1] / DPI * 25.4, lying.shape[0] / DPI * 25.4, whole)
    gutter = tuple((float(x), float(y)) for x, y in box.on_sheet([(50.8, 0.0), (50.8, 76.2)], turns))  # at two inches
    left, right = (
        render(png(lying, DPI), whole.model_copy(update={"part": Part(gutter=gutter, right=side)}))
        for side in (False, True)
    )
    assert np.array_equal(left, page[:, :200])
    assert np.array_equal(right, page[:, 200:])


def test_beyond_a_slanting_gutter_lies_bare_paper(page: Pixels, png: Png) -> None:
    """The black square, 25 to 36 mm from the left, lies beyond the gutter of the right page for the most part."""
    gutter = ((38.1, 0.0), (25.4, 76.2))
    right = render(png(page, DPI), Treatment(part=Part(gutter=gutter, right=True)))
    assert right.shape[:2] == (300, 300)  # as far as the gutter bends outwards, at one inch
    rows, cols = np.nonzero(right[..., 0] < 100)
    assert (cols > 50 - rows * 50 / 300 - 2).all()
    assert right[:, :20].min() > 225


def test_the_corners_of_a_photo_are_made_flat(png: Png) -> None:
    """A square seen slanting becomes a rectangle that is dark in its upper left quarter, as it was drawn."""
    sheet = np.full((200, 150), 240, np.uint8)
    sheet[:100, :75] = 20
    corners = np.array([(60, 40), (250, 60), (270, 330), (30, 300)], np.float32)
    own = np.array([(-0.5, -0.5), (149.5, -0.5), (149.5, 199.5), (-0.5, 199.5)], np.float32)
    photo = cv2.warpPerspective(sheet, cv2.getPerspectiveTransform(own, corners), (320, 380), borderValue=(90,))
    first, second, third, fourth = (((x + 0.5) * 0.254, (y + 0.5) * 0.254) for x, y in corners.tolist())
    treatment = Treatment(corners=(first, second, third, fourth))
    flat = render(png(np.asarray(photo, np.uint8), DPI), treatment)
    assert flat.shape == tuple(round(side / 25.4 * DPI) for side in reversed(page_size_mm(320, 380, DPI, treatment)))
    height, width = flat.shape
    quarters = flat[height // 4, width // 4], flat[height // 4, 3 * width // 4], flat[3 * height // 4, width // 4]
    assert quarters[0] < 40
    assert min(quarters[1:]) > 220


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_margins_move_the_content_right_and_down_as_it_is_seen(turns: int, page: Pixels, png: Png) -> None:
    still = render(png(page, DPI), Treatment(quarter_turns=turns))
    moved = render(png(page, DPI), Treatment(quarter_turns=turns, margins=(5.08, 2.54)))  # 20 and 10 px
    assert moved.shape == still.shape
    shift = np.subtract(middle_of_ink(moved), middle_of_ink(still))
    assert shift == pytest.approx((20, 10), abs=0.01)


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_zones_are_wiped_where_they_are_seen(turns: int, page: Pixels, png: Png) -> None:
    x, y = middle_of_ink(render(png(page, DPI), Treatment(quarter_turns=turns)))
    over = Zone(x_mm=x * 0.254 - 7, y_mm=y * 0.254 - 7, width_mm=14, height_mm=14)
    bare = Treatment(quarter_turns=turns)
    wiped = bare.model_copy(update={"zones": (on_sheet(over, bare),)})
    clean = render(png(page, DPI), wiped)
    assert clean.min() > 225
    # it stays on the sheet, however the page is turned and cropped afterwards
    cropped = Cropping(corners=((1.0, 1.0), (95.0, 1.0), (95.0, 70.0), (1.0, 70.0)))
    framed = wiped.model_copy(update={"quarter_turns": 3, "crop": cropped, "straighten": Straightening(skew_deg=4.0)})
    assert render(png(page, DPI), framed)[8:-8, 8:-8].min() > 225


def on_sheet(zone: Zone, treatment: Treatment) -> SheetZone:
    """Return a zone of the page as a zone of its sheet."""
    box = page_box(400 * 0.254, 300 * 0.254, treatment)
    first, second, third, fourth = map(tuple, box.on_sheet(zone.corners(), treatment.quarter_turns).tolist())
    return SheetZone(name="a", kind=ZoneKind.WIPE, corners=(first, second, third, fourth))


def test_tones(page: Pixels, png: Png) -> None:
    white, grey, bilevel = (
        render(png(page, DPI), Treatment(tone=tone)) for tone in (Tone.WHITE, Tone.GREY, Tone.BILEVEL)
    )
    assert (white[200:] == 255).all()
    assert white[70, 120].max() < 20
    assert grey.shape == (300, 400)
    assert np.array_equal(bilevel, np.where(page[..., 0] < 100, 0, 255))


def test_all_stages_together_keep_to_the_size_and_give_the_same_twice(page: Pixels, png: Png) -> None:
    treatment = Treatment(
        part=Part(gutter=((85.0, 0.0), (86.0, 76.2)), right=False),
        straighten=Straightening(skew_deg=1.2),
        crop=Cropping(corners=((2.0, 2.0), (95.0, 2.0), (95.0, 70.0), (2.0, 70.0))),
        margins=(1.0, -1.0),
        quarter_turns=3,
        zones=(AREA,),
        tone=Tone.WHITE,
    )
    width_mm, height_mm = page_size_mm(400, 300, DPI, treatment)
    once, twice = (render(png(page, DPI), treatment) for _ in range(2))
    assert once.shape == (round(height_mm / 25.4 * DPI), round(width_mm / 25.4 * DPI), 3)
    assert np.array_equal(once, twice)
    assert Treatment.model_validate_json(treatment.model_dump_json()) == treatment
    assert render(png(page, DPI), treatment, 150).shape[1] == 150


def test_every_field_that_changes_the_picture_changes_its_name() -> None:
    plain = Treatment()
    changed = (
        {"part": Part(gutter=((9.0, 0.0), (9.0, 9.0)), right=True)},
        {"corners": ((0.0, 0.0), (9.0, 0.0), (9.0, 9.0), (0.0, 9.0))},
        {"margins": (1.0, 0.0)},
        {"quarter_turns": 2},
        {"zones": (AREA,)},
        {"zones": (AREA.model_copy(update={"kind": ZoneKind.KEEP}),)},
        {"tone": Tone.GREY},
    )
    keys = {plain.model_copy(update=change).picture_key("abc") for change in changed} | {plain.picture_key("abc")}
    assert len(keys) == len(changed) + 1
