"""Photos of the demo's papers, as a phone takes them: seen from a slanting place, each with a trouble of its own."""

import io
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

import numpy as np
from PIL import Image

from papiermappe.core.order.places import Side
from papiermappe.core.picture import Pixels
from papiermappe.standin.camera.optics import Camera, Places
from papiermappe.standin.camera.scene import Light, Lying, Scene, Table, corners_px, photograph
from papiermappe.standin.paper.drawing import draw_side
from papiermappe.standin.paper.originals import ORIGINALS

SHEET_DPI = 220
PHONE = (2400, 3200)
"""Width and height of its pictures in px."""
QUALITY = 88
BOOK_BOW_MM = 9.0
EXIF, MAKER, MODEL, EXPOSURE_TIME, FOCAL_LENGTH = 0x8769, 0x010F, 0x0110, 0x829A, 0x920A


class Photo(NamedTuple):
    """A photo, and where the corners of its sheet are."""

    name: str
    pixels: Pixels
    corners_px: Places
    """(4, 2), `(x, y)`: the top left of the sheet first, then clockwise."""

    def jpeg(self) -> bytes:
        """Return it as a phone writes it: a JPEG that names the exposure."""
        exif = Image.Exif()
        exif[MAKER], exif[MODEL] = "Hollerbeck Optics", "Grauschnaepper 3"
        exif.get_ifd(EXIF).update({EXPOSURE_TIME: 1 / 60, FOCAL_LENGTH: 4.3})
        out = io.BytesIO()
        Image.fromarray(self.pixels).save(out, "JPEG", quality=QUALITY, exif=exif)
        return out.getvalue()


class _Shot(NamedTuple):
    """How one photo is taken."""

    key: str
    sheet: int
    side: Side
    table: Table
    eye_mm: tuple[float, float, float]
    turn_deg: float
    light: Light
    bow_mm: float = 0.0
    hand: tuple[float, float] | None = None
    moved_px: float = 0.0


_FRONT, _BACK = Side.FRONT, Side.BACK
_SHOTS = (
    _Shot("delivery-118", 0, _FRONT, Table.WOOD, (20, 130, 400), 3, Light()),
    _Shot("delivery-118", 0, _BACK, Table.WOOD, (-40, 120, 410), -4, Light(towards=(0.12, -0.1))),
    _Shot("letter-share", 0, _FRONT, Table.SLATE, (60, 170, 380), 8, Light(shadow=0.35)),
    _Shot("hail", 0, _FRONT, Table.CHECKED, (-30, 150, 400), -6, Light(towards=(-0.15, 0.1))),
    _Shot("weigh-2041", 0, _FRONT, Table.WOOD, (10, 90, 290), 12, Light(brightness=0.85), hand=(60, 95)),
    _Shot("receipt", 0, _FRONT, Table.SLATE, (0, 70, 260), -9, Light(), bow_mm=6),
    _Shot("invoice", 0, _FRONT, Table.PALE, (40, 110, 410), 2, Light(towards=(0.1, 0.1))),
    _Shot("lease", 0, _FRONT, Table.WOOD, (-20, 140, 400), 5, Light(glare=0.7)),
    _Shot("minutes", 0, _FRONT, Table.SLATE, (30, 120, 400), -3, Light(), bow_mm=14),
    _Shot("german", 0, _FRONT, Table.WOOD, (10, 120, 400), 1, Light(brightness=0.8), moved_px=14),
    _Shot("handbook", 2, _FRONT, Table.WOOD, (20, 60, 520), 88, Light(towards=(0.08, 0.05))),
)


def demo_photos() -> Iterator[Photo]:
    """Yield the photos of the demo, drawn one by one."""
    for number, shot in enumerate(_SHOTS, 1):
        yield _taken(number, shot)


def sheet_of(key: str, sheet: int, side: Side) -> Lying:
    """Return a side of a sheet of an original, lying straight in the middle of the table; a spread as an open book."""
    original = ORIGINALS[key]
    drawn = original.sheets[sheet]
    paper = drawn.paper or original.paper
    face = draw_side(paper, drawn.front if side is Side.FRONT else drawn.back, sideways=drawn.sideways)
    pixels, paper_mm = face.raster(SHEET_DPI), face.paper
    if drawn.sideways:  # as a spread lies on a glass
        upright = np.ascontiguousarray(np.rot90(pixels, -1))
        return Lying(upright, paper_mm.height_mm, paper_mm.width_mm, bow_mm=BOOK_BOW_MM, arches=2)
    return Lying(pixels, paper_mm.width_mm, paper_mm.height_mm)


def write_demo_photos(folder: Path) -> list[Path]:
    """Write the photos of the demo into a folder; return them."""
    folder.mkdir(parents=True, exist_ok=True)
    written = []
    for photo in demo_photos():
        path = folder / photo.name
        path.write_bytes(photo.jpeg())
        written.append(path)
    return written


def _taken(number: int, shot: _Shot) -> Photo:
    lies = sheet_of(shot.key, shot.sheet, shot.side)
    sheet = replace(lies, turn_deg=shot.turn_deg, bow_mm=shot.bow_mm or lies.bow_mm)
    camera = Camera(*PHONE, eye_mm=shot.eye_mm, aim_mm=(0, 0), view_deg=41, bend=0.015)
    scene = Scene(shot.table, sheet, shot.light, shot.hand, seed=number)
    name = f"{number:02}-{shot.key}.jpg"
    return Photo(name, photograph(scene, camera, shot.moved_px), corners_px(sheet, camera))
