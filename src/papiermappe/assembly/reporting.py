"""What is told of each page that was made."""

from papiermappe.assembly.request import (
    Colours,
    PageReport,
)
from papiermappe.assembly.source import SourcePage
from papiermappe.assembly.supply import Supply
from papiermappe.core.analysis import Analysis
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import Treatment
from papiermappe.making.document import MadePage
from papiermappe.message import Message


def page_report(made: MadePage[SourcePage], supply: Supply, wanted: Colours) -> PageReport:
    """Return what is told of a page.

    Args:
        made: the page.
        supply: knows what was found on it, and what was done to it.
        wanted: the colours that were asked for.
    """
    item, treatments = made.item, supply.treatments
    analysis, treatment, whole = supply.analysis_of(item), treatments.of(item), treatments.spread_of(item)
    return PageReport(
        source=str(item.file),
        number=item.number,
        width_mm=round(made.page.width_mm, 1),
        height_mm=round(made.page.height_mm, 1),
        colour=analysis.colour.value if wanted is Colours.AUTO else wanted.value,
        level=made.level,
        made_of=made.made_of.value if made.made_of else None,
        byte_size=made.byte_size,
        skew_deg=treatment.skew_deg,
        operations=_done_to(treatment),
        corners_px=_corners_px(item.capture, analysis, treatment.quarter_turns),
        confidence=analysis.photo_sheet.confidence if analysis.photo_sheet else None,
        half=item.half,
        gutter=treatment.part.gutter if treatment.part else None,
        gutter_confidence=whole.spread.confidence if whole and whole.spread else None,
        margins_mm=treatment.margins,
        zones=treatments.zones_of(item),
        findings=tuple(
            Message(code=f"finding_{finding.kind}", params=finding.params)
            for finding in analysis.findings_told(treatment)
        ),
        unsure=tuple(Message(code=f"{step}_uncertain") for step in analysis.unsure_steps(treatment)),
        words=made.words,
        guesses=made.guesses,
        unread=made.unread,
    )


def _corners_px(
    photo: CapturedPicture, analysis: Analysis, quarter_turns: int
) -> tuple[tuple[float, float], ...] | None:
    """Return the corners of the sheet on a photo, `(x, y)`, from the top left of the page that it becomes."""
    if analysis.photo_sheet is None:
        return None
    corners = analysis.treatment.corners or analysis.photo_sheet.corners
    from_top_left = (*corners[quarter_turns:], *corners[:quarter_turns])
    return tuple(
        (round(mm_to_px(x_mm, photo.dpi), 1), round(mm_to_px(y_mm, photo.dpi), 1)) for x_mm, y_mm in from_top_left
    )


def _done_to(treatment: Treatment) -> tuple[str, ...]:
    """Return the codes of what is done to a page."""
    done = {
        "make_flat": treatment.corners is not None,
        "uncurl": treatment.straightened_curl is not None,
        "split_spreads": treatment.part is not None,
        "straighten": treatment.skew_deg != 0,
        "crop": treatment.sheet is not None,
        "turn": treatment.quarter_turns != 0,
        "align_margins": treatment.margins != (0.0, 0.0),
        "put_zones": bool(treatment.zones),
    }
    return tuple(code for code, is_done in done.items() if is_done)
