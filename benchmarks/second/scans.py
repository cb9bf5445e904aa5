"""What another scanner makes of a sheet: its lid, where the sheet lies, light, blur, noise, compression, and faults."""

import io
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from benchmarks.second.papers import DPI, Hand, Paper, px
from papiermappe.core.picture import CapturedPicture, Pixels

BED_MM = (216.0, 297.0)
FAULTS = ("blurred", "faint", "too_dark", "dust_line", "dirty", "fold")


class Scan(NamedTuple):
    """A capture with its truth."""

    kind: str
    capture: CapturedPicture
    ink: NDArray[np.bool_]
    """Where print is on the capture, (h, w)."""
    sheet: NDArray[np.bool_]
    """Where the sheet lies on it, (h, w)."""
    fills: bool
    """Whether the sheet reaches to the edges of the capture."""


def scan(paper: Paper, hand: Hand, fault: str | None = None) -> Scan:
    """Scan a side in colour at DPI.

    Args:
        paper: the side.
        hand: decides how it lies, and the light.
        fault: one of FAULTS, or none.
    """
    fills = paper.width_mm > 200 and hand.random() < 0.45
    lean = float(hand.normal(0, 0.4 if fills else 1.2))
    width, height = (paper.width_mm, paper.height_mm) if fills else (
        max(BED_MM[0], paper.width_mm + 8), max(BED_MM[1], paper.height_mm + 8)
    )  # fmt: skip
    shape = px(width), px(height)
    free = (width - paper.width_mm, height - paper.height_mm)
    left, top = (float(hand.uniform(0.15, 0.85)) * room for room in free) if not fills else hand.uniform(-1.0, 1.0, 2)
    turn = cv2.getRotationMatrix2D((px(paper.width_mm) / 2, px(paper.height_mm) / 2), lean, 1.0)
    turn[:, 2] += px(left), px(top)
    lid = np.array([[242, 243, 240], [226, 229, 232], [150, 152, 150], [44, 46, 50]][int(hand.integers(4))], np.float32)
    picture = _faulty_paper(paper.picture, hand, fault)
    colour = tuple(float(level) for level in lid)
    laid = cv2.warpAffine(picture, turn, shape, flags=cv2.INTER_CUBIC, borderValue=colour).astype(np.float32)
    sheet = cv2.warpAffine(np.full(picture.shape[:2], 255, np.uint8), turn, shape)
    ink = cv2.warpAffine(paper.ink.astype(np.uint8), turn, shape, flags=cv2.INTER_NEAREST) > 0
    shadow = cv2.GaussianBlur(np.roll(sheet, (px(0.8), px(0.6)), (0, 1)), (0, 0), px(0.7)).astype(np.float32) / 255
    laid *= 1 - float(hand.uniform(0.06, 0.3)) * (shadow * (sheet == 0))[..., None]
    seen = CapturedPicture(sensed(laid, hand, fault), float(DPI))
    return Scan(paper.kind, seen, ink, sheet > 127, bool(fills))


def _faulty_paper(picture: Pixels, hand: Hand, fault: str | None) -> Pixels:
    """Return the sheet itself with its fault."""
    if fault == "faint":
        white = np.percentile(picture, 90, axis=(0, 1))
        return np.asarray(np.clip(white - (white - picture) * 0.16, 0, 255), np.uint8)
    if fault == "dirty":
        dirty = picture.copy()
        for _ in range(420):
            centre = int(hand.integers(4, picture.shape[1] - 4)), int(hand.integers(4, picture.shape[0] - 4))
            cv2.circle(dirty, centre, int(hand.integers(1, 3)), (70, 66, 60), -1, cv2.LINE_AA)
        return dirty
    if fault == "fold":
        height = picture.shape[0]
        at = int(height * hand.uniform(0.35, 0.65))
        away = np.abs(np.arange(height) - at) / px(2.2)
        return np.asarray(picture * (1 - 0.13 * np.exp(-(away**2)))[:, None, None], np.uint8)
    return picture


def sensed(laid: NDArray[np.float32], hand: Hand, fault: str | None) -> bytes:
    """Return what the sensor makes of it, as JPEG."""
    height, width = laid.shape[:2]
    fall = (
        np.linspace(1.0, float(hand.uniform(0.94, 1.0)), width)[None]
        * np.linspace(1.0, float(hand.uniform(0.95, 1.0)), height)[:, None]
    )
    seen = laid * fall[..., None]
    if fault == "too_dark":
        seen *= 0.36
    if fault == "dust_line":
        at = int(width * hand.uniform(0.2, 0.8))
        seen[:, at : at + 2] -= float(hand.uniform(14, 45))
    seen = np.asarray(cv2.GaussianBlur(seen, (0, 0), 2.6 if fault == "blurred" else float(hand.uniform(0.35, 0.6))))
    grain = hand.normal(0, float(hand.uniform(0.8, 3.0)), laid.shape).astype(np.float32)
    out = io.BytesIO()
    Image.fromarray(np.clip(seen + grain, 0, 255).astype(np.uint8)).save(
        out, "JPEG", quality=int(hand.integers(75, 95)), dpi=(DPI, DPI)
    )
    return out.getvalue()
