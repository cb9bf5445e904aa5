"""What a photo of 12 megapixels costs, from its arrival to the flat page that its taker sees; and how well it reads."""

import io
import json
import os
import statistics
import subprocess
import sys
import tempfile
from dataclasses import replace
from pathlib import Path

from PIL import Image

from benchmarks.filing.looks import errors
from benchmarks.table import Row, scaled
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.order.places import Side
from papiermappe.core.pages import examine, readable_page
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.devices.files import HowToRead, pages_of
from papiermappe.local.processes import ALLOCATOR, LINEAR_ALGEBRA
from papiermappe.recognition.tesseract import installed
from papiermappe.standin.camera.optics import Camera
from papiermappe.standin.camera.photos import sheet_of
from papiermappe.standin.camera.scene import Light, Scene, Table, photograph
from papiermappe.standin.paper.drawing import draw_side
from papiermappe.standin.paper.originals import ORIGINALS

LARGE = Camera(3000, 4000, eye_mm=(20, 110, 420), aim_mm=(0, 0), view_deg=41)
READ = Camera(2150, 2870, eye_mm=(15, 100, 430), aim_mm=(0, 0), view_deg=41)  # about 200 dpi
TEXTS = ("lease", "letter-share", "letter-pruning", "letter-store", "minutes")
LIGHTS = (Light(), Light(towards=(0.1, -0.08)), Light(brightness=0.8), Light(shadow=0.25))


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    return [*_cost(), *_reading(scaled(len(TEXTS) * len(LIGHTS), share), seed)]


def _photo(camera: Camera, key: str, light: Light, seed: int) -> bytes:
    sheet = replace(sheet_of(key, 0, Side.FRONT), turn_deg=(seed * 5) % 13 - 6.0)
    taken = photograph(Scene(Table.SLATE, sheet, light, seed=seed), camera)
    out = io.BytesIO()
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0x829A] = 1 / 60
    Image.fromarray(taken).save(out, "JPEG", quality=90, exif=exif)
    return out.getvalue()


def _cost() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "photo.jpg"
        path.write_bytes(_photo(LARGE, "lease", Light(), 1))
        child = [sys.executable, "-m", "benchmarks.photographing.one_photo", str(path)]
        environment = {**os.environ, **ALLOCATOR, **LINEAR_ALGEBRA}  # as the desk starts its own processes
        printed = subprocess.run(child, env=environment, stdout=subprocess.PIPE, check=True).stdout
        shown_s, examined_s, before_mb, most_mb = json.loads(printed)
    return [
        Row("12 megapixels, arrival to flat preview", f"{1000 * statistics.median(shown_s):.0f} ms", "<= 900 ms"),
        Row("    and examined", f"{1000 * statistics.median(examined_s):.0f} ms"),
        Row("    memory, most, of the process that computes", f"{most_mb:.0f} MB", "<= 300 MB"),
        Row("    of that, before the photo", f"{before_mb:.0f} MB"),
    ]


def _reading(count: int, seed: int) -> list[Row]:
    recogniser = installed()
    wrong, letters = 0, 0
    for at in range(count):
        key = TEXTS[at % len(TEXTS)]
        jpeg = _photo(READ, key, LIGHTS[at // len(TEXTS) % len(LIGHTS)], seed + at)
        with tempfile.NamedTemporaryFile(suffix=".jpg") as file:
            file.write(jpeg)
            file.flush()
            (picture,) = pages_of(Path(file.name), HowToRead(), DEFAULT_LIMIT_PX)
        treatment = examine(picture, (200,), THUMBNAIL_QUALITY).analysis.treatment
        page = readable_page(picture, treatment, RecognitionMode.ACCURATE)
        side = draw_side(ORIGINALS[key].paper, ORIGINALS[key].sheets[0].front)
        missed, there = errors(side.lines, recogniser.read(page, ("eng",), RecognitionMode.ACCURATE))
        wrong, letters = wrong + missed, letters + there
    return [Row(f"text of {count} photos at 200 dpi: characters wrong", f"{100 * wrong / letters:.2f} %", "<= 1.5 %")]
