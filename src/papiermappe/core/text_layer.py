"""Text that a file brings along, placed on the page that a treatment makes of its picture."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.clearing import Areas
from papiermappe.core.page_box import PageBox
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.treatment import Treatment, cleared_areas, page_box

KEPT_SHARE = 0.98
"""Of a word: as much of it lies where something is kept, if it is still to be seen."""


def text_on_page(text: PageText, treatment: Treatment) -> PageText | None:
    """Place the text of a capture on its page.

    Args:
        text: with places in mm on the capture, whose size it has.
        treatment: of the page.

    Returns:
        The words that are still to be seen, in their order: none beyond the crop or the gutter, none that a wipe
        touches. None where the places cannot be told, as on a photo made flat.
    """
    if treatment.corners is not None:
        return None
    box = page_box(text.width_mm, text.height_mm, treatment)
    width_mm, height_mm = box.size_mm(treatment.quarter_turns)
    areas = cleared_areas(treatment, box)
    blocks = [_block(block, box, treatment, areas) for block in text.blocks]
    return PageText(
        width_mm=width_mm,
        height_mm=height_mm,
        languages=text.languages,
        blocks=tuple(block for block in blocks if block is not None),
    )


def _block(block: Block, box: PageBox, treatment: Treatment, areas: Areas) -> Block | None:
    paragraphs = []
    for paragraph in block.paragraphs:
        lines = [placed for line in paragraph.lines if (placed := _line(line, box, treatment, areas)) is not None]
        if lines:
            paragraphs.append(Paragraph(lines=tuple(lines)))
    return Block(paragraphs=tuple(paragraphs)) if paragraphs else None


def _line(line: Line, box: PageBox, treatment: Treatment, areas: Areas) -> Line | None:
    words = [
        Word(text=word.text, box=place, confidence=word.confidence)
        for word in line.words
        if _is_seen(place := _placed(word.box, box, treatment.quarter_turns), box, treatment, areas)
    ]
    return line_of(words) if words else None


def line_of(words: list[Word]) -> Line:
    """Return words as a line; there is at least one."""
    boxes = np.array([(word.box.left, word.box.top, word.box.right, word.box.bottom) for word in words])
    (left, top), (right, bottom) = boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)
    return Line(words=tuple(words), box=BoxMm(left=left, top=top, right=right, bottom=bottom))


def _placed(place: BoxMm, box: PageBox, quarter_turns: int) -> BoxMm:
    """Return the upright box round a place of the capture, on the page, as `render` puts it there."""
    return _box_round(box.on_page(_corners(place), quarter_turns))


def _corners(place: BoxMm) -> NDArray[np.float64]:
    left, top, right, bottom = place.left, place.top, place.right, place.bottom
    return np.array([(left, top), (right, top), (right, bottom), (left, bottom)])


def _box_round(places: NDArray[np.float64]) -> BoxMm:
    (left, top), (right, bottom) = places.min(axis=0), places.max(axis=0)
    return BoxMm(left=float(left), top=float(top), right=float(right), bottom=float(bottom))


def _is_seen(place: BoxMm, box: PageBox, treatment: Treatment, areas: Areas) -> bool:
    width_mm, height_mm = box.size_mm(treatment.quarter_turns)
    across, down = (place.left + place.right) / 2, (place.top + place.bottom) / 2
    on_page = 0 <= across <= width_mm and 0 <= down <= height_mm
    kept = not areas.kept or any(_shared_mm2(area, place) >= KEPT_SHARE * _size_mm2(place) for area in areas.kept)
    return on_page and kept and not any(_shared_mm2(area, place) > 0 for area in areas.wiped)


def _size_mm2(place: BoxMm) -> float:
    return (place.right - place.left) * (place.bottom - place.top)


def _shared_mm2(area: NDArray[np.float64], place: BoxMm) -> float:
    """Return how much of a place lies in an area with convex corners."""
    shared, _ = cv2.intersectConvexConvex(area.astype(np.float32), _corners(place).astype(np.float32))
    return float(shared)
