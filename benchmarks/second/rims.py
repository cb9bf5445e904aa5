"""Scans of the second generator with dark rims: thick, thin, slanting, ragged, along a part of an edge or all round."""

import io
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from benchmarks.second.papers import DPI, Hand, book, form, invoice, letter, newspaper, px
from papiermappe.core.picture import CapturedPicture

KINDS = ("all_round", "one_side", "thin", "ragged", "corner", "none")
PAPERS = (letter, invoice, newspaper, book, form)


class Rimmed(NamedTuple):
    """A scan with its truth."""

    kind: str
    capture: CapturedPicture
    ink: NDArray[np.bool_]
    """What is printed, (h, w)."""
    rim: NDArray[np.bool_]
    """What is dark and lies beyond the sheet, (h, w)."""


def rimmed(number: int, seed: int) -> Rimmed:
    """Return a scan; the kinds come in turn, every other one in black and white."""
    hand = np.random.default_rng([seed, number, 9])
    kind = KINDS[number % len(KINDS)]
    paper = PAPERS[int(hand.integers(len(PAPERS)))](hand)
    sheet, ink = paper.picture.mean(axis=2).astype(np.float32), paper.ink
    depths = _depths(hand, kind)
    top, right, bottom, left = (px(depth) for depth in depths)
    shape = sheet.shape[0] + top + bottom, sheet.shape[1] + left + right
    lean = float(hand.normal(0, 0.5)) if kind != "none" else 0.0
    turn = cv2.getRotationMatrix2D((sheet.shape[1] / 2, sheet.shape[0] / 2), lean, 1.0)
    turn[:, 2] += left, top
    is_sheet = cv2.warpAffine(np.full(sheet.shape, 255, np.uint8), turn, shape[::-1]) > 127
    laid = cv2.warpAffine(sheet, turn, shape[::-1], flags=cv2.INTER_CUBIC, borderValue=0)
    printed = cv2.warpAffine(ink.astype(np.uint8), turn, shape[::-1], flags=cv2.INTER_NEAREST) > 0
    rim = ~is_sheet
    if kind == "ragged":
        rim = _ragged(rim, hand)
    if kind in {"one_side", "corner"}:
        rim &= _part(shape, hand, kind, lies=top + bottom > 0)
    level = float(hand.uniform(8, 70))
    picture = np.where(rim, level, np.where(is_sheet, laid, 248.0))
    picture += hand.normal(0, 2.5, shape)
    grey = np.clip(cv2.GaussianBlur(picture, (0, 0), 0.7), 0, 255).astype(np.uint8)
    if number % 2:
        grey = np.where(grey < 140, 0, 255).astype(np.uint8)
    return Rimmed(kind, _capture(grey, number % 2 == 1), printed & ~rim, rim)


def _depths(hand: Hand, kind: str) -> tuple[float, float, float, float]:
    """Return how deep the rims are in mm: top, right, bottom, left."""
    if kind == "none":
        return 0.0, 0.0, 0.0, 0.0
    low, high = (0.6, 1.8) if kind == "thin" else (2.0, 16.0)
    depths = [float(hand.uniform(low, high)) for _ in range(4)]
    if kind == "one_side":
        depths = [depth if side == int(hand.integers(4)) else 0.0 for side, depth in enumerate(depths)]
    top, right, bottom, left = depths
    return top, right, bottom, left


def _ragged(rim: NDArray[np.bool_], hand: Hand) -> NDArray[np.bool_]:
    """Return a rim whose inner side is torn."""
    height, width = rim.shape
    coarse = hand.normal(0, 1, (height // 12 + 2, width // 12 + 2)).astype(np.float32)
    waves = cv2.resize(coarse, (width, height), interpolation=cv2.INTER_CUBIC)
    inwards = cv2.distanceTransform((~rim).astype(np.uint8), cv2.DIST_L2, 3)
    return np.asarray(rim | (inwards < px(0.8) * np.abs(waves)), np.bool_)


def _part(shape: tuple[int, int], hand: Hand, kind: str, *, lies: bool) -> NDArray[np.bool_]:
    """Return where a rim is that runs along a part of its edges only; along the upper or lower one, where it lies."""
    part = np.zeros(shape, np.bool_)
    if kind == "corner":
        part[: int(shape[0] * hand.uniform(0.2, 0.6)), : int(shape[1] * hand.uniform(0.2, 0.6))] = True
        return np.ascontiguousarray(np.rot90(part, 2)) if hand.random() < 0.5 else part
    along = shape[1] if lies else shape[0]
    stretch = slice(int(along * hand.uniform(0, 0.3)), int(along * hand.uniform(0.6, 1)))
    part[(slice(None), stretch) if lies else stretch] = True
    return part


def _capture(grey: NDArray[np.uint8], bilevel: bool) -> CapturedPicture:
    out = io.BytesIO()
    picture = Image.fromarray(grey)
    if bilevel:
        picture.convert("1").save(out, "PNG")
    else:
        picture.save(out, "JPEG", quality=88)
    return CapturedPicture(out.getvalue(), float(DPI))
