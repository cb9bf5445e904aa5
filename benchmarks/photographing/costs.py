"""What a photo of 12 megapixels costs, from its arrival to the flat page that its taker sees; and how well it reads."""

import io
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

from PIL import Image

from benchmarks.filing.looks import errors
from benchmarks.table import Row, scaled
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.order.places import Side
from papiermappe.core.pages import examine, page_jpeg, readable_page
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.core.treatment import Treatment
from papiermappe.devices.files import HowToRead, pages_of
from papiermappe.jobs.pool import WorkPool
from papiermappe.local.processes import ALLOCATOR, LINEAR_ALGEBRA
from papiermappe.recognition.tesseract import installed
from papiermappe.services.pictures import PictureSize
from papiermappe.standin.camera.optics import Camera
from papiermappe.standin.camera.photos import sheet_of
from papiermappe.standin.camera.scene import Light, Scene, Table, photograph
from papiermappe.standin.paper.drawing import draw_side
from papiermappe.standin.paper.originals import ORIGINALS

TIMES = 7
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
        child = [sys.executable, "-m", "benchmarks.photographing.costs", str(path)]
        environment = {**os.environ, **ALLOCATOR, **LINEAR_ALGEBRA}  # as the desk starts its own processes
        printed = subprocess.run(child, env=environment, stdout=subprocess.PIPE, check=True).stdout
        spent_s, before_mb, most_mb = json.loads(printed)
    return [
        Row("12 megapixels, arrival to flat preview", f"{1000 * statistics.median(spent_s):.0f} ms", "<= 900 ms"),
        Row("    memory, most, of the process that computes", f"{most_mb:.0f} MB", "<= 300 MB"),
        Row("    of that, before the photo", f"{before_mb:.0f} MB"),
    ]


def _work(path: Path) -> tuple[list[float], float, float]:
    """Do what is done to a photo, in a process like those of the desk.

    Returns:
        The seconds that it took each time, and the most memory of that process before and after, in MB.
    """
    pool, spent_s = WorkPool(1), []
    pool.warm_up()
    before_mb = pool(_most_mb)
    for _ in range(TIMES):
        picture, reading_s = pool(_read, path)
        spent_s.append(reading_s + pool(_examine, picture))
    most_mb = pool(_most_mb)
    pool.close()
    return spent_s, before_mb, most_mb


def _read(path: Path) -> tuple[CapturedPicture, float]:
    """Read a photo and find its sheet; return the seconds too."""
    began = time.process_time()
    (picture,) = pages_of(path, HowToRead(), DEFAULT_LIMIT_PX)
    return picture, time.process_time() - began


def _examine(picture: CapturedPicture) -> float:
    """Make the small picture of the scan, and the flat sheet; return the seconds."""
    began = time.process_time()
    page_jpeg(picture, Treatment(), PictureSize.LANE.width_px, THUMBNAIL_QUALITY)
    examine(picture, (PictureSize.STAGE.width_px, PictureSize.LANE.width_px), THUMBNAIL_QUALITY)
    return time.process_time() - began


def _most_mb() -> float:
    status = Path("/proc/self/status").read_text()
    line = next(line for line in status.splitlines() if line.startswith("VmHWM"))
    return int(line.split()[1]) / 1000


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


if __name__ == "__main__":
    print(json.dumps(_work(Path(sys.argv[1]))))
