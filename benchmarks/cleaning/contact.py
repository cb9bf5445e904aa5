"""A contact sheet: captures as they came with what was found, and the pages made of them."""

from pathlib import Path

import cv2
import numpy as np

from benchmarks.corpus.sheets import DPI, laid_sheets
from papiermappe.core.analysis import Analysis, analyse
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import CapturedPicture, Pixels
from papiermappe.core.treatment import Tone, render

PAGES = 24
TILE_PX = 260, 340
PLUM, RUST, INK = (123, 45, 91), (168, 74, 18), (30, 42, 40)


def write(path: Path, seed: int) -> None:
    """Write the contact sheet as a picture of the kind that the path ends in."""
    tiles = []
    for laid in laid_sheets(range(PAGES), seed):
        capture = CapturedPicture(encode_jpeg(laid.pixels, 88), DPI)
        look = analyse(capture)
        white = render(capture, look.treatment.model_copy(update={"tone": Tone.WHITE}), TILE_PX[0])
        pair = [
            _tile(_before(capture, look)),
            _tile(_after(render(capture, look.treatment, TILE_PX[0]), look)),
            _tile(white),
        ]
        tiles.append(np.vstack([np.hstack(pair), _caption(laid.kind, look, 3 * TILE_PX[0])]))
    rows = [np.hstack(tiles[start : start + 3]) for start in range(0, len(tiles) - len(tiles) % 3, 3)]
    cv2.imwrite(str(path), np.vstack(rows)[..., ::-1])


def _before(capture: CapturedPicture, look: Analysis) -> Pixels:
    picture = np.ascontiguousarray(capture.pixels(4))
    if look.treatment.crop is not None:
        corners = np.array([[mm_to_px(x, DPI / 4), mm_to_px(y, DPI / 4)] for x, y in look.treatment.crop.corners])
        cv2.polylines(picture, [np.rint(corners).astype(np.int32)], True, PLUM, 5)
    return picture


def _after(page: Pixels, look: Analysis) -> Pixels:
    picture = np.ascontiguousarray(page if page.ndim == 3 else np.repeat(page[..., None], 3, axis=2))
    crop = look.treatment.crop
    if crop is not None:
        width_mm = float(np.hypot(*(np.array(crop.corners[1]) - np.array(crop.corners[0]))))
        dpi = picture.shape[1] / width_mm * 25.4
        for finding in look.findings:
            if finding.zone is not None:
                rows, cols = finding.zone.slices(picture.shape, dpi)
                cv2.rectangle(picture, (cols.start, rows.start), (cols.stop, rows.stop), RUST, 2)
    return picture


def _tile(picture: Pixels) -> Pixels:
    width, height = TILE_PX
    scale = min((width - 8) / picture.shape[1], (height - 8) / picture.shape[0])
    size = max(1, round(picture.shape[1] * scale)), max(1, round(picture.shape[0] * scale))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    tile = np.full((height, width, 3), 205, np.uint8)
    top, left = (height - size[1]) // 2, (width - size[0]) // 2
    tile[top : top + size[1], left : left + size[0]] = small if small.ndim == 3 else small[..., None]
    return tile


def _caption(kind: str, look: Analysis, width: int) -> Pixels:
    treatment = look.treatment
    skew = treatment.straighten.skew_deg if treatment.straighten else 0.0
    sure = treatment.crop.confidence if treatment.crop else 0.0
    noticed = ", ".join(finding.kind.value for finding in look.findings) or "nothing noticed"
    strip = np.full((44, width, 3), 240, np.uint8)
    first = f"{kind}: sheet {sure:.2f}, skew {skew:.2f}, turned {90 * treatment.quarter_turns}, {look.colour.value}"
    for line, text in ((16, first), (36, noticed)):
        cv2.putText(strip, text, (6, line), cv2.FONT_HERSHEY_SIMPLEX, 0.45, INK, 1, cv2.LINE_AA)
    return strip
