"""A camera that is watched: each sheet is taken once it lies still and whole, and never twice."""

from dataclasses import replace

import numpy as np
import pytest

from papiermappe.core.order.places import Side
from papiermappe.core.photo.bare_table import is_as_before, sheet_on, small_look
from papiermappe.core.photo.likeness import is_same_side, looked_at
from papiermappe.core.photo.obstacles import glares, has_hand, is_blurred
from papiermappe.core.photo.watching import CameraWatch, Seen, SeenState
from papiermappe.core.picture import Pixels
from papiermappe.standin.camera.photos import sheet_of
from papiermappe.standin.camera.scene import Light, Lying, Scene, Table, corners_px, photograph
from papiermappe.standin.camera.session import Frame, Step, film, overhead

WIDTH_PX = 720
FRAME_S = 0.1
STEPS = (
    Step("delivery-118", turn_deg=2),
    Step("delivery-118", side=Side.BACK, turn_deg=-3, at_mm=(6, -4)),
    Step("delivery-118", side=Side.BACK, turn_deg=5, at_mm=(-7, 3), is_moved=True),
    Step("delivery-119", turn_deg=-2, at_mm=(3, 5)),
)
CAMERA = overhead(WIDTH_PX)
LETTER = sheet_of("letter-share", 0, Side.FRONT)
BARE = Scene(Table.SLATE)


@pytest.fixture(scope="module")
def session() -> list[Frame]:
    """A film of a sheet that is laid, turned over, moved, and followed by one that looks much the same."""
    return list(film(STEPS, WIDTH_PX, still_s=1.6))


@pytest.fixture(scope="module")
def seen(session: list[Frame]) -> list[Seen]:
    """What is said of its frames."""
    return watched(session)


def watched(frames: list[Frame]) -> list[Seen]:
    """Return what is said of frames that come ten times a second."""
    watch = CameraWatch()
    return [watch.judge(frame.pixels, at * FRAME_S) for at, frame in enumerate(frames)]


def still(scene: Scene, seconds: float = 1.2, moved_px: float = 0.0) -> list[Frame]:
    """Return frames of a scene in which nothing moves."""
    count = round(seconds / FRAME_S)
    return [Frame(photograph(scene, CAMERA, moved_px, take=take), 0) for take in range(count)]


def test_each_side_is_taken_once_and_only_while_it_lies_still(session: list[Frame], seen: list[Seen]) -> None:
    taken = [frame.lies for frame, look in zip(session, seen, strict=True) if look.state is SeenState.TAKE]
    assert taken == [0, 1, 3]  # the third was only moved


def test_it_is_taken_within_1_2_s_after_it_lies_still(session: list[Frame], seen: list[Seen]) -> None:
    for at, look in enumerate(seen):
        if look.state is SeenState.TAKE:
            lies = session[at].lies
            began = next(first for first, frame in enumerate(session) if frame.lies == lies)
            assert (at - began) * FRAME_S <= 1.2


def test_a_sheet_that_is_in_is_said_to_be(session: list[Frame], seen: list[Seen]) -> None:
    moved = [look.state for frame, look in zip(session, seen, strict=True) if frame.lies == 2]
    assert moved[-1] is SeenState.IN
    assert SeenState.TAKE not in moved


def test_a_hand_is_said_to_be_in_the_way(session: list[Frame], seen: list[Seen]) -> None:
    states = [look.state for frame, look in zip(session, seen, strict=True) if frame.lies is None]
    assert states.count(SeenState.HAND) > len(states) / 3


def test_the_sheet_is_outlined_where_it_lies(session: list[Frame], seen: list[Seen]) -> None:
    for frame, look in zip(session, seen, strict=True):
        if look.state is SeenState.TAKE and frame.lies is not None:
            step = STEPS[frame.lies]
            laid = replace(sheet_of(step.key, step.sheet, step.side), centre_mm=step.at_mm, turn_deg=step.turn_deg)
            assert look.corners_px == pytest.approx(corners_px(laid, CAMERA), abs=2.5)


@pytest.mark.parametrize(
    ("scene", "state"),
    [
        (BARE, SeenState.NO_SHEET),
        (replace(BARE, sheet=replace(LETTER, centre_mm=(150, 0))), SeenState.REACHES_OUT),
        (replace(BARE, sheet=LETTER, light=Light(brightness=0.22)), SeenState.TOO_DARK),
        (replace(BARE, sheet=LETTER, light=Light(brightness=0.8, glare=0.9)), SeenState.GLARE),
        (replace(BARE, sheet=LETTER, hand=(60, 100)), SeenState.HAND),
    ],
    ids=["bare table", "reaches out", "dark", "glare", "hand that rests"],
)
def test_it_says_why_it_does_not_take(scene: Scene, state: SeenState) -> None:
    states = [look.state for look in watched(still(scene))]
    assert states[-1] is state
    assert SeenState.TAKE not in states


def test_what_is_blurred_is_not_taken() -> None:
    states = [look.state for look in watched(still(replace(BARE, sheet=LETTER), moved_px=9))]
    assert states[-1] is SeenState.BLURRED
    assert SeenState.TAKE not in states


def test_a_divider_ends_a_document_and_names_the_next() -> None:
    divider = sheet_of("divider-hail", 0, Side.FRONT)
    last = watched(still(replace(BARE, sheet=replace(divider, turn_deg=4))))[-1]
    assert (last.state, last.name) == (SeenState.DIVIDER, "Hail damage")


def test_what_was_taken_by_hand_is_not_taken_once_more() -> None:
    watch, frames = CameraWatch(), still(replace(BARE, sheet=LETTER))
    watch.judge(frames[0].pixels, 0.0)
    watch.note_taken(frames[1].pixels)
    states = [watch.judge(frame.pixels, FRAME_S * at).state for at, frame in enumerate(frames, 1)]
    assert SeenState.TAKE not in states
    assert states[-1] is SeenState.IN


def flat(key: str, side: Side = Side.FRONT) -> Pixels:
    """Return a look at a side of an original, straight from above."""
    return looked_at(sheet_of(key, 0, side).pixels)


def test_two_looks_at_one_side_are_alike_whichever_way_up() -> None:
    look = flat("invoice")
    darker = (look * 0.7).astype(np.uint8)
    assert is_same_side(look, np.roll(darker, 2, axis=1))
    for quarters in (1, 2, 3):
        assert is_same_side(look, np.ascontiguousarray(np.rot90(look, quarters)))


@pytest.mark.parametrize(
    ("first", "second"),
    [("delivery-118", "delivery-119"), ("weigh-2041", "weigh-2042"), ("letter-share", "letter-pruning")],
)
def test_forms_that_are_filled_in_otherwise_are_told_apart(first: str, second: str) -> None:
    assert not is_same_side(flat(first), flat(second))


def test_a_printed_and_a_blank_side_are_told_apart() -> None:
    blank = np.full_like(flat("invoice"), 230)
    assert not is_same_side(flat("invoice"), blank)
    assert not is_same_side(blank, flat("invoice"))
    assert is_same_side(blank, blank)


def test_a_brown_table_is_no_hand() -> None:
    scene = Scene(Table.WOOD, sheet=LETTER)
    assert not has_hand(photograph(scene, CAMERA), corners_px(LETTER, CAMERA))
    assert has_hand(photograph(replace(scene, hand=(60, 100)), CAMERA), corners_px(LETTER, CAMERA))


def test_the_lit_page_of_an_open_book_shows_no_glare() -> None:
    flat = np.full((400, 560, 3), 225, np.uint8)
    flat[:, 300:] = 254
    flat[:, 270:300] = np.linspace(120, 254, 30)[None, :, None]  # the fold
    assert glares(flat) == []
    flat[:, 300:] = 225
    flat[120:260, 380:460] = 254  # a lamp, mirrored
    assert len(glares(flat)) == 1


@pytest.mark.parametrize("washed_out", [True, False])
def test_a_white_spot_in_which_print_stays_dark_is_no_lamp(washed_out: bool) -> None:
    """Paper in good light is white as well; a lamp that is mirrored takes the print with it."""
    flat = np.full((600, 420, 3), 236, np.uint8)
    flat[200:400, 100:320] = 254
    flat[40:560:12, 40:380] = 120  # rows of print, through all of it
    if washed_out:
        flat[210:390, 110:310] = np.maximum(flat[210:390, 110:310], 235)
    assert bool(glares(flat)) == washed_out


def test_paper_that_is_white_all_over_shows_no_glare() -> None:
    bright = np.full((300, 210, 3), 254, np.uint8)
    assert glares(bright) == []
    spotted = np.full((300, 210, 3), 200, np.uint8)
    spotted[100:140, 80:120] = 255
    (patch,) = glares(spotted)
    assert patch == pytest.approx((80, 100, 120, 140), abs=3)  # its rim is smoothed


def test_a_sharp_sheet_is_not_blurred() -> None:
    lies: Lying = LETTER
    sharp = photograph(replace(BARE, sheet=lies), CAMERA)
    assert not is_blurred(sharp, corners_px(lies, CAMERA))


def test_on_a_patterned_table_the_empty_table_tells_what_is_laid_on_it() -> None:
    cloth = replace(BARE, table=Table.CHECKED)
    blank = replace(LETTER, pixels=np.full((900, 640, 3), 236, np.uint8), centre_mm=(6, -8), turn_deg=4)
    watch = CameraWatch()
    for at, frame in enumerate(still(cloth)):
        assert watch.judge(frame.pixels, at * FRAME_S).state in {SeenState.NO_SHEET, SeenState.MOVING}
    bare = small_look(frame.pixels)
    laid = photograph(replace(cloth, sheet=blank), CAMERA)
    found = sheet_on(laid, bare)
    assert found is not None
    assert found.corners_px == pytest.approx(corners_px(blank, CAMERA), abs=3)
    brighter = np.clip(laid.astype(np.float32) + 12, 0, 255).astype(np.uint8)  # the camera has set it anew
    assert sheet_on(brighter, bare) is not None
    assert sheet_on(frame.pixels, bare) is None
    looks = [watch.judge(one.pixels, 2 + at * FRAME_S) for at, one in enumerate(still(replace(cloth, sheet=blank)))]
    assert SeenState.TAKE in {look.state for look in looks}


def test_a_table_with_something_on_it_is_not_taken_for_an_empty_one() -> None:
    bare = small_look(photograph(BARE, CAMERA))
    assert is_as_before(small_look(photograph(BARE, CAMERA, take=1)), bare)
    assert not is_as_before(small_look(photograph(replace(BARE, sheet=LETTER), CAMERA)), bare)
    assert is_as_before(small_look(photograph(Scene(Table.CHECKED), CAMERA)), bare)  # another table: begun anew
