"""What one photo costs in a process like those of the desk. Started by `costs`, so that it holds nothing else."""

import json
import sys
import time
from pathlib import Path

from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.pages import examine, page_jpeg
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import Treatment
from papiermappe.devices.files import HowToRead, pages_of
from papiermappe.jobs.pool import WorkPool
from papiermappe.services.pictures import PictureSize, soon_treatment

TIMES = 7


def _work(path: Path) -> tuple[list[float], list[float], float, float]:
    """Do what is done to a photo, in a process like those of the desk.

    Returns:
        The seconds that it took each time until it was shown flat, and until it was examined too; and the most memory
        of that process before and after, in MB.
    """
    pool, shown_s, examined_s = WorkPool(1), [], []
    pool.warm_up()
    before_mb = pool(_most_mb)
    for _ in range(TIMES):
        picture, reading_s = pool(_read, path)
        shown_s.append(reading_s + pool(_show, picture))
        examined_s.append(shown_s[-1] + pool(_examine, picture))
    most_mb = pool(_most_mb)
    pool.close()
    return shown_s, examined_s, before_mb, most_mb


def _read(path: Path) -> tuple[CapturedPicture, float]:
    """Read a photo and find its sheet; return the seconds too."""
    began = time.process_time()
    (picture,) = pages_of(path, HowToRead(), DEFAULT_LIMIT_PX)
    return picture, time.process_time() - began


def _show(picture: CapturedPicture) -> float:
    """Make the small picture of the photo, and the large one of the sheet on it; return the seconds."""
    began = time.process_time()
    page_jpeg(picture, Treatment(), PictureSize.LANE.width_px, THUMBNAIL_QUALITY)
    page_jpeg(picture, soon_treatment(picture.sheet), PictureSize.STAGE.width_px, THUMBNAIL_QUALITY)
    return time.process_time() - began


def _examine(picture: CapturedPicture) -> float:
    """Examine the page, and make its pictures; return the seconds."""
    began = time.process_time()
    examine(picture, (PictureSize.STAGE.width_px, PictureSize.LANE.width_px), THUMBNAIL_QUALITY)
    return time.process_time() - began


def _most_mb() -> float:
    status = Path("/proc/self/status").read_text()
    line = next(line for line in status.splitlines() if line.startswith("VmHWM"))
    return int(line.split()[1]) / 1000


if __name__ == "__main__":
    print(json.dumps(_work(Path(sys.argv[1]))))
