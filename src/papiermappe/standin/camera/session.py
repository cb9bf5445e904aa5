"""A session before an overhead camera, as frames: sheets are laid by hand, turned, moved while they are looked at."""

import io
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

from PIL import Image

from papiermappe.core.order.places import Side
from papiermappe.core.picture import Pixels
from papiermappe.standin.camera.optics import Camera
from papiermappe.standin.camera.photos import sheet_of
from papiermappe.standin.camera.scene import Light, Lying, Scene, Table, photograph

FRAMES_A_S = 10
PLAYED_A_S = 30
FILM_QUALITY = 82
NOISY_TAKES = 3  # a still scene is not the same picture twice


class Step(NamedTuple):
    """What happens next."""

    key: str
    """The original that is laid."""
    sheet: int = 0
    side: Side = Side.FRONT
    turn_deg: float = 0.0
    at_mm: tuple[float, float] = (0.0, 0.0)
    is_moved: bool = False
    """It is the sheet that lies there already, which is moved there."""


class Frame(NamedTuple):
    """A picture of the film, and what is true of it."""

    pixels: Pixels
    lies: int | None
    """Which step's sheet lies there whole and still, without a hand; None: none does."""


SESSION = (
    Step("delivery-118", turn_deg=2),
    Step("delivery-118", side=Side.BACK, turn_deg=-3, at_mm=(6, -4)),
    Step("letter-share", turn_deg=4, at_mm=(-8, 5)),
    Step("letter-share", turn_deg=-5, at_mm=(10, -8), is_moved=True),
    Step("hail", turn_deg=1, at_mm=(4, 6)),
    Step("invoice", turn_deg=-2, at_mm=(-5, -3)),
)
"""Five sides to be taken: two sheets, one turned over, one moved while it is looked at, and two more."""


def overhead(width_px: int) -> Camera:
    """Return a camera on a stand above the table, whose picture is as wide as said, 4 to 3."""
    return Camera(width_px, width_px * 3 // 4, eye_mm=(0, 25, 520), aim_mm=(0, 0), view_deg=48, bend=0.01)


def film(
    steps: Sequence[Step] = SESSION,
    width_px: int = 1280,
    still_s: float = 2.4,
    table: Table = Table.WOOD,
    frames_a_s: int = FRAMES_A_S,
) -> Iterator[Frame]:
    """Yield the frames of a session.

    Args:
        steps: what is laid, one after the other.
        width_px: of the frames.
        still_s: how long each sheet lies still.
        table: on which they are laid.
        frames_a_s: how many there are a second.
    """
    camera = overhead(width_px)
    bare = Scene(table, light=Light(towards=(0.06, -0.05)))
    before = bare
    yield from _still(before, camera, round(0.6 * frames_a_s), None)
    for number, step in enumerate(steps):
        laid = sheet_of(step.key, step.sheet, step.side)
        after = replace(bare, sheet=replace(laid, centre_mm=step.at_mm, turn_deg=step.turn_deg))
        yield from _laid_by_hand(before, after, step.is_moved, camera, frames_a_s)
        yield from _still(after, camera, round(still_s * frames_a_s), number)
        before = after


def write_film(path: Path, frames: Iterable[Frame], frames_a_s: int = FRAMES_A_S) -> None:
    """Write frames as JPEGs one after the other, as browsers take them for what a camera sees, 30 of them a second.

    Args:
        path: of the file, which ends in .mjpeg.
        frames: of the film.
        frames_a_s: how many of them are a second; 30 is a multiple of it.
    """
    with path.open("wb") as film_file:
        for frame in frames:
            film_file.write(jpeg_of(frame) * (PLAYED_A_S // frames_a_s))


def jpeg_of(frame: Frame) -> bytes:
    """Return a frame as a JPEG."""
    encoded = io.BytesIO()
    Image.fromarray(frame.pixels).save(encoded, "JPEG", quality=FILM_QUALITY)
    return encoded.getvalue()


def _still(scene: Scene, camera: Camera, count: int, lies: int | None) -> Iterator[Frame]:
    takes = [photograph(scene, camera, take=take) for take in range(min(NOISY_TAKES, count))]
    for at in range(count):
        yield Frame(takes[at % len(takes)], lies)


def _laid_by_hand(before: Scene, after: Scene, is_moved: bool, camera: Camera, frames_a_s: int) -> Iterator[Frame]:
    """Yield the frames of a hand that comes in, lays or moves a sheet, and goes."""
    steps = max(round(0.6 * frames_a_s), 3)
    for at in range(1, steps + 1):  # the hand comes
        yield Frame(photograph(replace(before, hand=_reaching(at / steps)), camera, moved_px=3), None)
    for at in range(1, steps + 1):  # and brings the sheet along
        share = at / steps
        carried = _between(before.sheet if is_moved else None, after.sheet, share)
        yield Frame(photograph(replace(after, sheet=carried, hand=_reaching(1.0)), camera, moved_px=4), None)
    for at in range(steps):  # it rests for a moment, and goes
        share = 1.0 if at < steps // 3 else 1 - (at - steps // 3 + 1) / (steps - steps // 3)
        hand = _reaching(share) if share > 0.02 else None
        if hand is not None:
            yield Frame(photograph(replace(after, hand=hand), camera, moved_px=2), None)


def _reaching(share: float) -> tuple[float, float]:
    """Return where the tips of the hand are, 0 to 1 of its way in."""
    return (70 - 20 * share, 290 - 190 * share)


def _between(start: Lying | None, end: Lying | None, share: float) -> Lying | None:
    """Return a sheet on its way, from where it lay or from below the picture."""
    if end is None:
        return None
    from_mm = start.centre_mm if start else (end.centre_mm[0] + 40, end.centre_mm[1] + 320)
    from_deg = start.turn_deg if start else end.turn_deg + 14
    x_mm, y_mm = (a + (b - a) * share for a, b in zip(from_mm, end.centre_mm, strict=True))
    return replace(end, centre_mm=(x_mm, y_mm), turn_deg=from_deg + (end.turn_deg - from_deg) * share)
