"""What is found on photos that a person should check: a lamp, a finger, a movement, letters that are too small."""

from dataclasses import replace

import pytest

from papiermappe.core.analysis import Analysis, analyse
from papiermappe.core.clean.findings import FindingKind
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.order.places import Side
from papiermappe.core.photo import look_for_sheet
from papiermappe.core.picture import CapturedPicture
from papiermappe.standin.camera.optics import Camera
from papiermappe.standin.camera.photos import sheet_of
from papiermappe.standin.camera.scene import Light, Scene, Table, photograph

CAMERA = Camera(1500, 2000, eye_mm=(20, 110, 420), aim_mm=(0, 0), view_deg=41)
LETTER = replace(sheet_of("letter-share", 0, Side.FRONT), turn_deg=4)
PLAIN = Scene(Table.SLATE, LETTER)
OF_PHOTOS = {FindingKind.GLARE, FindingKind.FINGER, FindingKind.SMALL_PRINT, FindingKind.BLURRED}


def analysed(
    scene: Scene, camera: Camera = CAMERA, moved_px: float = 0.0, usual_height_mm: float | None = None
) -> Analysis:
    """Return what is found on a photo of a scene."""
    jpeg = encode_jpeg(photograph(scene, camera, moved_px), 90)
    seen = look_for_sheet(CapturedPicture(jpeg, 300, by_camera=True))
    assert seen.dpi is not None
    return analyse(CapturedPicture(jpeg, seen.dpi, by_camera=True), usual_height_mm=usual_height_mm)


def found(analysis: Analysis) -> set[FindingKind]:
    """Return the kinds of findings that photos have."""
    return {finding.kind for finding in analysis.findings} & OF_PHOTOS


@pytest.mark.parametrize(
    "light",
    [Light(), Light(towards=(0.16, -0.12)), Light(brightness=0.7), Light(shadow=0.4), Light(brightness=1.1)],
    ids=["well lit", "uneven", "dim", "shadow", "bright"],
)
def test_a_good_photo_has_none(light: Light) -> None:
    assert found(analysed(replace(PLAIN, light=light))) == set()


def test_no_camera_takes_two_sheets_at_once() -> None:
    assert analysed(PLAIN, usual_height_mm=127).findings == ()  # the others are receipts


def test_a_lamp_on_the_print_is_told_with_its_place() -> None:
    analysis = analysed(replace(PLAIN, light=Light(glare=0.8)))
    (glare,) = [finding for finding in analysis.findings if finding.kind is FindingKind.GLARE]
    assert glare.zone is not None
    middle_mm = glare.zone.x_mm + glare.zone.width_mm / 2, glare.zone.y_mm + glare.zone.height_mm / 2
    # it is drawn 0.08 of half the width to the right of the sheet's middle, 0.1 of half the height above it
    assert middle_mm == pytest.approx((105, 140), abs=25)


def test_a_finger_on_the_print_is_told() -> None:
    analysis = analysed(replace(PLAIN, hand=(20, 60)))
    (finger,) = [finding for finding in analysis.findings if finding.kind is FindingKind.FINGER]
    assert finger.zone is not None
    assert finger.zone.y_mm > 150  # it comes in from below


def test_a_lamp_that_lines_of_print_cut_into_pieces_is_one_finding() -> None:
    """The lease has print all over; a strong reflection leaves some of it to be seen."""
    lease = replace(sheet_of("lease", 0, Side.FRONT), turn_deg=5)
    analysis = analysed(Scene(Table.WOOD, lease, Light(glare=0.7), seed=8))
    assert [finding.kind for finding in analysis.findings].count(FindingKind.GLARE) == 1


def test_print_that_has_moved_along_one_direction_is_told() -> None:
    assert FindingKind.BLURRED in found(analysed(PLAIN, moved_px=10))


def test_letters_that_are_too_small_for_the_photo_are_told() -> None:
    """At 70 dpi an x-height of 1.8 mm is five px."""
    small = Camera(520, 700, eye_mm=(20, 110, 420), aim_mm=(0, 0), view_deg=41)
    analysis = analysed(PLAIN, small)
    (print_found,) = [finding for finding in analysis.findings if finding.kind is FindingKind.SMALL_PRINT]
    assert 3 <= int(print_found.params["px"]) <= 8


def test_a_page_whose_print_is_too_coarse_is_not_turned() -> None:
    """A table at 44 dpi looks like lines of print that run down the page."""
    coarse = Camera(800, 600, eye_mm=(0, 25, 520), aim_mm=(0, 0), view_deg=48, bend=0.01)
    table = replace(sheet_of("delivery-118", 0, Side.FRONT), turn_deg=2)
    analysis = analysed(Scene(Table.SLATE, table), coarse)
    assert analysis.treatment.quarter_turns == 0
    assert analysis.turn_confidence < 0.5
