"""How straight lines of print become of sheets that do not lie flat."""

import numpy as np
from numpy.typing import NDArray

from benchmarks.second.photos import camera_photos
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.analysis import analyse
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.photo import FlatSheet, look_for_sheet
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import flat_sheet

PHOTOS = 600
"""Of which about one in nine bends."""
STRAIGHT_MM = 0.6
ROUNDS = 30


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures: of sheets whose corners are found for sure, those that bend and those that do not."""
    judged = of_all(_off_mm, scaled(PHOTOS, share), seed)
    bent = np.array([(before, after) for is_bent, before, after in judged if is_bent]).reshape(-1, 2)
    flat = np.array([(before, after) for is_bent, before, after in judged if not is_bent]).reshape(-1, 2)
    return [
        Row("curl: bent sheets made flat", str(len(bent))),
        Row("    lines straight within 0.6 mm, as the corners make it", percent(_straight(bent[:, 0]))),
        Row("    lines straight within 0.6 mm", percent(_straight(bent[:, 1])), ">= 90 %"),
        Row("    median, worst", f"{np.median(bent[:, 1]):.2f}, {bent[:, 1].max(initial=0):.2f} mm"),
        Row("    flat sheets: within 0.6 mm, as the corners make it", percent(_straight(flat[:, 0]))),
        Row("    flat sheets: within 0.6 mm", percent(_straight(flat[:, 1]))),
        Row("    flat sheets made worse by more than 0.3 mm", str(int((flat[:, 1] > flat[:, 0] + 0.3).sum())), "0"),
    ]


def _straight(off_mm: NDArray[np.float64]) -> float:
    return float((off_mm <= STRAIGHT_MM).mean()) if off_mm.size else 0.0


def _off_mm(numbers: range, seed: int) -> list[tuple[bool, float, float]]:
    """Return for each photo whether its sheet bends, and how far its worst row is off a line before and after."""
    judged = []
    for photo in camera_photos(numbers, seed):
        data = encode_png(photo.pixels)
        seen = look_for_sheet(CapturedPicture(data, 300, by_camera=True))
        if seen.dpi is None:
            continue
        sheet = seen.found.on_capture(seen.dpi)
        treatment = analyse(CapturedPicture(data, seen.dpi, by_camera=True, sheet=sheet)).treatment
        ways = [treatment.model_copy(update={"curl": None}), treatment]
        flats = [flat_sheet(photo.pixels.shape, seen.dpi, way) for way in ways]
        before, after = (_worst_mm(photo.rows, flat, photo.sides_mm) for flat in flats if flat is not None)
        judged.append((photo.trouble == "bulge", before, after))
    return judged


def _worst_mm(rows: NDArray[np.float64], flat: FlatSheet, sides_mm: tuple[float, float]) -> float:
    mm_a_px = max(sides_mm) / max(
        flat.width_px, flat.height_px
    )  # of the sheet's true size, not of the one it is taken for
    worst = 0.0
    for row in rows:
        places = _on_flat(row, flat) * mm_a_px
        along = places[-1] - places[0]
        normal = np.array([-along[1], along[0]]) / np.hypot(*along)
        share = (places - places[0]) @ along / (along @ along)
        away = (places - places[0]) @ normal
        off = away - np.polyval(np.polyfit(share, away, 1), share)
        worst = max(worst, float(np.abs(off).max()))
    return worst


def _on_flat(seen: NDArray[np.float64], flat: FlatSheet) -> NDArray[np.float64]:
    """Return where places of a photo are on its sheet made flat, step by step: only the other way has a formula."""
    target = flat.from_photo(seen)
    places = target.copy()
    for _ in range(ROUNDS):
        places -= flat.from_photo(flat.on_photo(places)) - target
    return places
