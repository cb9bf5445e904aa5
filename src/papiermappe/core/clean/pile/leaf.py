"""What is kept of a page to lay it on the pile: small, made once, and the same however its zones are changed."""

import io
import json
import zipfile
from typing import NamedTuple

import cv2
import numpy as np

from papiermappe.core.clean.background import paper_of
from papiermappe.core.clean.pile.dust import DustLine, dust_lines_on
from papiermappe.core.clean.pile.marks import Mark, MarkKind, marks_of
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels
from papiermappe.errors import PictureRefused

PILE_DPI = 75
LEAF_DPI = 100
VERSION = 1
SHADOW_MM = 7.0
EDGE_MM = 2.5  # a line so near to the edge of the sheet is that edge
NEARLY = 0.03  # of its size, by which a page may differ from the others to be stretched to it


class Leaf(NamedTuple):
    """A page on the pile."""

    width_mm: float
    height_mm: float
    darker: Pixels
    """How much darker than its paper each pixel is, (h, w), at 75 dpi."""
    marks: list[Mark]
    """On the page."""
    dust: list[DustLine]
    """On its scan."""

    def to_bytes(self) -> bytes:
        """Return it to be kept."""
        _, png = cv2.imencode(".png", self.darker, [cv2.IMWRITE_PNG_COMPRESSION, 1])
        said = {"version": VERSION, "size_mm": (self.width_mm, self.height_mm), "marks": self.marks, "dust": self.dust}
        held = io.BytesIO()
        with zipfile.ZipFile(held, "w") as kept:
            kept.writestr("leaf.json", json.dumps(said))
            kept.writestr("darker.png", png.tobytes())
        return held.getvalue()

    @classmethod
    def from_bytes(cls, data: bytes) -> "Leaf":
        """Return what `to_bytes` gave. Raises PictureRefused: it is torn, or of another version."""
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as kept:
                said = json.loads(kept.read("leaf.json"))
                png = kept.read("darker.png")
            if said["version"] != VERSION:
                raise PictureRefused("picture_damaged")
            darker = cv2.imdecode(np.frombuffer(png, np.uint8), cv2.IMREAD_GRAYSCALE)
            if darker is None:
                raise PictureRefused("picture_damaged")
            marks = [Mark(MarkKind(kind), *numbers) for kind, *numbers in said["marks"]]
            lines = [DustLine(*line) for line in said["dust"]]
            width_mm, height_mm = said["size_mm"]
            return cls(width_mm, height_mm, np.asarray(darker, np.uint8), marks, lines)
        except (zipfile.BadZipFile, KeyError, ValueError, TypeError, cv2.error) as exc:
            raise PictureRefused("picture_damaged") from exc


def leaf_of(page: Pixels, dpi: float, scan: Pixels, scan_dpi: float, across_mm: tuple[float, float]) -> Leaf:
    """Return what is kept of a page.

    Args:
        page: as it is framed, with nothing cleared, grey (h, w), at about 100 dpi.
        dpi: its resolution.
        scan: the capture it is of, grey (h, w), at 100 to 200 dpi.
        scan_dpi: its resolution.
        across_mm: from where to where the sheet reaches across the scan.
    """
    height, width = page.shape
    darker = cv2.subtract(_paper_from_inside(paper_of(page, dpi), dpi), page)
    size = max(1, round(width * PILE_DPI / dpi)), max(1, round(height * PILE_DPI / dpi))
    small = cv2.resize(darker, size, interpolation=cv2.INTER_AREA)
    return Leaf(
        px_to_mm(width, dpi),
        px_to_mm(height, dpi),
        np.asarray(small, np.uint8),
        marks_of(page, np.asarray(darker, np.uint8), dpi),
        [line for line in dust_lines_on(scan, scan_dpi) if _lies_within(line, across_mm)],
    )


def _paper_from_inside(paper: Pixels, dpi: float) -> Pixels:
    """Return the colour of the paper, at the rim as it is inside: a shadow along an edge is no paper."""
    rim = min(round(mm_to_px(SHADOW_MM, dpi)), (min(paper.shape) - 1) // 2)
    inner = paper[rim : paper.shape[0] - rim, rim : paper.shape[1] - rim]
    return np.asarray(cv2.copyMakeBorder(inner, rim, rim, rim, rim, cv2.BORDER_REPLICATE), np.uint8)


def _lies_within(line: DustLine, across_mm: tuple[float, float]) -> bool:
    return across_mm[0] + EDGE_MM <= line.left_mm and line.right_mm <= across_mm[1] - EDGE_MM


def stretch(leaf: Leaf, size_mm: tuple[float, float]) -> tuple[float, float]:
    """Return by how much a leaf is stretched across and down to lie on a pile of a size.

    Where it is nearly of that size its edges come to lie on those of the others; else it lies at the top left as it is.
    """
    across, down = (whole / own for own, whole in zip((leaf.width_mm, leaf.height_mm), size_mm, strict=True))
    return (across, down) if max(abs(across - 1), abs(down - 1)) <= NEARLY else (1.0, 1.0)


def fitted(leaf: Leaf, size_mm: tuple[float, float]) -> Pixels:
    """Return how dark a leaf is on a pile of a size, (h, w) at 75 dpi."""
    width, height = (max(1, round(mm_to_px(side, PILE_DPI))) for side in size_mm)
    if stretch(leaf, size_mm) != (1.0, 1.0):
        return np.asarray(cv2.resize(leaf.darker, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8)
    laid = np.zeros((height, width), np.uint8)
    part = leaf.darker[:height, :width]
    laid[: part.shape[0], : part.shape[1]] = part
    return laid
