"""Text that a file brings along, placed on the page that a treatment makes of its picture."""

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import rotation_deg
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.treatment import PageBox, Treatment, page_box
from papiermappe.core.zones import Zone


def text_on_page(text: PageText, treatment: Treatment) -> PageText | None:
    """Place the text of a capture on its page.

    Args:
        text: with places in mm on the capture, whose size it has.
        treatment: of the page.

    Returns:
        The words that are still to be seen, in their order: none beyond the crop, none that a wipe touches. None where
        the places cannot be told, as on a photo made flat or on half a spread.
    """
    if treatment.part is not None or treatment.corners is not None:
        return None
    box = page_box(text.width_mm, text.height_mm, treatment)
    width_mm, height_mm = box.width_mm, box.height_mm
    if treatment.quarter_turns % 2:
        width_mm, height_mm = height_mm, width_mm
    blocks = [_block(block, box, treatment) for block in text.blocks]
    return PageText(
        width_mm=width_mm,
        height_mm=height_mm,
        languages=text.languages,
        blocks=tuple(block for block in blocks if block is not None),
    )


def _block(block: Block, box: PageBox, treatment: Treatment) -> Block | None:
    paragraphs = []
    for paragraph in block.paragraphs:
        lines = [placed for line in paragraph.lines if (placed := _line(line, box, treatment)) is not None]
        if lines:
            paragraphs.append(Paragraph(lines=tuple(lines)))
    return Block(paragraphs=tuple(paragraphs)) if paragraphs else None


def _line(line: Line, box: PageBox, treatment: Treatment) -> Line | None:
    words = [
        Word(text=word.text, box=place, confidence=word.confidence)
        for word in line.words
        if _is_seen(place := _placed(word.box, box, treatment.quarter_turns), box, treatment)
    ]
    return line_of(words) if words else None


def line_of(words: list[Word]) -> Line:
    """Return words as a line; there is at least one."""
    boxes = np.array([(word.box.left, word.box.top, word.box.right, word.box.bottom) for word in words])
    (left, top), (right, bottom) = boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)
    return Line(words=tuple(words), box=BoxMm(left=left, top=top, right=right, bottom=bottom))


def _placed(place: BoxMm, box: PageBox, quarter_turns: int) -> BoxMm:
    """Return the upright box round a place of the capture, on the page, as `render` puts it there."""
    corners = np.array(
        [(place.left, place.top), (place.right, place.top), (place.right, place.bottom), (place.left, place.bottom)]
    )
    middle = np.array([box.width_mm, box.height_mm]) / 2
    on_page = (corners - (box.centre_x_mm, box.centre_y_mm)) @ rotation_deg(-box.skew_deg).T + middle
    width_mm, height_mm = box.width_mm, box.height_mm
    for _ in range(quarter_turns):  # counter-clockwise: the right edge comes to the top
        on_page = np.column_stack([on_page[:, 1], width_mm - on_page[:, 0]])
        width_mm, height_mm = height_mm, width_mm
    return _box_round(on_page)


def _box_round(places: NDArray[np.float64]) -> BoxMm:
    (left, top), (right, bottom) = places.min(axis=0), places.max(axis=0)
    return BoxMm(left=float(left), top=float(top), right=float(right), bottom=float(bottom))


def _is_seen(place: BoxMm, box: PageBox, treatment: Treatment) -> bool:
    width_mm, height_mm = box.width_mm, box.height_mm
    if treatment.quarter_turns % 2:
        width_mm, height_mm = height_mm, width_mm
    across, down = (place.left + place.right) / 2, (place.top + place.bottom) / 2
    on_page = 0 <= across <= width_mm and 0 <= down <= height_mm
    return on_page and not any(_touches(zone, place) for zone in treatment.wipes)


def _touches(zone: Zone, place: BoxMm) -> bool:
    across = zone.x_mm < place.right and place.left < zone.x_mm + zone.width_mm
    return across and zone.y_mm < place.bottom and place.top < zone.y_mm + zone.height_mm
